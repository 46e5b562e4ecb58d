#include "barelattice/geometry/shape.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <numbers>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/geometry/face.hpp"

namespace barelattice {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

const ShapePtr kBox = makeBox({0, 0, 0}, {4, 2, 1});
const ShapePtr kRing =
    makeDifference(makeCylinder({0, 0, 0}, {0, 0, 3}, 2), {makeCylinder({0, 0, -1}, {0, 0, 4}, 1)});

Extrusion wedge() {
  return {{{0, 0}, {4, 0}, {0, 3}}, 0, 2, -1, 1};
}  // in x and z, along y

TEST(Shape, distancesOfPrimitivesAreExact) {
  EXPECT_NEAR(kBox->distance({5, 3, 0.5}), std::sqrt(2.0), 1e-14);
  EXPECT_NEAR(kBox->distance({2, 1, 0.8}), -0.2, 1e-14);
  const ShapePtr rod = makeCylinder({1, 1, 0}, {1, 1, 5}, 0.5);
  EXPECT_NEAR(rod->distance({4, 1, 2}), 2.5, 1e-14);
  EXPECT_NEAR(rod->distance({1.5, 1, 6}), 1.0, 1e-14);
  EXPECT_NEAR(rod->distance({1, 1, 2.5}), -0.5, 1e-14);
  const ShapePtr prism = makeExtrusion(wedge());
  EXPECT_NEAR(prism->distance({4, 0, 3}), 2.4, 1e-14);  // to the slanted side: 3-4-5 triangle
  EXPECT_NEAR(prism->distance({1, 3, 0.5}), 2.0, 1e-14);
}

TEST(Shape, slantSidesOfAnExtrusionFaceOutward) {
  for (const bool reversed : {false, true}) {
    Extrusion extrusion = wedge();
    if (reversed) std::reverse(extrusion.outline.begin(), extrusion.outline.end());
    const ShapePtr prism = makeExtrusion(extrusion);
    std::vector<Patch> patches;
    prism->appendPatches(patches);
    ASSERT_EQ(patches.size(), 5U);
    for (const Patch& patch : patches)
      for (const SurfacePoint& p : patch.sample(0.317)) {
        if (std::abs(prism->distance(p.position)) > 1e-12) continue;
        EXPECT_GT(prism->distance(p.position + 0.01 * p.normal), 0);
        EXPECT_LT(prism->distance(p.position - 0.01 * p.normal), 0);
      }
  }
}

TEST(Shape, combinationsNeverOverestimateTheDistance) {
  const ShapePtr all[] = {makeUnion({kBox, kRing}), makeIntersection({kBox, kRing}),
                          makeDifference(kBox, {kRing}), makeDifference(kRing, {kBox})};
  std::mt19937 random(7);
  std::uniform_real_distribution<double> coordinate(-3, 5);
  for (const ShapePtr& shape : all)
    for (int i = 0; i < 2000; ++i) {
      const Vec3 p(coordinate(random), coordinate(random), coordinate(random));
      const Vec3 q(coordinate(random), coordinate(random), coordinate(random));
      // A lower bound of the distance cannot change faster than the way one walks.
      EXPECT_LE(std::abs(shape->distance(p) - shape->distance(q)), (p - q).norm() + 1e-12)
          << "seed 7, trial " << i;
    }
}

TEST(Shape, refusesWhatIsNoBody) {
  EXPECT_THROW(makeBox({0, 0, 0}, {1, 0, 1}), InputError);
  EXPECT_THROW(makeCylinder({0, 0, 0}, {0, 0, 0}, 1), InputError);
  EXPECT_THROW(makeCylinder({0, 0, 0}, {0, 0, 1}, 0), InputError);
  EXPECT_THROW(makeExtrusion({{{0, 0}, {1, 0}}, 0, 1, 0, 1}), InputError);
  EXPECT_THROW(makeExtrusion({{{0, 0}, {1, 1}, {1, 0}, {0, 1}}, 0, 1, 0, 1}), InputError) << "a bow tie";
  EXPECT_THROW(makeExtrusion({{{0, 0}, {1, 0}, {0, 1}}, 0, 1, 1, 1}), InputError);
}

TEST(Face, isFoundByWhatItIsAndHasTheRightArea) {
  FaceSelector bore;
  bore.kind = Patch::Kind::cylinder;
  bore.hole = true;
  const Face face = selectFace(*kRing, bore, 0.05);
  EXPECT_NEAR(face.area(), 2 * pi * 1 * 3,
              0.02 * 2 * pi * 3);  // the hole is longer than the ring: only the ring counts
  EXPECT_NEAR((face.centroid() - Vec3(0, 0, 1.5)).norm(), 0, 0.02);
  for (const SurfacePoint& p : face.points)
    EXPECT_LT(p.normal.head<2>().dot(p.position.head<2>()), 0) << "normals point into the hole";

  FaceSelector top;
  top.direction = Vec3::UnitZ();
  EXPECT_NEAR(selectFace(*kRing, top, 0.02).area(), pi * (4 - 1), 0.01 * pi * 3);
}

TEST(Face, picksTheNearestOrSaysThatTheCountIsOff) {
  FaceSelector plane;
  EXPECT_THROW(selectFace(*kBox, plane, 0.1), InputError);
  plane.near = Vec3(4, 1, 0.5);
  EXPECT_NEAR(selectFace(*kBox, plane, 0.1).centroid().x(), 4, 1e-12);
  plane.near.reset();
  plane.count = 6;
  EXPECT_NEAR(selectFace(*kBox, plane, 0.1).area(), 2 * (8 + 4 + 2), 1e-9);
  FaceSelector cylinder;
  cylinder.kind = Patch::Kind::cylinder;
  try {
    selectFace(*kBox, cylinder, 0.1);
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("catches no surface"));
    EXPECT_THAT(error.cure(), HasSubstr("plane facing"));
  }
}

}  // namespace
}  // namespace barelattice
