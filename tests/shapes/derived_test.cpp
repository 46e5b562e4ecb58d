#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/shapes/derived_shapes.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;

/// Volume by counting points of a lattice.
double counted(const Shape& shape, int cells) {
  const Box box = shape.bounds();
  const Vec3 step = box.sizes() / cells;
  double inside = 0;
  for (int k = 0; k < cells; ++k)
    for (int j = 0; j < cells; ++j)
      for (int i = 0; i < cells; ++i)
        inside += shape.distance(box.min() + step.cwiseProduct(Vec3(i + 0.5, j + 0.5, k + 0.5))) < 0;
  return inside * step.prod();
}

TEST(ConvexHull, isClosedAndHoldsEveryPoint) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> unit(-1, 1);
  std::vector<Vec3> points;
  for (int i = 0; i < 500; ++i) points.emplace_back(unit(random), 2 * unit(random), unit(random) + 5);
  const TriangleMesh hull = convexHull(points);
  EXPECT_EQ(inspectMesh(hull).text(), "sound");
  for (std::size_t t = 0; t < hull.triangles.size(); ++t) {
    const Vec3 normal =
        (hull.corner(t, 1) - hull.corner(t, 0)).cross(hull.corner(t, 2) - hull.corner(t, 0)).normalized();
    for (const Vec3& p : points) EXPECT_LT(normal.dot(p - hull.corner(t, 0)), 1e-9);
  }
}

TEST(ConvexHull, refusesPointsThatSpanNoBody) {
  EXPECT_THROW(convexHull({}), InputError);
  EXPECT_THROW(convexHull({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}), InputError);
  EXPECT_THROW(convexHull({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {1, 1, 0}, {2, 3, 0}}), InputError);
}

TEST(Hull, ofAnAngleIsAWedge) {
  const ShapePtr angle = makeUnion({makeBox({0, 0, 0}, {4, 1, 1}), makeBox({0, 0, 0}, {1, 4, 1})});
  const ShapePtr hull = makeHull(angle);
  // The square of 4 without the triangle beyond the line from (4, 1) to (1, 4).
  EXPECT_NEAR(counted(*hull, 121), 16 - 4.5, 0.03);
  EXPECT_NEAR(hull->distance({2.5, 2.5, 0.5}), 0, 1e-9);
}

TEST(Hull, ofARoundBarIsTheBar) {
  const ShapePtr hull = makeHull(makeCylinder({0, 0, 0}, {0, 0, 3}, 1));
  EXPECT_NEAR(hull->distance({1, 0, 1.5}), 0, 1e-3);
  EXPECT_NEAR(hull->distance({0, 0, 3}), 0, 1e-9);
}

ShapePtr drilled() {
  return makeDifference(makeBox({0, 0, 0}, {10, 6, 2}),
                        {makeCylinder({2, 3, -1}, {2, 3, 3}, 0.5), makeCylinder({5, 3, -1}, {5, 3, 3}, 1.5),
                         makeCylinder({8, 3, 1}, {8, 3, 3}, 0.5), makeSphere({8, 3, 1}, 0.5)});
}

TEST(Filled, closesHolesUpToASize) {
  const ShapePtr part = makeFilled(drilled(), 1.0);
  EXPECT_LT(part->distance({2, 3, 1}), 0);
  EXPECT_GT(part->distance({5, 3, 1}), 0) << "a hole of 3 stays";
  EXPECT_LT(part->distance({8, 3, 1.5}), 0) << "a blind hole";
  EXPECT_LT(part->distance({8, 3, 0.6}), 0) << "its round bottom";
  EXPECT_GT(part->distance({2, 3, 2.05}), 0) << "the plug ends with the plate";
  EXPECT_NEAR(counted(*part, 100), 120 - kPi * 1.5 * 1.5 * 2, 0.5);
}

