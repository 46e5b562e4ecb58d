// What is measured of the making, on bodies with known answers and on bodies made wrong on purpose.
#include "barelattice/proof/making_check.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/shapes/derived_shapes.hpp"
#include "barelattice/shapes/dual_contour.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;
constexpr double kDegree = kPi / 180;
constexpr double kMm = 1e-3;

ShapePtr box(const Vec3& low, const Vec3& high) {
  return makeBox(kMm * low, kMm * high);
}
ShapePtr rod(const Vec3& from, const Vec3& to, double radius) {
  return makeCylinder(kMm * from, kMm * to, kMm * radius);
}

/// A body measured by some rules in a space with room all round it, to half a millimetre.
std::vector<MakingFinding> measured(const ShapePtr& body, const std::vector<MakingRule>& rules,
                                    double tolerance = 0.25, const Regions& more = {}) {
  Regions regions = more;
  regions.space = box({-200, -200, -200}, {200, 200, 200});
  const double fine = kMm * 0.5;
  return measureMaking(dualContour(*body, fine), rules, regions, {fine, kMm * tolerance});
}

MakingFinding one(const ShapePtr& body, const MakingRule& rule, MakingMeasure measure) {
  for (const MakingFinding& found : measured(body, {rule}))
    if (found.measure == measure) return found;
  ADD_FAILURE() << "not measured";
  return {};
}

double wallOf(const ShapePtr& body, double member) {
  return one(body, Walls{kMm * member}, MakingMeasure::thinnestWall).value.value_or(0) / kMm;
}
double gapOf(const ShapePtr& body, double member) {
  return one(body, Walls{kMm * member}, MakingMeasure::narrowestGap).value.value_or(0) / kMm;
}

TEST(MakingCheck, tellsThicknessesThatAreKnown) {
  EXPECT_NEAR(wallOf(makeSphere(Vec3::Zero(), 10 * kMm), 12), 20, 0.4);
  EXPECT_NEAR(wallOf(box({0, 0, 0}, {30, 20, 3}), 5), 3, 0.01);
  EXPECT_NEAR(wallOf(box({0, 0, 0}, {40, 4, 9}), 5), 4, 0.01);
  EXPECT_NEAR(wallOf(rod({0, 0, 0}, {30, 0, 0}, 3), 5), 6, 0.15);
  const ShapePtr tube = makeDifference(rod({0, 0, 0}, {0, 0, 30}, 12), {rod({0, 0, -1}, {0, 0, 31}, 9.5)});
  EXPECT_NEAR(wallOf(tube, 4), 2.5, 0.1);
  const ShapePtr torus = makeTorus(Vec3::Zero(), Vec3::UnitZ(), 15 * kMm, 2 * kMm);
  EXPECT_NEAR(wallOf(torus, 3), 4, 0.15);
  // Nothing is thin up to what is looked for.
  EXPECT_EQ(wallOf(box({0, 0, 0}, {30, 30, 30}), 5), 0);
}

TEST(MakingCheck, findsTheWaistButNotTheTip) {
  // A bar of 10 mm with a waist of 4 mm: two cones that meet in a rod.
  const ShapePtr waist = makeUnion({makeCone(kMm * Vec3(0, 0, 0), kMm * Vec3(10, 0, 0), 5 * kMm, 2 * kMm),
                                    rod({9, 0, 0}, {12, 0, 0}, 2),
                                    makeCone(kMm * Vec3(11, 0, 0), kMm * Vec3(21, 0, 0), 2 * kMm, 5 * kMm)});
  const MakingFinding found = one(waist, Walls{6 * kMm}, MakingMeasure::thinnestWall);
  EXPECT_NEAR(*found.value, 4 * kMm, 0.2 * kMm);
  EXPECT_NEAR(found.at.x(), 10.5 * kMm, 2 * kMm);
  // A wedge of 20 degrees ends in an edge: no wall there. With its edge cut off at 1 mm it is one of 1 mm.
  const auto wedgeWall = [](double cut) {
    const double slope = std::tan(20 * kDegree);
    std::vector<Vec3> corners;
    for (const double y : {-10.0, 10.0})
      for (const double x : {cut / slope, 40.0})
        for (const double z : {0.0, x * slope}) corners.push_back(kMm * Vec3(x, y, z));
    Regions regions;
    regions.space = box({-200, -200, -200}, {200, 200, 200});
    return measureMaking(convexHull(corners), {Walls{4 * kMm}}, regions, {kMm * 0.5, kMm * 0.25})
        .front()
        .value;
  };
  EXPECT_FALSE(wedgeWall(0).has_value());
  EXPECT_NEAR(wedgeWall(1).value_or(0), 1 * kMm, 0.2 * kMm);
}

