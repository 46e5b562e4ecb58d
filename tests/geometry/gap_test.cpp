#include <gtest/gtest.h>

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

}  // namespace
}  // namespace barelattice
