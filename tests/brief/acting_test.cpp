// What acts, as a brief says it: every kind is read as it is meant, every wrong word is refused.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <numbers>

#include "barelattice/prepare/job.hpp"
#include "support/brief.hpp"

namespace barelattice {
namespace {

using testing::changedIn;
using ::testing::HasSubstr;
using testing::kBrief;
using testing::kSheet;

constexpr double kPi = std::numbers::pi;

/// The test brief of a block with a bore through it, with supports and loads of one's own.
std::string withActing(const std::string& supports, const std::string& loads, const std::string& more = {}) {
  std::string text = changedIn(kBrief, "[faces]\n",
                               "[faces]\nbore = { of = \"bored\", kind = \"cylinder\", side = \"hole\" }\n"
                               "top = { of = \"block\", kind = \"plane\", facing = \"+z\" }\n"
                               "below = { of = \"block\", kind = \"plane\", facing = \"-z\" }\n");
  text = changedIn(text, "[design]\n", "bored = { difference = [\"block\", \"pin\"] }\n[design]\n");
  text = changedIn(text, "mass_fraction = 0.4", "mass_fraction = 0.95");
  text = changedIn(text, "root = { face = \"root\" }", supports);
  return changedIn(text, "push = { face = \"tip\", force = [\"0 N\", \"0 N\", \"-1 kN\"] }",
                   loads + "\n" + more);
}

const std::string kRoot = "root = { face = \"root\" }";
const std::string kPush = "push = { face = \"tip\", force = [\"0 N\", \"0 N\", \"-1 kN\"] }";

Job prepared(const std::string& text) {
  return prepare(parseBrief(text, "test.toml"));
}

template <class Kind>
Kind loadOf(const std::string& load) {
  return std::get<Kind>(prepared(withActing(kRoot, load)).setup.loads[0].kind);
}

template <class Kind>
Kind supportOf(const std::string& support) {
  return std::get<Kind>(prepared(withActing(support, kPush)).setup.supports[0].kind);
}

TEST(Acting, loadsAreReadAsTheyAreMeant) {
  EXPECT_EQ(loadOf<Bearing>("push = { face = 'bore', bearing = ['1 kN', '0 N', '-2 kN'] }").force,
            Vec3(1e3, 0, -2e3));
  const auto remote = loadOf<Remote>(
      "push = { face = 'tip', at = ['90 mm', '10 mm', '0 mm'], force = ['1 N','2 N','3 N'], moment = ['1 N "
      "m', '200 N mm', '0 N m'] }");
  EXPECT_LT((*remote.at - Vec3(0.09, 0.01, 0)).norm(), 1e-15);
  EXPECT_LT((remote.moment - Vec3(1, 0.2, 0)).norm(), 1e-15);
  const auto moment = loadOf<Remote>("push = { face = 'tip', moment = ['0 N m', '5 N m', '0 N m'] }");
  EXPECT_FALSE(moment.at);
  // A torque turns about the bore, in the sense of positive y, and about the normal of a face in that of x.
  EXPECT_LT((loadOf<Remote>("push = { face = 'bore', torque = '3 N m' }").moment - Vec3(0, 3, 0)).norm(),
            1e-9);
  EXPECT_LT((loadOf<Remote>("push = { face = 'tip', torque = '-3 N m' }").moment - Vec3(-3, 0, 0)).norm(),
            1e-9);
  EXPECT_LT((loadOf<Remote>("push = { face = 'below', torque = '3 N m' }").moment - Vec3(0, 0, 3)).norm(),
            1e-9);
  const auto spot = loadOf<Remote>(
      "push = { face = 'top', force = ['0 N','0 N','-9 N'], spot = { from = ['50 mm','0 mm','20 mm'], to = "
      "['50 mm','20 mm','20 mm'], reach = '3 mm' } }");
  EXPECT_LT((*spot.at - Vec3(0.05, 0.01, 0.02)).norm(), 1e-15);
  EXPECT_NEAR(spot.spot->reach, 0.003, 1e-15);
  const auto liquid = loadOf<DepthPressure>(
      "push = { face = 'top', liquid = { surface = ['0 mm','0 mm','70 mm'], down = '-z', per_depth = '9.81 "
      "kPa/m' } }");
  EXPECT_NEAR(liquid.perDepth, 9810, 1e-9);
  EXPECT_LT((loadOf<BodyForce>("push = { gravity = '-z' }").perMass - Vec3(0, 0, -9.80665)).norm(), 1e-12);
  EXPECT_LT((loadOf<BodyForce>("push = { acceleration = ['2 gn', '0 m/s2', '1 m/s2'] }").perMass +
             Vec3(2 * 9.80665, 0, 1))
                .norm(),
            1e-12);
  const auto spin = loadOf<BodyForce>(
      "push = { spin = '60 rpm', spin_up = '3 rad/s2', axis = 'z', through = ['10 mm','0 mm','0 mm'] }");
  // One metre out along x: (2 pi)^2 outward, and 3 backward.
  EXPECT_LT((spin.at({1.01, 0, 5}) - Vec3(4 * kPi * kPi, -3, 0)).norm(), 1e-9);
  EXPECT_EQ(loadOf<Temperature>("push = { temperature = '-30 K' }").change, -30);
}

TEST(Acting, supportsAreReadAsTheyAreMeant) {
  const auto held = supportOf<Held>(
      "root = { face = 'root', hold = ['x', 'y', 'z'], frame = { x = [1, 1, 0], z = '+z' } }");
  EXPECT_EQ(held.directions, 7U);
  EXPECT_LT((held.axes.col(1) - Vec3(-1, 1, 0).normalized()).norm(), 1e-12)
      << "the third follows, right-handed";
  supportOf<Pin>("root = { face = 'bore', hold = 'pin' }\nend = { face = 'root', hold = ['z'] }");
  supportOf<Slide>("root = { face = 'bore', hold = 'sliding' }\nend = { face = 'root', hold = 'fixed' }");
  const auto bed = supportOf<Foundation>(
      "root = { face = 'root', bedding = { normal = '5 N/mm3', across = '2 MPa/mm' } }");
  EXPECT_NEAR(bed.normal, 5e9, 1);
  EXPECT_NEAR(bed.tangential, 2e9, 1);
  const auto springs = supportOf<MeanSprings>(
      "root = { face = 'root', springs = { slide = ['1 kN/mm', '2 kN/mm', 'rigid'], turn = '90 N m/deg' } }");
  EXPECT_EQ(springs.slide, Vec3(1e6, 2e6, kRigid));
  EXPECT_NEAR(springs.turn.x(), 90 * 180 / kPi, 1e-9);
  EXPECT_FALSE(springs.at);
  const auto point = supportOf<MeanSprings>(
      "root = { face = 'root', at = ['-20 mm','10 mm','10 mm'], hold = ['x','y','z','turn x','turn z'] "
      "}\nend = { face = 'tip', hold = ['z'] }");
  EXPECT_EQ(point.slide, Vec3::Constant(kRigid));
  EXPECT_EQ(point.turn, Vec3(kRigid, 0, kRigid));
  const auto moved = supportOf<Held>(
      "root = { face = 'root' , moved = { shift = ['1 mm','0 mm','0 mm'], turn = ['0 deg','180 deg','0 "
      "deg'], about = ['0 mm','0 mm','0 mm'] } }");
  EXPECT_NEAR(moved.moved.turn.y(), kPi, 1e-12);
  EXPECT_NEAR(moved.moved.shift.x(), 1e-3, 1e-15);
}

TEST(Acting, aSheetHasTheKindsThatAreInItsPlane) {
  const auto with = [](const std::string& support, const std::string& load) {
    return prepared(changedIn(changedIn(kSheet, "root = { face = \"root\" }", support),
                              "push = { face = \"tip\", force = [\"0 N\", \"-1 kN\"] }", load))
        .setup;
  };
  const std::string root = "root = { face = 'root' }";
  EXPECT_EQ(std::get<Remote>(with(root, "push = { face = 'tip', moment = '5 N m' }").loads[0].kind).moment,
            Vec3(0, 0, 5));
  EXPECT_LT((std::get<BodyForce>(with(root, "push = { gravity = [0, -1] }").loads[0].kind).perMass +
             9.80665 * Vec3::UnitY())
                .norm(),
            1e-12);
  with(root, "push = { spin = '60 rpm', through = ['0 mm','0 mm'] }");
  with("root = { face = 'root', hold = ['x', 'y'], frame = { x = [1, 1] } }",
       "push = { temperature = '5 K' }");
  const auto point =
      std::get<MeanSprings>(with("root = { face = 'root', at = ['0 mm','0 mm'], hold = 'fixed' }",
                                 "push = { face = 'tip', force = ['0 N','-1 N'] }")
                                .supports[0]
                                .kind);
  EXPECT_EQ(point.turn, Vec3(0, 0, kRigid));
  EXPECT_EQ(point.slide, Vec3(kRigid, kRigid, 0));
}

TEST(Acting, massesAndConnectionsAreRead) {
  const Job job = prepared(
      withActing(kRoot, kPush,
                 "[masses]\nmotor = { face = 'top', at = ['30 mm', '10 mm', '80 mm'], mass = '2 kg' }\n"
                 "[connections]\nlink = { between = ['bore', 'tip'], slide = '1 kN/mm', turn = ['0 N m/rad', "
                 "'0 N m/rad', 'rigid'] }"));
  ASSERT_EQ(job.setup.masses.size(), 1U);
  EXPECT_EQ(job.setup.masses[0].mass, 2);
  ASSERT_EQ(job.setup.connections.size(), 1U);
  EXPECT_EQ(job.setup.connections[0].slide, Vec3::Constant(1e6));
  EXPECT_EQ(job.setup.connections[0].turn, Vec3(0, 0, kRigid));
  EXPECT_FALSE(job.setup.connections[0].at);
}

// What acts on the whole part is no part of the resultants, but what masses feel of it is.
TEST(Acting, casesAreSummedUp) {
  const Job job = prepared(
      withActing(kRoot, "push = { gravity = '-z' }",
                 "[masses]\nmotor = { face = 'top', at = ['30 mm', '10 mm', '80 mm'], mass = '2 kg' }"));
  EXPECT_NEAR(job.summaries[0].resultant.force.z(), -1.5 * 2 * 9.80665, 1e-9);
  EXPECT_EQ(job.summaries[0].onAll, std::vector<std::string>{"push"});
}

// A load needs material below its face, and what hangs on mean motions does; what is held need not.
TEST(Acting, materialIsKeptWhereItIsNeeded) {
  EXPECT_TRUE(prepared(withActing(kRoot, kPush)).assumptions.empty());
  const Job springs =
      prepared(withActing("root = { face = 'root', springs = { slide = '1 kN/mm', turn = '1 kN m/rad' } }",
                          "push = { face = 'bore', bearing = ['1 kN','0 N','0 N'] }"));
  EXPECT_EQ(springs.assumptions.size(), 2U);
  const Job bare = prepared(withActing(
      "root = { face = 'root', springs = { slide = '1 kN/mm', turn = '1 kN m/rad' }, backing = '0 mm' }",
      kPush));
  EXPECT_TRUE(bare.assumptions.empty());
}

TEST(Acting, wrongWordsAreRefused) {
  const auto refused = [](const std::string& text, const std::string& message) {
    try {
      prepared(text);
      ADD_FAILURE() << "accepted; due was: " << message;
    } catch (const BriefError& error) {
      EXPECT_THAT(error.what(), HasSubstr(message));
      EXPECT_THAT(error.what(), HasSubstr("test.toml:"));
      EXPECT_GT(error.place().line, 0) << message;
    }
  };
  const std::vector<std::pair<std::string, std::string>> loads{
      {"push = { face = 'bore', bearing = ['0 N', '1 kN', '0 N'] }", "no part that a bearing force"},
      {"push = { face = 'bore', bearing = ['0 N', '0 N', '0 N'] }", "is zero"},
      {"push = { face = 'bore', torque = '0 N m' }", "is zero"},
      {"push = { face = 'bore', torque = '5 N' }", "is a force, but a moment is due"},
      {"push = { face = 'tip', torque = '1 N m', force = ['1 N','0 N','0 N'] }", "both 'force' and 'torque'"},
      {"push = { gravity = '-z', face = 'tip' }", "has both 'face' and 'gravity'"},
      {"push = { gravity = '-z', temperature = '5 K' }", "has both 'gravity' and 'temperature'"},
      {"push = { gravity = [0, 0, 0] }", "has no direction"},
      {"push = { acceleration = ['0 m/s2', '0 m/s2', '0 m/s2'] }", "is zero"},
      {"push = { temperature = '5' }", "has no unit"},
      {"push = { temperature = '300 degC' }", "unknown unit"},
      {"push = { spin = '60 rpm', through = ['0 mm','0 mm','0 mm'] }", "'axis' is missing"},
      {"push = { spin = '60 rpm', axis = 'z' }", "'through' is missing"},
      {"push = { face = 'tip', at = ['0 mm','0 mm','0 mm'], pressure = '1 MPa' }",
       "'pressure' acts on the whole face"},
      {"push = { face = 'top', force = ['0 N','0 N','-9 N'], spot = { at = ['50 mm','0 mm','20 mm'] } }",
       "'reach' is missing"},
      {"push = { face = 'top', liquid = { surface = ['0 mm','0 mm','10 mm'], down = '-z', per_depth = '9.81 "
       "kPa/m' } }",
       "does nothing to its face"},
      {"push = { face = 'tip' }", "'force', 'pressure' or another action is missing"},
  };
  for (const auto& [load, message] : loads) refused(withActing(kRoot, load), message);
  const std::vector<std::pair<std::string, std::string>> supports{
      {"root = { face = 'root', hold = 'pinned' }", "'hold' is \"pinned\""},
      {"root = { face = 'root', hold = 'pin' }", "not all of round bores"},
      {"root = { face = 'bore', hold = 'pin' }", "turning about an axis along y"},
      {"root = { face = 'bore', hold = 'sliding' }", "leave a rigid motion free"},
      {"root = { face = 'root', hold = 'sliding', frame = { x = [1, 1, 0], z = 'z' } }",
       "'frame' does not go with"},
      {"root = { face = 'root', hold = ['x'], frame = { x = [1, 1, 0], y = [1, 0, 0] } }",
       "45 degrees apart"},
      {"root = { face = 'root', hold = ['x'], frame = { x = [1, 1, 0] } }", "'frame' names 1 of its axes"},
      {"root = { face = 'root', hold = ['turn x'] }", "'hold' is \"turn x\""},
      {"root = { face = 'root', at = ['0 mm','0 mm','0 mm'], hold = 'pin' }", "a point is held \"fixed\""},
      {"root = { face = 'root', hold = 'fixed', bedding = { normal = '1 N/mm3' } }",
       "both 'hold' and 'bedding'"},
      {"root = { face = 'root', bedding = { } }", "is zero"},
      {"root = { face = 'root', bedding = { normal = '-1 N/mm3' } }", "'normal' should not be negative"},
      {"root = { face = 'root', springs = { slide = '-1 N/mm' } }", "'slide' is below zero"},
      {"root = { face = 'root', springs = { slide = ['1 N/mm', '1 N/mm'] } }", "'slide' has 2 entries"},
      {"root = { face = 'root', springs = { slide = '1 N/mm' } }", "leave a rigid motion free"},
      {"root = { face = 'root', moved = { } }", "'moved' moves nothing"},
      {"root = { face = 'root', moved = { turn = ['1 deg','0 deg','0 deg'] } }", "'about' is missing"},
      {"root = { face = 'root', moved = { shift = ['1 mm','0 mm','0 mm'] } }\nend = { face = 'root', moved = "
       "{ shift = ['2 mm','0 mm','0 mm'] } }",
       "move the same points differently"},
      {"root = { face = 'bore', bolt = { seat = 'top', diameter = '6 mm', grip = '20 mm' } }",
       "has no seat of its own"},
      {"root = { face = 'bore', bolt = { seat = 'roof', diameter = '6 mm', grip = '20 mm' } }", "roof"},
      {"root = { face = 'root', bolt = { seat = 'top', diameter = '6 mm', grip = '20 mm' } }",
       "a bolt's hole is not round"},
      {"root = { face = 'bore', bolt = { seat = 'top', grip = '20 mm' } }", "'diameter' is missing"},
  };
  for (const auto& [support, message] : supports) refused(withActing(support, kPush), message);
  refused(withActing(kRoot, kPush, "[masses]\nm = { face = 'tip', at = ['0 mm','0 mm','0 mm'] }"),
          "'mass' is missing");
  refused(withActing(kRoot, kPush, "[connections]\nc = { between = ['tip'] }"), "'between' names two faces");
  refused(withActing(kRoot, kPush, "[connections]\nc = { between = 'tip' }"), "face tip is 1 piece");
  refused(withActing(kRoot, kPush, "[connections]\nc = { between = ['tip', 'tap'] }"), "tap");
  refused(kSheet + "[proof]\nfrequencies = 2\n", "a sheet swings out of its plane first");
  // A material without expansion does not answer to temperature.
  refused(changedIn(withActing(kRoot, "push = { temperature = '5 K' }"), "use = \"steel\"",
                    "modulus = \"1 GPa\"\npoisson = 0.3\ndensity = \"1000 kg/m3\"\nstrength = \"9 MPa\""),
          "has no 'expansion'");
}

TEST(Acting, whatNoLayoutCanBeDesignedForIsTold) {
  EXPECT_EQ(prepared(withActing(kRoot, kPush)).whyNotDesigned(), "");
  const Job moved = prepared(withActing(
      "root = { face = 'root' }\nend = { face = 'tip', moved = { shift = ['1 mm','0 mm','0 mm'] } }", kPush));
  EXPECT_THAT(moved.whyNotDesigned(), HasSubstr("support end is moved"));
  EXPECT_THAT(moved.warnings.back(), HasSubstr("'optimise' cannot"));
  EXPECT_THAT(prepared(withActing(kRoot, "push = { temperature = '5 K' }")).whyNotDesigned(),
              HasSubstr("nothing but temperature"));
}

/// Two levers side by side, the second one loaded at its end, with a bore through both.
const std::string kLevers = R"(voxel = "2 mm"
[material]
use = "steel"
[shapes]
a = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["60 mm", "8 mm", "20 mm"] } }
b = { box = { from = ["40 mm", "12 mm", "0 mm"], to = ["100 mm", "20 mm", "20 mm"] } }
rod = { cylinder = { from = ["50 mm", "-1 mm", "10 mm"], to = ["50 mm", "21 mm", "10 mm"], radius = "4 mm" } }
both = { union = ["a", "b"] }
space = { difference = ["both", "rod"] }
[design]
space = "space"
[faces]
root = { of = "a", kind = "plane", facing = "-x" }
tip = { of = "b", kind = "plane", facing = "+x" }
[supports]
root = { face = "root" }
[loads]
push = { face = "tip", force = ["0 N", "0 N", "-1 kN"] }
[cases]
down = { loads = { push = 1.0 } }
[target]
mass_fraction = 0.5
[making]
smallest_member = "6 mm"
)";