TEST(MakingCheck, tellsGapsThatAreKnown) {
  const ShapePtr slotted = makeDifference(box({0, 0, 0}, {30, 20, 20}), {box({14, -1, 5}, {16.2, 21, 21})});
  EXPECT_NEAR(gapOf(slotted, 4), 2.2, 0.02);
  EXPECT_EQ(gapOf(box({0, 0, 0}, {30, 20, 20}), 4), 0);
  const ShapePtr bored = makeDifference(box({0, 0, 0}, {30, 20, 20}), {rod({15, -1, 10}, {15, 21, 10}, 3)});
  EXPECT_NEAR(gapOf(bored, 5), 6, 0.15);
}

TEST(MakingCheck, tellsWhatAMouldCannotLeave) {
  const Casting up{Vec3::UnitZ()};
  const Casting both{Vec3::UnitZ(), Casting::Parting::free};
  const auto out = [](const ShapePtr& body, const MakingRule& rule) {
    return *one(body, rule, MakingMeasure::unreachable).value / (kMm * kMm);
  };
  const ShapePtr block = box({0, 0, 0}, {30, 20, 20});
  EXPECT_EQ(out(block, up), 0);
  EXPECT_EQ(out(block, both), 0);
  // A bore across the draw: of its wall nothing is seen from one side, and from both neither.
  const ShapePtr across = makeDifference(block, {rod({15, -1, 10}, {15, 21, 10}, 4)});
  EXPECT_NEAR(out(across, both), 2 * kPi * 4 * 20, 25);
  EXPECT_NEAR(out(across, up), 2 * kPi * 4 * 20, 25);
  // A cup that opens upwards, and one that opens downwards.
  const ShapePtr cup = makeDifference(block, {box({5, 5, 8}, {25, 15, 21})});
  EXPECT_EQ(out(cup, up), 0);
  EXPECT_EQ(out(cup, both), 0);
  const ShapePtr turned = makeDifference(block, {box({5, 5, -1}, {25, 15, 12})});
  EXPECT_EQ(out(turned, both), 0);
  EXPECT_NEAR(out(turned, up), 20 * 10 + 2 * (20 + 10) * 12, 30);
  // With a flat parting at half the height a boss above the plane has to stand on it.
  const Casting parted{Vec3::UnitZ(), Casting::Parting::plane, 10 * kMm};
  const ShapePtr eaves = makeUnion({box({0, 0, 0}, {30, 20, 14}), box({0, 0, 14}, {40, 20, 20})});
  EXPECT_EQ(out(eaves, both), 0);
  EXPECT_NEAR(out(eaves, parted), 10 * 20 + 4 * 20, 16);  // and the wall below, above the plane
  EXPECT_NEAR(one(eaves, parted, MakingMeasure::unreachable).at.x(), 35 * kMm, 6 * kMm);
}