TEST(Filled, closesTheChosenHolesOnly) {
  const ShapePtr part = makeFilled(drilled(), 5, {{5, 3, 1}});
  EXPECT_GT(part->distance({2, 3, 1}), 0);
  EXPECT_LT(part->distance({5, 3, 1}), 0);
}

TEST(Filled, leavesTheEndsOfASlotAlone) {
  OutlineLoop slot{{{1, 1}, {}}, {{3, 1}, {}}, {{3, 2}, Eigen::Vector2d(3.5, 1.5)}, {{1, 2}, {}}};
  slot[0].through = Eigen::Vector2d(0.5, 1.5);
  Extrusion cut;
  cut.outline = slot;
  cut.from = -1;
  cut.to = 2;
  const ShapePtr part = makeDifference(makeBox({0, 0, 0}, {4, 3, 1}), {makeExtrusion(cut)});
  EXPECT_THROW(makeFilled(part, 2), InputError);
}

TEST(Filled, closesACountersunkHole) {
  const ShapePtr part =
      makeDifference(makeBox({0, 0, 0}, {10, 6, 2}),
                     {makeCylinder({5, 3, -1}, {5, 3, 3}, 0.5), makeCone({5, 3, 1}, {5, 3, 2}, 0.5, 1.5)});
  EXPECT_GT(part->distance({6, 3, 1.9}), 0);
  const ShapePtr filled = makeFilled(part, 4);
  EXPECT_LT(filled->distance({6, 3, 1.9}), 0);
  EXPECT_LT(filled->distance({5, 3, 0.5}), 0);
  EXPECT_NEAR(counted(*filled, 100), 120, 0.3);
}

/// A block of 40 x 30 x 20 with a slot 4 wide, a blind pocket 6 x 8 x 5 and a round hole of 10.
ShapePtr pocketed() {
  return makeDifference(makeBox({0, 0, 0}, {40, 30, 20}),
                        {makeBox({8, 5, -1}, {12, 25, 21}), makeBox({20, 4, 15}, {26, 12, 21}),
                         makeCylinder({30, 20, -1}, {30, 20, 21}, 5)});
}

TEST(FilledPockets, closesWhatNoCubeOfTheSizeFitsInto) {
  const double whole = 40 * 30 * 20;
  const double hole = kPi * 25 * 20;
  const ShapePtr slot = makeFilledPockets(pocketed(), 5);
  EXPECT_NEAR(counted(*slot, 120), whole - 6 * 8 * 5 - hole, 30) << "the slot alone";
  const ShapePtr both = makeFilledPockets(pocketed(), 6.5);
  // Into a round hole the cube reaches not everywhere, but the crescents it leaves are no pockets.
  EXPECT_GT(both->distance({30, 20, 10}), 0) << "the hole is wider";
  EXPECT_LT(both->distance({23, 8, 17}), 0);
  const ShapePtr all = makeFilledPockets(pocketed(), 11);
  EXPECT_NEAR(counted(*all, 120), whole, 30);
}

TEST(FilledPockets, endFlushWithTheFaces) {
  const ShapePtr filled = makeFilledPockets(pocketed(), 11);
  for (const Vec3& p : {Vec3(10, 15, 20), Vec3(23, 8, 20), Vec3(30, 20, 0), Vec3(31, 21, 20)}) {
    const double up = p.z() > 10 ? 1 : -1;
    EXPECT_GT(filled->distance(p + 0.01 * up * Vec3::UnitZ()), 0);
    EXPECT_LT(filled->distance(p - 0.01 * up * Vec3::UnitZ()), 0);
  }
  // Distances stay lower bounds, or the voxels skip what is there.
  EXPECT_LE(filled->distance({10, 15, 27}), 7.0);
  EXPECT_GT(filled->distance({10, 15, 27}), 3.0);
}