// Bores of bodies that do not touch: the pin between them is proposed, and what is proposed can be pasted.
// A pin on which a body still turns does not hold it.
TEST(Acting, pinsBetweenBodiesAreProposed) {
  std::string cure;
  try {
    prepared(kLevers);
    FAIL() << "two bodies that nothing joins";
  } catch (const BriefError& error) {
    cure = error.cure();
  }
  const auto passage = [&](const std::string& from, const std::string& to) {
    const std::size_t begin = cure.find(from) + from.size();
    return cure.substr(begin, to.empty() ? std::string::npos : cure.find(to) - begin);
  };
  ASSERT_THAT(cure, HasSubstr("add to [faces]\n"));
  const std::string faces = passage("add to [faces]\n", "and to [connections]");
  const std::string connections = passage("and to [connections]\n", "");
  std::string joined = changedIn(kLevers, "[faces]\n", "[faces]\n" + faces);
  joined += "[connections]\n" + connections;
  try {
    prepared(joined);
    ADD_FAILURE() << "the lever turns about the pin";
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), HasSubstr("turning about an axis along y through (50,"));
  }
  const Job held =
      prepared(changedIn(joined, "[supports]\n", "[supports]\nstop = { face = \"tip\", hold = [\"x\"] }\n"));
  ASSERT_EQ(held.setup.connections.size(), 1U);
  EXPECT_EQ(held.setup.connections[0].turn, Vec3(kRigid, 0, kRigid));
  // Bores of their own are told apart.
  const std::string apart =
      changedIn(changedIn(kLevers, "both = ",
                          "rod_b = { cylinder = { from = [\"50 mm\", \"11 mm\", \"10 mm\"], to = [\"50 mm\", "
                          "\"21 mm\", \"10 mm\"], radius = \"4 mm\" } }\nboth = "),
                "to = [\"50 mm\", \"21 mm\", \"10 mm\"], radius = \"4 mm\" } }\nrod_b",
                "to = [\"50 mm\", \"9 mm\", \"10 mm\"], radius = \"4 mm\" } }\nrod_b");
  try {
    prepared(changedIn(apart, "[\"both\", \"rod\"]", "[\"both\", \"rod\", \"rod_b\"]"));
    FAIL() << "two bodies that nothing joins";
  } catch (const BriefError& error) {
    EXPECT_THAT(error.cure(), HasSubstr("between = [\"pin_1_a\", \"pin_1_b\"]"));
  }
}

