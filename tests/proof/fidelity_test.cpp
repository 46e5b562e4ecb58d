#include "proof/fidelity.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "barelattice/meshes/tet_mesh.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

/// Surfaces of a shape: one fine enough to be the body, one as coarse as a mesh.
TriangleMesh surfaceOf(const ShapePtr& shape, double spacing) {
  return stuff([&](const Vec3& p) { return shape->distance(p); }, shape->bounds(), spacing).boundary();
}

TEST(EulerNumber, countsShellsAndHandles) {
  const ShapePtr box = makeBox({0, 0, 0}, {4, 4, 4});
  EXPECT_EQ(eulerNumber(surfaceOf(box, 0.3)), 2);
  EXPECT_EQ(eulerNumber(surfaceOf(makeTorus({0, 0, 0}, {0, 0, 1}, 3, 1), 0.3)), 0);
  EXPECT_EQ(eulerNumber(surfaceOf(makeDifference(box, {makeSphere({2, 2, 2}, 1)}), 0.3)), 4) << "a void";
  const ShapePtr holes = makeDifference(
      box, {makeCylinder({1, 1, -1}, {1, 1, 5}, 0.6), makeCylinder({3, 3, -1}, {3, 3, 5}, 0.6)});
  EXPECT_EQ(eulerNumber(surfaceOf(holes, 0.2)), -2);
}

TEST(MeshDoubts, thereAreNoneWhereTheMeshHoldsTheBody) {
  const ShapePtr plate =
      makeDifference(makeBox({0, 0, 0}, {12, 6, 3}),
                     {makeCylinder({4, 3, -1}, {4, 3, 4}, 1.5), makeBox({8, 1, -1}, {9, 7, 4})});
  const TriangleMesh body = surfaceOf(plate, 0.2);
  for (const double spacing : {0.3, 0.4, 0.55})
    EXPECT_THAT(meshDoubts(body, surfaceOf(plate, spacing), spacing), testing::IsEmpty()) << spacing;
}

TEST(MeshDoubts, nameAGapTheMeshBridgesAndAWallItLacks) {
  // A ring cut open by a slit: bridged, it is many times as stiff.
  for (const double width : {0.25, 0.5}) {
    const ShapePtr ring = makeDifference(
        makeCylinder({0, 0, 0}, {0, 0, 4}, 6),
        {makeCylinder({0, 0, -1}, {0, 0, 5}, 4), makeBox({3, -width / 2, -1}, {7, width / 2, 5})});
    const auto doubts = meshDoubts(surfaceOf(ring, 0.6 * width),
                                   surfaceOf(makeDifference(makeCylinder({0, 0, 0}, {0, 0, 4}, 6),
                                                            {makeCylinder({0, 0, -1}, {0, 0, 5}, 4)}),
                                             0.7),
                                   0.7);
    ASSERT_EQ(doubts.size(), 1U) << width;
    EXPECT_THAT(doubts[0], HasSubstr("the mesh of 700 mm ")) << "lengths are in metres here";
  }
  const ShapePtr walls = makeUnion(
      {makeBox({0, 0, 0}, {2, 6, 4}), makeBox({1, 2.9, 0}, {9, 3.1, 4}), makeBox({8, 0, 0}, {10, 6, 4})});
  const ShapePtr without = makeUnion({makeBox({0, 0, 0}, {2, 6, 4}), makeBox({8, 0, 0}, {10, 6, 4})});
  const auto doubts = meshDoubts(surfaceOf(walls, 0.12), surfaceOf(without, 0.8), 0.8);
  ASSERT_EQ(doubts.size(), 1U);
  EXPECT_THAT(doubts[0], HasSubstr("misses"));
}

// Half of it is hidden within a spacing of surface that is there: told by how it hangs together.
TEST(NarrowestLost, measuresTheGapThatIsBridgedNearEdges) {
  const ShapePtr whole = makeBox({0, 0, 0}, {4, 0.9, 1});
  for (const double width : {0.1, 0.2, 0.4}) {
    const ShapePtr cut = makeDifference(whole, {makeBox({2, -1, -1}, {2 + width, 4, 4})});
    const auto place = narrowestLost(surfaceOf(cut, 0.5 * width), surfaceOf(whole, 0.5), 0.5);
    ASSERT_TRUE(place) << width;
    EXPECT_TRUE(place->gap);
    EXPECT_NEAR(place->width, width, 1e-3 * width);
    EXPECT_NEAR(place->at.x(), 2 + width / 2, 1e-3);
    EXPECT_EQ(meshDoubts(surfaceOf(cut, 0.5 * width), surfaceOf(whole, 0.5), 0.5).size(), 1U) << width;
  }
  EXPECT_FALSE(narrowestLost(surfaceOf(whole, 0.1), surfaceOf(whole, 0.3), 0.3));
}

TEST(Overlap, isTheVolumeInCommonOrMissing) {
  const ShapePtr body = makeBox({0, 0, 0}, {6, 4, 2});
  const Implicit f = [&](const Vec3& p) { return body->distance(p); };
  const auto bore = makeCylinder({3, 2, -10}, {3, 2, 10}, 1);
  EXPECT_NEAR(overlap(*bore, f, body->bounds(), true).volume / (2 * M_PI), 1, 0.01);
  EXPECT_NEAR(overlap(*bore, f, body->bounds(), true).depth, 1, 0.05);
  EXPECT_NEAR(overlap(*bore, f, body->bounds(), false).volume / (18 * M_PI), 1, 0.02);
  EXPECT_EQ(overlap(*makeSphere({20, 0, 0}, 1), f, body->bounds(), true).volume, 0);
  EXPECT_NEAR(overlap(*makeSphere({20, 0, 0}, 1), f, body->bounds(), false).volume / (4.0 / 3 * M_PI), 1,
              0.01);
  EXPECT_EQ(overlap(*makeBox({1, 1, 0.5}, {2, 2, 1.5}), f, body->bounds(), false).volume, 0);
}

}  // namespace
}  // namespace barelattice
