#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/shapes/dual_contour.hpp"
#include "barelattice/shapes/mesh_shape.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;

TEST(DualContour, ofFlatFacesIsExact) {
  const ShapePtr box = makeBox({0.01, 0, 0}, {0.11, 0.05, 0.02});
  // 40 cells along the longest side: lattice planes would fall on every face.
  const TriangleMesh surface = dualContour(*box, 0.0025);
  EXPECT_EQ(inspectTopology(surface).text(), "sound");
  EXPECT_NEAR(surface.volume() / (0.1 * 0.05 * 0.02), 1, 1e-12);
  const TriangleTree tree(surface);
  for (int corner = 0; corner < 8; ++corner)
    EXPECT_LT(tree.nearest(box->bounds().corner(static_cast<Box::CornerType>(corner))).distance, 1e-12);
}

// A slanting prism has faces no lattice plane is parallel to.
TEST(DualContour, keepsEdgesThatRunAcrossTheLattice) {
  Eigen::Isometry3d turn = Eigen::Isometry3d::Identity();
  turn.rotate(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()));
  const TriangleMesh surface = dualContour(*makeTransformed(makeBox({0, 0, 0}, {3, 2, 1}), turn), 0.1);
  EXPECT_NEAR(surface.volume() / 6, 1, 2e-4);
  const TriangleTree tree(surface);
  EXPECT_LT(tree.nearest(turn * Vec3(3, 2, 1)).distance, 1e-6);
  for (double along = 0.1; along < 2.95; along += 0.01)
    EXPECT_LT(tree.nearest(turn * Vec3(along, 0, 0)).distance, 0.02 * 0.1) << along;
}

TEST(DualContour, ofRoundFacesConvergesWithTheSquareOfTheSpacing) {
  const ShapePtr sphere = makeSphere({0.1, 0.2, 0.3}, 1);
  const auto error = [&](double spacing) {
    return std::abs(dualContour(*sphere, spacing).volume() / (4 * kPi / 3) - 1);
  };
  const double coarse = error(0.1);
  EXPECT_LT(coarse, 5e-3);
  EXPECT_NEAR(coarse / error(0.05), 4, 0.6);
}

TEST(DualContour, keepsTheRimsOfRoundBodies) {
  const double spacing = 0.005;
  const TriangleMesh surface = dualContour(*makeCylinder({0, 0, 0}, {0, 0, 0.03}, 0.09), spacing);
  EXPECT_EQ(inspectTopology(surface).text(), "sound");
  const TriangleTree tree(surface);
  for (int i = 0; i < 720; ++i) {
    const double turn = kPi * i / 360;
    for (const double z : {0.0, 0.03}) {
      const Vec3 rim(0.09 * std::cos(turn), 0.09 * std::sin(turn), z);
      EXPECT_LT(tree.nearest(rim).distance, 0.02 * spacing) << i << " at " << z;
    }
  }
}

TEST(DualContour, findsEveryPieceHoweverFarApart) {
  const ShapePtr shapes =
      makeUnion({makeSphere({0, 0, 0}, 0.05), makeTorus({3, 0, 0}, {0, 1, 1}, 0.2, 0.05),
                 makeDifference(makeSphere({0, 2, 0}, 0.3), {makeSphere({0, 2, 0}, 0.1)})});
  const TriangleMesh surface = dualContour(*shapes, 0.01);
  EXPECT_EQ(inspectTopology(surface).text(), "sound");
  const double ball = 4 * kPi / 3;
  const double volume = ball * std::pow(0.05, 3) + 2 * kPi * kPi * 0.2 * 0.05 * 0.05 +
                        ball * (std::pow(0.3, 3) - std::pow(0.1, 3));
  EXPECT_NEAR(surface.volume() / volume, 1, 3e-3);
  // A torus has one handle, the hollow ball two spheres: V - E + F is 2 + 0 + 4.
  EXPECT_EQ(surface.vertices.size(), surface.triangles.size() / 2 + 6);
}

TEST(DualContour, ofNothingIsNothing) {
  const ShapePtr apart = makeIntersection({makeSphere({0, 0, 0}, 1), makeSphere({5, 0, 0}, 1)});
  EXPECT_TRUE(dualContour(*apart, 0.1).triangles.empty());
  EXPECT_THROW(dualContour(*makeSphere({0, 0, 0}, 1), 1e-6), InputError);
}

/// A body that gives nobody a part of it.
class Whole final : public Shape {
 public:
  explicit Whole(ShapePtr body) : body_(std::move(body)) {}
  double distance(const Vec3& point) const override { return body_->distance(point); }
  Box bounds() const override { return body_->bounds(); }
  void appendPatches(std::vector<Patch>& patches) const override { body_->appendPatches(patches); }

 private:
  ShapePtr body_;
};

// Each block asks the part of the body near it; that must not show.
TEST(DualContour, isTheSameAskedInPartsAndAsAWhole) {
  const ShapePtr ball = makeMeshShape(dualContour(*makeSphere({0, 0, 0}, 1), 0.1));
  const ShapePtr body = makeUnion({makeDifference(ball, {makeCylinder({0, 0, -2}, {0, 0, 2}, 0.4)}),
                                   makeBox({0.5, -0.2, -0.2}, {1.6, 0.2, 0.2})});
  const TriangleMesh parts = dualContour(*body, 0.06);
  const TriangleMesh whole = dualContour(*std::make_shared<Whole>(body), 0.06);
  ASSERT_EQ(parts.triangles, whole.triangles);
  for (std::size_t v = 0; v < parts.vertices.size(); ++v)
    ASSERT_LT((parts.vertices[v] - whole.vertices[v]).norm(), 1e-9) << v;
}

}  // namespace
}  // namespace barelattice
