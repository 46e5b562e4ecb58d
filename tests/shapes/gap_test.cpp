#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/shapes/surface_gap.hpp"

namespace barelattice {
namespace {

TetMesh meshOf(const ShapePtr& shape, double spacing) {
  return stuff([&](const Vec3& p) { return shape->distance(p); }, shape->bounds(), spacing);
}

TEST(SurfaceGap, measuresDistanceBothWays) {
  const auto cube = [](double size) {
    return meshOf(makeBox({0, 0, 0}, {size, size, size}), 0.1).boundary();
  };
  EXPECT_EQ(surfaceGap(cube(1), cube(1)).largest, 0);
  const SurfaceGap gap = surfaceGap(cube(1), cube(1.1));
  EXPECT_NEAR(gap.largest, 0.1 * std::sqrt(3.0), 0.03);
  EXPECT_GT(gap.mean, 0.02);
}

TEST(SurfaceGap, ofConcentricBallsIsTheDifferenceOfTheirRadii) {
  const auto ball = [](double radius) { return meshOf(makeSphere({0.2, 0, 0}, radius), 0.08).boundary(); };
  const double chords = 0.08 * 0.08 / 2;  // how far triangles of this size may lie inside a ball of radius 1
  const SurfaceGap gap = surfaceGap(ball(1), ball(1.25));
  EXPECT_NEAR(gap.mean, 0.25, chords);
  EXPECT_NEAR(gap.largest, 0.25, 2 * chords);
}

// The prism on a regular polygon inside a circle of radius 1: no pin passes its sides' middles.
TEST(FitOf, aPolygonIsThatOfItsInnerCircleAsAHoleAndOfItsCornersAsABoss) {
  Patch patch;
  patch.kind = Patch::Kind::cylinder;
  patch.u = Vec3::UnitX();
  patch.v = 3 * Vec3::UnitZ();
  patch.radius = 1;
  for (const int sides : {6, 12, 60})
    for (const bool hole : {false, true}) {
      TriangleMesh wall;
      for (int i = 0; i < sides; ++i)
        for (const double z : {0.0, 3.0})
          wall.vertices.emplace_back(std::cos(2 * M_PI * i / sides), std::sin(2 * M_PI * i / sides), z);
      for (int i = 0; i < sides; ++i) {
        const int a = 2 * i, b = 2 * ((i + 1) % sides);
        wall.triangles.push_back({a, b, b + 1});
        wall.triangles.push_back({a, b + 1, a + 1});
        if (!hole) continue;
        for (std::size_t t = wall.triangles.size() - 2; t < wall.triangles.size(); ++t)
          std::swap(wall.triangles[t][1], wall.triangles[t][2]);
      }
      const std::optional<Fit> fit = fitOf(wall, patch, 0.2);
      ASSERT_TRUE(fit.has_value()) << sides;
      EXPECT_EQ(fit->hole, hole);
      EXPECT_NEAR(fit->diameter, hole ? 2 * std::cos(M_PI / sides) : 2, 1e-12) << sides;
    }
}

TEST(FitOf, aBoreIsThatOfItsChordsAndNothingWhereThereIsNone) {
  const ShapePtr plate =
      makeDifference(makeBox({-2, -2, 0}, {2, 2, 0.5}), {makeCylinder({0.3, 0.2, -1}, {0.3, 0.2, 1}, 0.8)});
  const TriangleMesh surface = meshOf(plate, 0.1).boundary();
  std::vector<Patch> patches;
  plate->appendPatches(patches);
  const auto bore = std::find_if(patches.begin(), patches.end(),
                                 [](const Patch& p) { return p.kind == Patch::Kind::cylinder; });
  ASSERT_NE(bore, patches.end());
  const std::optional<Fit> fit = fitOf(surface, *bore, 0.02);
  ASSERT_TRUE(fit.has_value());
  EXPECT_TRUE(fit->hole);
  EXPECT_LT(fit->diameter, 1.6 - 1e-3);
  EXPECT_GT(fit->diameter, 1.6 - 0.02) << "sagittas of chords of up to 1.4 spacings";
  // A bore that is not there, of another radius and in another place.
  EXPECT_FALSE(fitOf(surface, bore->moved(0.3).value(), 0.05).has_value());
  EXPECT_FALSE(
      fitOf(surface, bore->transformed(Eigen::Isometry3d(Eigen::Translation3d(0, 0, 5))), 0.05).has_value());
}

}  // namespace
}  // namespace barelattice
