#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "barelattice/geometry/surface_gap.hpp"
#include "barelattice/geometry/tet_mesh.hpp"

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

TEST(MeasuredDiameter, isThatOfTheBoreOrNothing) {
  const ShapePtr plate =
      makeDifference(makeBox({-2, -2, 0}, {2, 2, 0.5}), {makeCylinder({0.3, 0.2, -1}, {0.3, 0.2, 1}, 0.8)});
  const TriangleMesh surface = meshOf(plate, 0.1).boundary();
  std::vector<Patch> patches;
  plate->appendPatches(patches);
  const auto bore = std::find_if(patches.begin(), patches.end(),
                                 [](const Patch& p) { return p.kind == Patch::Kind::cylinder; });
  ASSERT_NE(bore, patches.end());
  const auto diameter = measuredDiameter(surface, *bore, 0.02);
  ASSERT_TRUE(diameter.has_value());
  EXPECT_NEAR(*diameter, 1.6, 2e-3);
  // A bore that is not there, of another radius and in another place.
  EXPECT_FALSE(measuredDiameter(surface, bore->moved(0.3).value(), 0.05).has_value());
  EXPECT_FALSE(
      measuredDiameter(surface, bore->transformed(Eigen::Isometry3d(Eigen::Translation3d(0, 0, 5))), 0.05)
          .has_value());
}

}  // namespace
}  // namespace barelattice