// Of a wall that leans by too little what lies deep enough below its rim for the tolerance to show is told.
TEST(MakingCheck, tellsTheDraftOfACone) {
  const double asked = 4;
  for (const double degrees : {0.2, 1.0, 3.0, 3.9, 4.1, 8.0}) {
    const double top = 15 - 30 * std::tan(degrees * kDegree);
    const ShapePtr cone = makeCone(Vec3::Zero(), Vec3(0, 0, 30 * kMm), 15 * kMm, top * kMm);
    const Casting cast{Vec3::UnitZ(), Casting::Parting::back, 0, asked * kDegree};
    const MakingFinding found = one(cone, cast, MakingMeasure::withoutDraft);
    // The ray begins 0.25 mm off and comes nearer by the difference of the slopes.
    const double shows =
        degrees < asked ? 0.25 / (std::tan(asked * kDegree) - std::tan(degrees * kDegree)) : 30;
    const double deep = std::max(0.0, 30 - shows);
    const double area = kPi * (15 + 15 - deep * std::tan(degrees * kDegree)) * deep;
    EXPECT_NEAR(*found.value / (kMm * kMm), area, 0.25 * area + 5) << degrees;
    EXPECT_EQ(found.holds, degrees > 3.5);
  }
}

TEST(MakingCheck, tellsWhatToolsDoNotReach) {
  const ShapePtr block = box({0, 0, 0}, {30, 20, 20});
  const ShapePtr pocket = makeDifference(block, {box({5, -1, 5}, {25, 10, 15})});  // opens to -y
  const auto out = [&](const std::vector<Vec3>& sides) {
    return *one(pocket, Milling{sides}, MakingMeasure::unreachable).value / (kMm * kMm);
  };
  const Vec3 oblique = Vec3(0, -1, 0.5).normalized();
  EXPECT_EQ(out({Vec3::UnitZ(), -Vec3::UnitZ(), -Vec3::UnitY(), Vec3::UnitY()}), 0);
  EXPECT_GT(out({Vec3::UnitZ(), -Vec3::UnitZ()}), 20 * 10 + 2 * 20 * 11);
  // Obliquely from above it sees the floor to its depth less what the roof shades, and the back below that.
  EXPECT_GT(out({Vec3::UnitZ(), -Vec3::UnitZ(), Vec3::UnitY(), oblique}), 20 * 11 - 30);
}

// In the corners of a pocket a tool of radius r leaves (2 - pi / 2) r of wall a corner, for the tolerance
// less; one that is too wide, or held too short, leaves more.
TEST(MakingCheck, tellsWhatAToolHasNoRoomFor) {
  const ShapePtr block = box({0, 0, 0}, {60, 50, 30});
  const auto left = [](const ShapePtr& body, const Tool& tool, double tolerance) {
    const MakingRule rule = Milling{{Vec3::UnitZ(), -Vec3::UnitZ()}, tool};
    return *measured(body, {rule}, tolerance).front().value / (kMm * kMm);
  };
  const auto tool = [](double diameter, double corner = 0, double taper = 0, double reach = 0,
                       double holder = 0) {
    return Tool{kMm * diameter, kMm * corner, taper * kDegree, kMm * reach, kMm * holder};
  };
  const ShapePtr square = makeDifference(block, {box({10, 10, 10}, {50, 40, 31})});
  const double fine = 0.25;
  EXPECT_EQ(left(square, {}, fine), 0);
  for (const double radius : {4.0, 8.0}) {
    // A wall shows where the arc is more than two tolerances off: (r - x)^2 + (r - 2 t)^2 > r^2.
    const double off = 2 * fine;
    const double shows = radius - std::sqrt(radius * radius - std::pow(radius - off, 2));
    EXPECT_NEAR(left(square, tool(2 * radius), fine), 8 * shows * 20, 0.3 * 8 * shows * 20) << radius;
  }
  // Rounded with a radius of 5 it is for a tool of 10 and not of 14.
  const ShapePtr rounded =
      makeDifference(block, {box({15, 10, 10}, {45, 40, 31}), box({10, 15, 10}, {50, 35, 31}),
                             rod({15, 15, 10}, {15, 15, 31}, 5), rod({45, 15, 10}, {45, 15, 31}, 5),
                             rod({15, 35, 10}, {15, 35, 31}, 5), rod({45, 35, 10}, {45, 35, 31}, 5)});
  EXPECT_LT(left(rounded, tool(9.9), fine), 3);
  EXPECT_GT(left(rounded, tool(14), fine), 50);
  // A slot of 8 mm: none of it by a tool of 9.
  const ShapePtr slot = makeDifference(block, {box({-1, 21, 10}, {61, 29, 31})});
  EXPECT_LT(left(slot, tool(7.5), fine), 1);
  EXPECT_NEAR(left(slot, tool(9), fine), 60 * (8 + 2 * 20), 250);  // at its ends the tool gets in a little
  // The lower part of a deep hole is beyond a reach of 12 where the holder is too wide to follow.
  const ShapePtr hole = makeDifference(box({0, 0, 0}, {60, 50, 22}), {rod({30, 25, 2}, {30, 25, 23}, 8)});
  EXPECT_LT(left(hole, tool(15, 0, 0, 12, 15), fine), 1);
  EXPECT_NEAR(left(hole, tool(8, 0, 0, 12, 30), fine), kPi * 64 + 2 * kPi * 8 * 8, 40);
  // A round edge leaves a corner by the floor; a tool with taper all of an upright wall but its rim.
  EXPECT_GT(left(square, tool(6, 3), fine), 8 * 20 * 0.5 + 100);
  EXPECT_GT(left(square, tool(6, 0, 5), fine), 0.6 * 140 * 20);
}