// Half of a job stands for all of it only where everything has its like.
TEST(Acting, halvesNeedTheirLike) {
  const std::string half =
      changedIn(kBrief, "smallest_member = \"6 mm\"",
                "smallest_member = \"6 mm\"\nmirror = { across = \"y\", at = \"10 mm\", half = true }");
  const Job job = prepared(half);
  const LayoutProblem<3> problem = job.layoutProblem<3>();
  EXPECT_FALSE(problem.mirrors[0] || problem.mirrors[2]);
  ASSERT_TRUE(problem.mirrors[1]);
  EXPECT_NEAR(problem.grid.frame().origin.y() + *problem.mirrors[1] * problem.grid.frame().size, 0.01, 1e-12);
  EXPECT_LT(job.estimate.seconds, prepared(changedIn(half, ", half = true", "")).estimate.seconds);
  const std::string push = "push = { face = \"tip\", force = [\"0 N\", \"0 N\", \"-1 kN\"] }";
  const std::vector<std::array<std::string, 3>> wrong{
      {"[\"0 N\", \"0 N\", \"-1 kN\"]", "[\"0 N\", \"1 N\", \"-1 kN\"]", "1.5 N act across the plane"},
      {push, "push = { face = \"tip\", moment = [\"3 N m\", \"1 N m\", \"0 N m\"] }", "they turn by 4.5 N m"},
      {push, "push = { gravity = [0, 1, -1] }", "on all mass are not their own image"},
      {push,
       push + "\n[masses]\nm = { face = \"tip\", at = [\"70 mm\", \"4 mm\", \"10 mm\"], mass = \"1 kg\" }",
       "[masses.m] has no like round (70, 16, 10) mm"},
      {"root = { face = \"root\" }",
       "root = { face = \"root\", hold = [\"x\", \"y\", \"z\"], frame = { x = [1, 1, 0], z = \"+z\" } }", ""},
      {"root = { face = \"root\" }",
       "root = { face = \"root\" }\nmore = { face = \"tip\", hold = [\"x\"], frame = { x = [1, 1, 0], z = "
       "\"+z\" } }",
       "[supports.more]"},
      {"keep = [\"pad\"]", "keep = [\"pad\", \"edge\", \"foot\"]", "have no like across y"},
      // Rigid as the one spring may be, the other is looked at by itself.
      {"root = { face = \"root\" }",
       "root = { face = \"root\" }\na = { face = \"left\", springs = { slide = \"rigid\", turn = \"300 N "
       "m/rad\" } }\n"
       "b = { face = \"right\", springs = { slide = \"rigid\", turn = \"400 N m/rad\" } }",
       "[supports.a]"},
      {"root = { face = \"root\" }",
       "root = { face = \"root\" }\na = { face = \"left\", springs = { slide = \"rigid\", turn = \"300 N "
       "m/rad\" } }\n"
       "b = { face = \"right\", springs = { slide = \"rigid\", turn = \"300 N m/rad\" } }",
       ""},
      {push, push + "\n[connections]\nc = { between = [\"root\", \"left\"], slide = \"1 kN/mm\" }",
       "[connections.c] has no like across y"},
      {push,
       push + "\n[connections]\nc = { between = [\"root\", \"left\"], slide = \"1 kN/mm\" }\n"
              "d = { between = [\"right\", \"root\"], slide = \"1 kN/mm\" }",
       ""},
      {"at = \"10 mm\"", "at = \"12 mm\"", "have no like across y"},
      {"at = \"10 mm\"", "at = \"90 mm\"", "misses the design space"},
      {"across = \"y\"", "across = [0, 1, 1]", "a plane across x, y or z"},
      {"half = true", "half = true, impose = false", "only where the layout is mirrored"},
  };
  const std::string sided =
      changedIn(half, "[faces]\n",
                "[faces]\nleft = { of = \"block\", kind = \"plane\", facing = \"-y\" }\n"
                "right = { of = \"block\", kind = \"plane\", facing = \"+y\" }\n");
  const std::string footed =
      changedIn(changedIn(sided, "mass_fraction = 0.4", "mass_fraction = 0.95"), "[design]\n",
                "foot = { box = { from = [\"20 mm\", \"0 mm\", \"0 mm\"], to = [\"30 "
                "mm\", \"4 mm\", \"4 mm\"] } }\n[design]\n");
  for (const auto& [what, becomes, why] : wrong) {
    const std::string text = changedIn(footed, what, becomes);
    if (why.empty()) {
      EXPECT_NO_THROW(prepared(text)) << becomes;
      continue;
    }
    try {
      prepared(text);
      ADD_FAILURE() << "taken: " << becomes;
    } catch (const BriefError& error) {
      EXPECT_THAT(error.what(), HasSubstr(why)) << becomes;
    }
  }
}

