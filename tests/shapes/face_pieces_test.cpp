// Pieces of a face: counted and centred against what was drawn, over shapes, spacings and places.

#include "barelattice/shapes/face_pieces.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace barelattice {
namespace {

using std::numbers::pi;

/// A disc with `count` bores on a circle, and all bores as one face.
Face boltCircle(int count, double circle, double bore, double spacing, const Vec3& at) {
  std::vector<ShapePtr> bores;
  for (int k = 0; k < count; ++k) {
    const double angle = 2 * pi * k / count;
    const Vec3 axis = at + circle * Vec3(std::cos(angle), std::sin(angle), 0);
    bores.push_back(makeCylinder(axis - Vec3(0, 0, 1e-3), axis + Vec3(0, 0, 0.011), 0.5 * bore));
  }
  const ShapePtr disc = makeCylinder(at, at + Vec3(0, 0, 0.01), circle + bore);
  FaceSelector selector;
  selector.kind = Patch::Kind::cylinder;
  selector.hole = true;
  selector.count = count;
  return selectFace(*makeDifference(disc, bores), selector, spacing);
}

TEST(FacePieces, boltsOfACircleStandApartAtTheirAxes) {
  for (const int count : {1, 2, 6, 11})
    for (const double spacing : {0.0004, 0.001, 0.003})
      for (const Vec3& at : {Vec3(0, 0, 0), Vec3(-3, 250, 0.7)}) {
        const double circle = 0.03, bore = 0.006;
        const Face face = boltCircle(count, circle, bore, spacing, at);
        const std::vector<FacePiece> pieces = piecesOf(face);
        ASSERT_EQ(pieces.size(), static_cast<std::size_t>(count)) << spacing;
        std::vector<Vec3> centres;
        for (const FacePiece& piece : pieces) {
          EXPECT_NEAR((piece.centre - at).head<2>().norm(), circle, 1e-6);
          EXPECT_NEAR(piece.centre.z() - at.z(), 0.005, 1e-6);
          EXPECT_NEAR(piece.area, pi * bore * 0.01, 0.02 * pi * bore * 0.01);
          centres.push_back(piece.centre + Vec3(0.003, 0, 0));
        }
        const std::vector<int> nearest = nearestPieces(face, pieces, centres);
        for (std::size_t k = 0; k < nearest.size(); ++k) EXPECT_EQ(nearest[k], static_cast<int>(k));
      }
}

// A groove parts the top of a block in two; where it ends before the far side, the top is one piece.
TEST(FacePieces, followsWhatIsLeftOfASurface) {
  for (const double spacing : {0.0005, 0.0012})
    for (const double end : {0.04, 0.032}) {
      const ShapePtr block = makeBox({0, 0, 0}, {0.06, 0.04, 0.01});
      const ShapePtr groove = makeBox({0.02, -0.001, 0.005}, {0.03, end == 0.04 ? 0.041 : end, 0.011});
      FaceSelector selector;
      selector.direction = Vec3::UnitZ();
      selector.within = Box(Vec3(-1, -1, 0.009), Vec3(1, 1, 0.011));
      const Face face = selectFace(*makeDifference(block, {groove}), selector, spacing);
      const std::vector<FacePiece> pieces = piecesOf(face);
      if (end < 0.04) {
        EXPECT_EQ(pieces.size(), 1U) << spacing;
        continue;
      }
      ASSERT_EQ(pieces.size(), 2U) << spacing;
      EXPECT_NEAR(pieces[0].area + pieces[1].area, 0.05 * 0.04, 0.05 * 0.05 * 0.04);
      const auto [left, right] = std::minmax(pieces[0].centre.x(), pieces[1].centre.x());
      EXPECT_NEAR(left, 0.01, 0.5 * spacing);
      EXPECT_NEAR(right, 0.045, 0.5 * spacing);
    }
}

TEST(FacePieces, oneWithoutASpacing) {
  Face face;
  face.points = {{Vec3(0, 0, 0), Vec3::UnitX(), 2}, {Vec3(9, 0, 0), Vec3::UnitX(), 1}};
  const std::vector<FacePiece> pieces = piecesOf(face);
  ASSERT_EQ(pieces.size(), 1U);
  EXPECT_NEAR(pieces[0].centre.x(), 3, 1e-12);
  EXPECT_EQ(nearestPieces(face, pieces, {Vec3(9, 0, 0)}), std::vector<int>{0});
}

}  // namespace
}  // namespace barelattice