TEST(MakingCheck, tellsWhatHangs) {
  const Printing print{Vec3::UnitZ(), 45 * kDegree};
  for (const double lean : {30.0, 60.0}) {
    const double height = 10;
    const double wide = 5 + height * std::tan(lean * kDegree);
    const ShapePtr funnel = makeCone(Vec3::Zero(), Vec3(0, 0, height * kMm), 5 * kMm, wide * kMm);
    const MakingFinding found = one(funnel, print, MakingMeasure::unsupported);
    const double area = kPi * (5 + wide) * height / std::cos(lean * kDegree);
    if (lean < 45)
      EXPECT_LT(*found.value, 0.01 * area * kMm * kMm);
    else
      EXPECT_NEAR(*found.value / (kMm * kMm), area,
                  0.1 * area);  // its lowest half millimetre lies on the plate
    EXPECT_EQ(found.holds, lean < 45);
  }
  const ShapePtr table = makeUnion({box({0, 0, 0}, {6, 6, 20}), box({0, 0, 20}, {30, 6, 24})});
  const MakingFinding found = one(table, print, MakingMeasure::unsupported);
  EXPECT_NEAR(*found.value / (kMm * kMm), 24 * 6, 4);
  EXPECT_NEAR(found.at.z(), 20 * kMm, 0.1 * kMm);
  EXPECT_EQ(*one(table, Printing{-Vec3::UnitZ(), 45 * kDegree}, MakingMeasure::unsupported).value, 0);
}

// A strip four tolerances wide is bridged, a wider one is not.
// Under eaves the room down to the plate, under a bridge that down to the part.
TEST(MakingCheck, tellsTheRoomForSupports) {
  const auto room = [](const ShapePtr& body) {
    return *one(body, Printing{Vec3::UnitZ()}, MakingMeasure::supports).value / std::pow(kMm, 3);
  };
  const ShapePtr foot = box({0, 0, 0}, {20, 20, 30});
  EXPECT_EQ(room(foot), 0);
  EXPECT_NEAR(room(makeUnion({foot, box({0, 0, 22}, {36, 20, 30})})), 16 * 20 * 22, 0.06 * 7040);
  const ShapePtr arch = makeDifference(box({0, 0, 0}, {40, 20, 30}), {box({10, -1, 6}, {30, 21, 24})});
  EXPECT_NEAR(room(arch), 20 * 20 * 18, 0.06 * 7200);
  EXPECT_NEAR(*one(makeUnion({foot, box({0, 0, 22}, {36, 20, 30})}), Printing{-Vec3::UnitZ()},
                   MakingMeasure::supports)
                   .value,
              0, 1e-12);
}