// Without target and making a brief is one to analyse by: nothing is designed, and all that is left is
// settled.
TEST(Acting, briefsWithoutADesignAreComplete) {
  const std::size_t target = kBrief.find("[target]");
  const std::string bare = kBrief.substr(0, target);
  const Job job = prepared(bare);
  EXPECT_FALSE(job.brief.designs);
  EXPECT_EQ(job.brief.frequencies, 3);
  EXPECT_DOUBLE_EQ(job.brief.exclusion, 3 * 0.002);
  EXPECT_THAT(job.whyNotDesigned(), HasSubstr("neither [target] nor [making]"));
  EXPECT_TRUE(job.warnings.empty()) << job.warnings.front();
  EXPECT_EQ(prepared(bare + "[proof]\nfrequencies = 0\nexclude_within = \"1 mm\"\n").brief.frequencies, 0);
  const Job fine = prepared(changedIn(bare, "voxel = \"2 mm\"", ""));
  EXPECT_LE(fine.cellCount(), 200000U);
  EXPECT_GT(fine.cellCount(), 150000U);
  // One of the two alone is a design that lacks the other.
  for (const std::string part : {"[target]\nmass_fraction = 0.4\n", "[making]\nsmallest_member = \"6 mm\"\n"})
    EXPECT_THROW(prepared(bare + part), BriefError) << part;
}