TEST(FilledPockets, leavesConvexBodiesAndOtherPocketsAlone) {
  EXPECT_THROW(makeFilledPockets(makeCylinder({0, 0, 0}, {3, 4, 5}, 2), 1), InputError);
  EXPECT_THROW(makeFilledPockets(pocketed(), 0.05), InputError) << "too small to be found";
  EXPECT_THROW(makeFilledPockets(pocketed(), 0), InputError);
  const ShapePtr one = makeFilledPockets(pocketed(), 11, {{22, 6, 18}});
  EXPECT_LT(one->distance({23, 8, 17}), 0);
  EXPECT_GT(one->distance({10, 15, 10}), 0);
  EXPECT_GT(one->distance({30, 20, 10}), 0);
}

TEST(Swept, alongALineIsTheStretchedBody) {
  const ShapePtr swept = makeSwept(makeSphere({0, 0, 0}, 1), {{4, 0, 0}});
  const ShapePtr exact =
      makeUnion({makeCylinder({0, 0, 0}, {4, 0, 0}, 1), makeSphere({0, 0, 0}, 1), makeSphere({4, 0, 0}, 1)});
  std::mt19937 random(3);
  std::uniform_real_distribution<double> unit(-1, 1);
  for (int i = 0; i < 400; ++i) {
    const Vec3 p(2 + 4 * unit(random), 2 * unit(random), 2 * unit(random));
    const double true_ = exact->distance(p);
    const double got = swept->distance(p);
    if (true_ > 0) {
      EXPECT_LE(got, true_ + 1e-9) << "a lower bound";
      EXPECT_GE(got, 0.8 * true_ - 1e-3);
    } else if (true_ < -0.01) {
      EXPECT_LT(got, 0);
    }
  }
  EXPECT_NEAR(counted(*swept, 80), 4 * kPi + 4 * kPi / 3, 0.05);
}

TEST(Swept, followsEveryLegOfThePath) {
  const ShapePtr swept = makeSwept(makeBox({0, 0, 0}, {1, 1, 1}), {{3, 0, 0}, {3, 3, 0}});
  EXPECT_NEAR(counted(*swept, 80), 7, 0.1);
  EXPECT_THROW(makeSwept(makeBox({0, 0, 0}, {1, 1, 1}), {{0, 0, 0}}), InputError);
}

TEST(Swept, ofABodyThatIsNotConvexKeepsItsHollows) {
  // A U along its own legs: the channel between them stays open, that across them closes.
  const ShapePtr u = makeDifference(makeBox({0, 0, 0}, {3, 1, 3}), {makeBox({1, -1, 1}, {2, 2, 4})});
  const ShapePtr along = makeSwept(u, {{0, 4, 0}});
  EXPECT_NEAR(counted(*along, 60), 5 * 7, 0.4);
  EXPECT_GT(along->distance({1.5, 3, 2}), 0);
  EXPECT_LE(along->distance({1.5, 3, 2}), 0.5 + 1e-9);
  const ShapePtr across = makeSwept(u, {{1, 0, 0}});
  EXPECT_LT(across->distance({1.5, 0.5, 2}), 0);
  EXPECT_NEAR(counted(*across, 60), 4 * 3, 0.2);
}

TEST(Turned, aSphereGoesRoundToATorus) {
  const ShapePtr ring = makeTurned(makeSphere({3, 0, 0}, 1), {0, 0, 0}, Vec3::UnitZ(), 2 * kPi);
  EXPECT_NEAR(counted(*ring, 60), 2 * kPi * 3 * kPi, 0.3);
  const ShapePtr quarter = makeTurned(makeSphere({3, 0, 0}, 1), {0, 0, 0}, Vec3::UnitZ(), kPi / 2);
  EXPECT_LT(quarter->distance({0, 3, 0}), 0);
  EXPECT_GT(quarter->distance({-2, 2, 0}), 0);
  EXPECT_GT(quarter->distance({2, -2, 0}), 0);
  EXPECT_THROW(makeTurned(makeSphere({3, 0, 0}, 1), {0, 0, 0}, Vec3::UnitZ(), 7), InputError);
}

}  // namespace
}  // namespace barelattice