TEST(MakingCheck, letsNarrowStripsBeBridged) {
  const Printing print{Vec3::UnitZ(), 45 * kDegree};
  const auto hanging = [&](double width) {
    const ShapePtr ledge = makeUnion({box({0, 0, 0}, {20, 20, 20}), box({20, 0, 10}, {20 + width, 20, 20})});
    return *one(ledge, print, MakingMeasure::unsupported).value / (kMm * kMm);
  };
  EXPECT_EQ(hanging(0.8), 0);
  EXPECT_NEAR(hanging(3), 3 * 20, 3);
}

TEST(MakingCheck, findsEnclosedVoids) {
  const Printing print{Vec3::UnitZ()};
  const ShapePtr block = box({0, 0, 0}, {30, 20, 20});
  const ShapePtr hollow = makeDifference(block, {makeSphere(kMm * Vec3(10, 10, 10), 5 * kMm)});
  const MakingFinding found = one(hollow, print, MakingMeasure::enclosedVoid);
  EXPECT_NEAR(*found.value / std::pow(kMm, 3), 4 * kPi / 3 * 125, 12);
  EXPECT_LT((found.at - kMm * Vec3(10, 10, 10)).norm(), 0.1 * kMm);
  EXPECT_FALSE(found.holds);
  const ShapePtr open = makeDifference(hollow, {rod({10, 10, 10}, {10, 10, 30}, 1)});
  EXPECT_TRUE(one(open, print, MakingMeasure::enclosedVoid).holds);
}

// A ball leaves by a hole it passes through, whatever the way; by a narrower one it does not.
TEST(MakingCheck, tellsWhatABallCannotLeave) {
  const ShapePtr ball = makeSphere(kMm * Vec3(15, 15, 15), 8 * kMm);
  const auto trapped = [&](const std::vector<ShapePtr>& holes, double opening) {
    std::vector<ShapePtr> cut{ball};
    cut.insert(cut.end(), holes.begin(), holes.end());
    return *one(makeDifference(box({0, 0, 0}, {30, 30, 30}), cut), OpenVoids{opening * kMm},
                MakingMeasure::enclosedVoid)
                .value /
           std::pow(kMm, 3);
  };
  const double room = 4 * kPi / 3 * 512;
  EXPECT_NEAR(trapped({}, 4), room, 0.1 * room);
  EXPECT_NEAR(trapped({}, 0), room, 0.02 * room);
  EXPECT_NEAR(trapped({}, 20), room, 0.02 * room);  // larger than the void, which is closed all the same
  const ShapePtr hole = rod({15, 15, 15}, {15, 15, 31}, 2);
  EXPECT_EQ(trapped({hole}, 0), 0);
  EXPECT_EQ(trapped({hole}, 3), 0);
  EXPECT_NEAR(trapped({hole}, 5.5), room, 0.15 * room);
  // Round a corner.
  const ShapePtr knee = makeUnion({rod({15, 15, 15}, {15, 15, 28}, 2), rod({13, 15, 26}, {31, 15, 26}, 2)});
  EXPECT_EQ(trapped({knee}, 3), 0);
  EXPECT_NEAR(trapped({knee}, 5.5), room, 0.2 * room);
}