TEST(Acting, casesThatAreOthersScaledAreTold) {
  const auto warningsWith = [](const std::string& cases) {
    std::string all;
    const std::string text = changedIn(kBrief, "down = { weight = 2.0, loads = { push = 1.5 } }", cases);
    for (const std::string& warning :
         prepared(changedIn(text, "[cases]\n",
                            "pull = { face = \"tip\", force = [\"1 kN\", \"0 N\", \"0 N\"] }\n[cases]\n"))
             .warnings)
      all += warning + "\n";
    return all;
  };
  EXPECT_THAT(warningsWith(
                  "a = { loads = { push = 1.5, pull = 1.0 } }\nb = { loads = { push = -3.0, pull = -2.0 } }"),
              HasSubstr("case b is case a times -2"));
  EXPECT_THAT(
      warningsWith("a = { loads = { push = 1.5, pull = 1.0 } }\nb = { loads = { push = 3.0, pull = 1.9 } }"),
      ::testing::Not(HasSubstr("times")));
  EXPECT_THAT(warningsWith("a = { loads = { push = 1.0 } }\nb = { loads = { pull = 1.0 } }"),
              ::testing::Not(HasSubstr("times")));
}

TEST(Acting, surprisesAreTold) {
  const auto warnings = [](const std::string& support, const std::string& load) {
    std::string all;
    for (const std::string& warning : prepared(withActing(support, load)).warnings) all += warning + "\n";
    return all;
  };
  EXPECT_THAT(warnings(kRoot, "push = { spin = '60 rpm', axis = 'z', through = ['900 mm','0 mm','0 mm'] }"),
              HasSubstr("the axis passes 870.1 mm from the middle"));
  EXPECT_EQ(warnings(kRoot, "push = { spin = '60 rpm', axis = 'z', through = ['0 mm','0 mm','0 mm'] }")
                .find("axis"),
            std::string::npos);
}

}  // namespace
}  // namespace barelattice