TEST(MakingCheck, findsWhatIsNotRepeated) {
  const ShapePtr disc = rod({0, 0, 0}, {0, 0, 6}, 30);
  std::vector<ShapePtr> holes;
  for (int k = 0; k < 6; ++k) {
    const Vec3 at(20 * std::cos(k * kPi / 3), 20 * std::sin(k * kPi / 3), 0);
    holes.push_back(rod(at - Vec3(0, 0, 1), at + Vec3(0, 0, 7), 5));
  }
  const RepeatRound six{Vec3::UnitZ(), Vec3::Zero(), 6};
  const RepeatRound five{Vec3::UnitZ(), Vec3::Zero(), 5};
  const MirrorPlane mirror{Vec3(std::sin(kPi / 6), -std::cos(kPi / 6), 0), 0};
  const auto apart = [](const ShapePtr& body, const MakingRule& rule) {
    return *one(body, rule, MakingMeasure::asymmetry).value / kMm;
  };
  const ShapePtr wheel = makeDifference(disc, holes);
  EXPECT_LT(apart(wheel, six), 0.1);
  EXPECT_LT(apart(wheel, mirror), 0.1);
  EXPECT_GT(apart(wheel, five), 2);
  holes.pop_back();
  EXPECT_NEAR(apart(makeDifference(disc, holes), six), 5,
              0.4);  // to the next bore
  const ShapePtr rail = makeUnion({box({0, 0, 0}, {60, 6, 4}), box({5, 0, 4}, {9, 6, 8}),
                                   box({25, 0, 4}, {29, 6, 8}), box({46, 0, 4}, {50, 6, 8})});
  // The steps lie 20 and 21 mm apart: the third tooth is off by one.
  const MakingFinding found =
      one(rail, RepeatAlong{Vec3::UnitX(), 0, 20 * kMm, false}, MakingMeasure::asymmetry);
  EXPECT_FALSE(found.holds);
}

// Turned in space, a thousand times as large or as small, a body has the same faults: lengths grow with it,
// areas with the square.
TEST(MakingCheck, doesNotCareForPlaceDirectionAndSize) {
  const ShapePtr block = box({0, 0, 0}, {30, 20, 20});
  const ShapePtr body = makeDifference(makeUnion({block, box({30, 0, 17}, {42, 20, 20})}),
                                       {box({8, -1, 6}, {20, 12, 12}), box({24, -1, -1}, {26, 21, 8}),
                                        makeSphere(kMm * Vec3(14, 16, 16), 2 * kMm)});
  const Vec3 z = Vec3::UnitZ();
  const auto findingsOf = [&](double scale, const Eigen::Isometry3d& motion) {
    const auto turned = [&](const Vec3& direction) { return Vec3(motion.linear() * direction); };
    const Vec3 across = turned(Vec3::UnitY());
    const std::vector<MakingRule> rules{
        Walls{scale * 4.5 * kMm}, Casting{turned(z), Casting::Parting::free, 0, 3 * kDegree},
        Milling{{turned(z), turned(-z), turned(Vec3::UnitX())}}, Printing{turned(z)},
        MirrorPlane{across, across.dot(scale * (motion * (kMm * Vec3(0, 10, 0))))}};
    TriangleMesh mesh = dualContour(*body, 0.5 * kMm);
    for (Vec3& vertex : mesh.vertices) vertex = scale * (motion * vertex);
    Regions regions;
    regions.space = makeBox(scale * Vec3(-1, -1, -1), scale * Vec3(1, 1, 1));
    return measureMaking(mesh, rules, regions, {scale * 0.5 * kMm, scale * 0.25 * kMm});
  };
  const std::vector<MakingFinding> plain = findingsOf(1, Eigen::Isometry3d::Identity());
  Eigen::Isometry3d turn(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()));
  turn.pretranslate(Vec3(0.3, -0.2, 0.1));
  for (const double scale : {1.0, 1e-3, 1e3}) {
    const std::vector<MakingFinding> there =
        findingsOf(scale, scale == 1 ? turn : Eigen::Isometry3d::Identity());
    ASSERT_EQ(there.size(), plain.size());
    for (std::size_t f = 0; f < plain.size(); ++f) {
      SCOPED_TRACE(describe(plain[f].measure) + " at " + std::to_string(scale));
      EXPECT_EQ(there[f].holds, plain[f].holds);
      EXPECT_NEAR(there[f].share, plain[f].share, 0.004);
      ASSERT_EQ(there[f].value.has_value(), plain[f].value.has_value());
      const bool volume =
          plain[f].measure == MakingMeasure::enclosedVoid || plain[f].measure == MakingMeasure::supports;
      const bool length = plain[f].measure == MakingMeasure::thinnestWall ||
                          plain[f].measure == MakingMeasure::narrowestGap ||
                          plain[f].measure == MakingMeasure::asymmetry;
      const double unit = length ? scale : volume ? scale * scale * scale : scale * scale;
      EXPECT_NEAR(*there[f].value / unit, *plain[f].value, 0.03 * *plain[f].value);
    }
  }
}

// Where nothing has an image, or nothing is there to design, nothing is told and nothing called met.
TEST(MakingCheck, tellsNothingWhereThereIsNothingToLookAt) {
  Regions regions;
  regions.space = box({0, 0, 0}, {30, 20, 20});
  const TriangleMesh body = dualContour(*box({2, 2, 2}, {28, 18, 18}), 0.5 * kMm);
  const MirrorPlane beyond{Vec3::UnitX(), 40 * kMm};
  for (const MakingRule& rule : std::vector<MakingRule>{beyond, LocalShare{200 * kMm, 0.5}}) {
    const MakingFinding found = measureMaking(body, {rule}, regions, {0.5 * kMm, 0.25 * kMm}).front();
    EXPECT_FALSE(found.value.has_value()) << describe(found.measure);
    EXPECT_FALSE(found.bound.has_value()) << describe(found.measure);
  }
  // A section is looked at however short it is beside the rest of the part.
  const MakingFinding section =
      measureMaking(body, {ConstantSection{Vec3::UnitZ()}}, regions, {0.5 * kMm, 0.25 * kMm}).front();
  ASSERT_TRUE(section.value.has_value());
  EXPECT_TRUE(section.holds);
  regions.space = box({-10, -10, -10}, {100, 100, 20});
  const TriangleMesh stepped =
      dualContour(*makeUnion({box({0, 0, 0}, {80, 10, 9}), box({60, 0, 0}, {80, 20, 4})}), 0.5 * kMm);
  const MakingFinding step =
      measureMaking(stepped, {ConstantSection{Vec3::UnitZ()}}, regions, {0.5 * kMm, 0.25 * kMm}).front();
  ASSERT_TRUE(step.value.has_value());
  EXPECT_FALSE(step.holds);
}

// What is full within the distance of a place, on a block with a hole whose shares can be counted.
TEST(MakingCheck, tellsTheFullestPlace) {
  Regions regions;
  regions.space = box({0, 0, 0}, {60, 60, 60});
  const auto fullest = [&](const ShapePtr& body) {
    return *measureMaking(dualContour(*body, 1 * kMm), {LocalShare{12 * kMm, 0.5}}, regions,
                          {1 * kMm, 0.5 * kMm})
                .front()
                .value;
  };
  EXPECT_NEAR(fullest(box({0, 0, 0}, {60, 60, 60})), 1, 1e-9);
  EXPECT_NEAR(fullest(box({24, 0, 0}, {36, 60, 60})), 12.0 / 26, 0.03);  // reaching 12 and half a cell of 2
  EXPECT_NEAR(fullest(box({24, 24, 0}, {36, 36, 60})), 144.0 / 676, 0.03);
}

// What the brief states is not the layout's to answer for.
TEST(MakingCheck, leavesOutKeepsAndClears) {
  Regions regions;
  regions.clears = {rod({15, -1, 10}, {15, 21, 10}, 4)};
  const ShapePtr bored = makeDifference(box({0, 0, 0}, {30, 20, 20}), regions.clears);
  const std::vector<MakingFinding> found = measured(bored, {Casting{Vec3::UnitZ()}}, 0.25, regions);
  EXPECT_EQ(*found.front().value, 0);
}

TEST(MakingCheck, refusesWhatItCannotMeasure) {
  Regions regions;
  regions.space = box({0, 0, 0}, {1, 1, 1});
  const TriangleMesh block = dualContour(*regions.space, 0.5 * kMm);
  EXPECT_THROW(measureMaking({}, {}, regions, {kMm, kMm}), InputError);
  EXPECT_THROW(measureMaking(block, {}, regions, {0, kMm}), InputError);
  EXPECT_THROW(measureMaking(block, {}, regions, {kMm, 0}), InputError);
  EXPECT_THROW(measureMaking(block, {}, {}, {kMm, kMm}), InputError);
}

}  // namespace
}  // namespace barelattice
