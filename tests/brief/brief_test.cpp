#include "support/brief.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>

#include "barelattice/base/file.hpp"
#include "barelattice/brief/shipped.hpp"
#include "barelattice/prepare/job.hpp"

namespace barelattice {
namespace {

using ::testing::Contains;
using ::testing::HasSubstr;
using ::testing::Not;

using testing::changed;
using testing::kBrief;

TEST(Brief, isUnderstood) {
  const Job job = prepare(parseBrief(kBrief, "test.toml"));
  const double spaceMass = (60 * 20 * 20 - 3.14159265 * 16 * 20) * 1e-9 * 7850;
  EXPECT_NEAR(job.spaceMass / spaceMass, 1, 0.003);
  EXPECT_NEAR(job.keepMass, 6 * 400e-9 * 7850, 1e-9);
  EXPECT_NEAR(job.targetMass, 0.4 * job.spaceMass, 1e-12);
  ASSERT_EQ(job.summaries.size(), 1U);
  EXPECT_LT((job.summaries[0].resultant.force - Vec3(0, 0, -1500)).norm(), 1e-9);
  EXPECT_NEAR(job.summaries[0].resultant.moment.y(), 1500 * 0.06, 1e-9);
  EXPECT_EQ(job.layoutProblem<3>().cases[0].weight, 2);
  EXPECT_EQ(job.layoutProblem<3>().cases[0].supports.size(), 11U * 11);
  EXPECT_TRUE(job.warnings.empty());
  EXPECT_DOUBLE_EQ(job.layoutProblem<3>().massFraction, 0.4);
  EXPECT_EQ(resultantOf(job.setup, job.setup.cases[0], Vec3::Zero()).force, Vec3(0, 0, -1500));
}

// A keep that ends within cells has but the lesser part of some, which may come to be empty.
TEST(Brief, loadsActOnCellsThatStay) {
  const std::string pad = "pad = { box = { from = [\"54 mm\", \"0 mm\", ";
  const Job job = prepare(parseBrief(changed(pad + "\"0 mm\"", pad + "\"5.4 mm\""), "test.toml"));
  const LayoutProblem<3> problem = job.layoutProblem<3>();
  std::vector<std::uint8_t> stays(problem.grid.nodeCount(), 0);
  for (std::size_t c = 0; c < problem.grid.cellCount(); ++c)
    for (const int n : problem.grid.cellNodes(c)) stays[static_cast<std::size_t>(n)] |= problem.keep[c];
  Vec3 sum = Vec3::Zero();
  for (std::size_t n = 0; n < problem.grid.nodeCount(); ++n)
    for (int i = 0; i < 3; ++i) {
      const auto force = problem.cases[0].force.find(gridDof(problem.grid, n, i));
      if (force == problem.cases[0].force.end()) continue;
      EXPECT_TRUE(stays[n]) << "the load hangs in the air at " << problem.grid.nodePosition(n).transpose();
      sum[i] += force->second;
    }
  EXPECT_LT((sum - Vec3(0, 0, -1500)).norm(), 1e-9);
}

// What keeps weigh counts, or stands beside the target; a part of the space has a limit of its own, which
// holds.
TEST(Brief, boundsTheMassOfParts) {
  const auto jobOf = [](const std::string& target) {
    return prepare(parseBrief(changed("mass_fraction = 0.4", target), "test.toml"));
  };
  const Job plain = jobOf("mass_fraction = 0.4");
  const Job beside = jobOf("mass_fraction = 0.4\ncount_keeps = false");
  EXPECT_NEAR(beside.targetMass, beside.keepMass + 0.4 * (beside.spaceMass - beside.keepMass), 1e-12);
  EXPECT_NEAR(jobOf("mass = \"50 g\"\ncount_keeps = false").targetMass, 0.05 + plain.keepMass, 1e-12);
  const Job parts = jobOf(
      "mass_fraction = 0.4\nwithin = [{ shape = \"slab\", mass = \"3 g\" },"
      "{ shape = \"slab\", mass_fraction = 0.9 }]");
  ASSERT_EQ(parts.partTargets.size(), 2U);
  EXPECT_NEAR(parts.partTargets[0].most, 0.003, 1e-12);
  EXPECT_NEAR(parts.partTargets[1].most, 0.9 * parts.partTargets[1].full, 1e-12);
  // A slab of 4 mm, but for the bore through it.
  EXPECT_NEAR(parts.partTargets[0].full / 7850, (4 * 400 - 3.14159265 * 16 * 20 * 0.609) * 1e-9, 6e-8);
  const LayoutProblem<3> problem = parts.layoutProblem<3>();
  ASSERT_EQ(problem.limits.size(), 2U);
  const OptimiseResult result = optimiseLayout<3>(problem, {});
  EXPECT_EQ(result.stop, OptimiseStop::settled);
  EXPECT_NEAR(result.massFraction, 0.4, 1e-4);
  const auto& domain = std::get<Domain<3>>(parts.domain);
  double mass = 0;
  for (std::size_t c = 0; c < result.density.size(); ++c)
    if (std::abs(domain.grid.cellCentre(c).x() - 0.03) < 0.002)
      mass += result.density[c] * domain.fill[c] * parts.designMass(c);
  EXPECT_LT(mass, 1.006 * 0.003);
  EXPECT_GT(mass, 0.97 * 0.003);  // a bound that binds
}

struct Refusal {
  const char* name;
  const char* from;
  const char* to;
  int line;
  const char* message;
  const char* cure;
};

class Refusals : public ::testing::TestWithParam<Refusal> {};

TEST_P(Refusals, nameTheLineTheFaultAndTheCure) {
  const Refusal& r = GetParam();
  try {
    prepare(parseBrief(changed(r.from, r.to), "test.toml"));
    FAIL() << "was accepted";
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), HasSubstr(r.message));
    EXPECT_THAT(error.what(), HasSubstr("test.toml:" + std::to_string(r.line) + ":"));
    EXPECT_EQ(error.place().line, r.line) << error.what();
    EXPECT_THAT(error.cure(), HasSubstr(r.cure));
  }
}

INSTANTIATE_TEST_SUITE_P(
    all, Refusals,
    ::testing::Values(
        Refusal{"notToml", "[material]", "[material", 2, "not TOML", "docs/brief.md"},
        Refusal{"unknownKey", "voxel = \"2 mm\"", "voxel = \"2 mm\"\nmatrial = 1", 2, "unknown key 'matrial'",
                "'material'"},
        Refusal{"unknownKeyInside", "facing = \"-x\"", "facng = \"-x\"", 15, "unknown key 'facng'",
                "'facing'"},
        Refusal{"misspeltTable", "[loads]", "[load]", 19,
                "'loads' is missing, and there is the unknown key 'load'", "did you mean 'loads'?"},
        Refusal{"unknownMaterial", "\"steel\"", "\"steal\"", 3, "unknown material \"steal\"", "\"steel\""},
        Refusal{"unknownShape", "space = \"block\"", "space = \"blok\"", 11, "unknown shape \"blok\"",
                "\"block\""},
        Refusal{"unknownFace", "face = \"tip\"", "face = \"top\"", 20, "unknown face \"top\"", "\"tip\""},
        Refusal{"unknownLoad", "{ push = 1.5 }", "{ pusch = 1.5 }", 22, "unknown load \"pusch\"", "\"push\""},
        Refusal{"bareNumber", "voxel = \"2 mm\"", "voxel = 2", 1, "bare number", "quotes"},
        Refusal{"unknownUnit", "\"-1 kN\"", "\"-1 kNm\"", 20, "unknown unit \"kNm\"", "kN"},
        Refusal{"wrongMeasure", "smallest_member = \"6 mm\"", "smallest_member = \"6 kg\"", 26, "is a mass",
                "mm"},
        Refusal{"wrongCount", "\"0 N\", \"0 N\", \"-1 kN\"", "\"0 N\", \"-1 kN\"", 20,
                "should hold 3 values, not 2", ""},
        Refusal{"notSupported", "face = \"root\" }", "face = \"root\", hold = \"hinge\" }", 18,
                "'hold' is \"hinge\"", "fixed"},
        Refusal{"twoTargets", "mass_fraction = 0.4", "mass_fraction = 0.4\nmass = \"1 kg\"", 23,
                "needs one of", "exactly one"},
        Refusal{"fractionOutOfRange", "mass_fraction = 0.4", "mass_fraction = 1.4", 24, "between 0 and 1",
                ""},
        Refusal{"missing", "[target]\nmass_fraction = 0.4\n", "", 1, "'target' is missing", "mass_fraction"},
        Refusal{"madeFromItself",
                "pad = { box = { from = [\"54 mm\", \"0 mm\", \"0 mm\"], to = [\"60 mm\", \"20 mm\", \"20 "
                "mm\"] } }",
                "pad = { union = [\"pad\"] }", 6, "made from itself", "do not use it"},
        Refusal{"badShape", "to = [\"60 mm\", \"20 mm\", \"20 mm\"] } }\npad",
                "to = [\"0 mm\", \"20 mm\", \"20 mm\"] } }\npad", 5, "first corner below its second", ""},
        Refusal{"memberTooThin", "smallest_member = \"6 mm\"", "smallest_member = \"3 mm\"", 26,
                "under two voxels", "smaller"},
        Refusal{"poisson", "use = \"steel\"", "use = \"steel\"\npoisson = 0.49", 2, "Poisson's ratio 0.49",
                "incompressible"},
        Refusal{"targetBelowKeep", "mass_fraction = 0.4", "mass_fraction = 0.05", 24,
                "not above the mass of the keep regions", "raise"},
        Refusal{"targetAboveSpace", "mass_fraction = 0.4", "mass = \"9 kg\"", 24,
                "not below the mass of the full design space", "lower"},
        Refusal{"faceWithoutSurface", "facing = \"+x\"", "facing = [1, 1, 0]", 16, "catches no surface",
                "plane facing"},
        Refusal{"loadOnEmptySpace", "keep = [\"pad\"]\nclear = [\"pin\"]", "clear = [\"pin\", \"pad\"]", 19,
                "acts on empty space", "keep"},
        Refusal{"supportOnEmptySpace", "clear = [\"pin\"]",
                "clear = [\"pin\", \"edge\", \"root_cut\"]\n[shapes.root_cut]\nbox = { from = [\"-1 mm\", "
                "\"-1 mm\", \"-1 mm\"], to = [\"6 mm\", \"21 mm\", \"21 mm\"] }",
                20, "supports.root] acts on empty space", "keep"},
        Refusal{"motionLeftFree", "root = { of = \"block\"", "root = { of = \"edge\"", 18,
                "turning about an axis along y", "wider"},
        Refusal{"notConnected", "clear = [\"pin\"]", "clear = [\"pin\", \"slab\"]", 20,
                "not connected with any support", "clear"}),
    [](const auto& refusal) { return refusal.param.name; });

TEST(Brief, warnsOfThinMembersAndTakesQuickVoxels) {
  const Job job = prepare(parseBrief(kBrief, "test.toml"), 1.4);
  ASSERT_EQ(job.warnings.size(), 1U);
  EXPECT_THAT(job.warnings[0], HasSubstr("under three voxels"));
  EXPECT_LT(job.cellCount(), 24000U / 8);
}

TEST(Brief, writtenOutMaterialsNeedEveryProperty) {
  const std::string own =
      "name = \"own\"\nmodulus = \"70 GPa\"\npoisson = 0.3\ndensity = \"2.7 g/cm3\"\nstrength = \"200 MPa\"";
  EXPECT_EQ(parseBrief(changed("use = \"steel\"", own), "test.toml").material.density, 2700);
  EXPECT_THROW(parseBrief(changed("use = \"steel\"", "modulus = \"70 GPa\""), "test.toml"), BriefError);
  EXPECT_NEAR(parseBrief(changed("use = \"steel\"", "use = \"steel\"\nstrength = \"500 MPa\""), "test.toml")
                  .material.strength,
              500e6, 1);
}

TEST(Brief, theExampleOfTheReferenceWorksAsItStands) {
  const std::string page = readFile(BARELATTICE_DOCS "/brief.md");
  const std::size_t begin = page.find("```toml\n") + 8;
  const Job job = prepare(parseBrief(page.substr(begin, page.find("```", begin) - begin), "docs/brief.md"));
  EXPECT_EQ(job.setup.cases.size(), 2U);
  EXPECT_EQ(job.brief.requirements.size(), 3U);
}

std::vector<std::string> warningsOf(const std::string& from, const std::string& to) {
  return prepare(parseBrief(changed(from, to), "test.toml")).warnings;
}

TEST(Brief, warnsOfWhatWouldSurprise) {
  EXPECT_THAT(warningsOf("clear = [\"pin\"]",
                         "clear = [\"nick\"]\n[shapes.nick]\nbox = { from = [\"57 mm\", \"0 mm\", \"15 "
                         "mm\"], to = [\"61 mm\", \"20 mm\", \"21 mm\"] }"),
              Contains(HasSubstr("keep \"pad\" loses")));
  EXPECT_THAT(warningsOf("keep = [\"pad\"]", "keep = [\"pad\", { face = \"root\", depth = \"3 mm\" }]"),
              Contains(HasSubstr("keep \"root\" is 3 mm thick, less than two voxels")));
  EXPECT_THAT(warningsOf("[cases]", "spare = { face = \"tip\", pressure = \"1 MPa\" }\n[cases]"),
              Contains(HasSubstr("[loads.spare] (line 21) acts in no case")));
  EXPECT_THAT(warningsOf("[loads]", "tip = { face = \"tip\" }\n[loads]"), ::testing::IsEmpty());
  EXPECT_THAT(
      warningsOf(
          "down = { weight = 2.0, loads = { push = 1.5 } }\n",
          "down = { loads = { push = 1.5 }, supports = [\"root\"] }\n[supports.tip]\nface = \"tip\"\n"),
      Contains(HasSubstr("[supports.tip] (line 23) holds in no case")));
  EXPECT_THAT(warningsOf("[cases]\ndown = { weight = 2.0, loads = { push = 1.5 } }",
                         "back = { face = \"tip\", force = [\"0 N\", \"0 N\", \"0.99 kN\"] }\n[cases]\ndown "
                         "= { loads = { push = 1.0, back = 1.0 } }"),
              Contains(HasSubstr("nearly cancel")));
}

TEST(Brief, supportsHoldChosenDirectionsAndDifferByCase) {
  const Job job = prepare(parseBrief(
      changed("down = { weight = 2.0, loads = { push = 1.5 } }",
              "down = { loads = { push = 1.5 }, supports = [\"root\"] }\nalong = { loads = { push = 1.0 } }\n"
              "[supports.tip]\nface = \"tip\"\nhold = [\"x\"]\n"),
      "test.toml"));
  const auto cases = job.layoutProblem<3>().cases;
  EXPECT_EQ(cases[0].supports.size(), 11U * 11);
  ASSERT_EQ(cases[1].supports.size(), 2U * 11 * 11) << "the tip's nodes as well";
  std::size_t along = 0;  // nodes held along x only
  for (const NodeSupport<3>& support : cases[1].supports)
    along += support.free == Eigen::Matrix3d(Vec3(0, 1, 1).asDiagonal());
  EXPECT_EQ(along, 11U * 11);
  EXPECT_EQ(std::get<Held>(job.proofProblem().setup.supports[1].kind).directions, 1U);
  EXPECT_EQ(job.setup.cases[0].supports, (std::vector<std::size_t>{0}));
}

TEST(Brief, pressurePushesIntoTheMaterial) {
  const Job job = prepare(
      parseBrief(changed("force = [\"0 N\", \"0 N\", \"-1 kN\"]", "pressure = \"2 MPa\""), "test.toml"));
  EXPECT_LT((job.summaries[0].resultant.force - Vec3(-1.5 * 2e6 * 400e-6, 0, 0)).norm(), 1e-6);
  double sum = 0;
  const auto cases = job.layoutProblem<3>().cases;
  for (const auto& [dof, force] : cases[0].force) sum += force;
  EXPECT_NEAR(sum, -1200, 1e-6);
}

TEST(Brief, aBudgetOfVoxelsIsUsedAndKept) {
  for (const int budget : {5000, 20000}) {
    const Job job =
        prepare(parseBrief(changed("voxel = \"2 mm\"", "voxels = " + std::to_string(budget)), "test.toml"));
    EXPECT_LE(job.cellCount(), static_cast<std::size_t>(budget));
    EXPECT_GT(static_cast<double>(job.cellCount()), 0.85 * budget);
  }
}

TEST(Brief, reductionIsTheOtherSideOfFraction) {
  EXPECT_NEAR(
      *parseBrief(changed("mass_fraction = 0.4", "mass_reduction = 0.6"), "test.toml").target.fraction, 0.4,
      1e-15);
}

TEST(Brief, theFirstBriefAndTheRiggerCanBeRun) {
  const Job first = prepare(parseBrief(firstBrief(), "first.toml"));
  EXPECT_TRUE(first.warnings.empty());
  EXPECT_LE(first.cellCount(), 60000U);
  EXPECT_LT(std::count(firstBrief().begin(), firstBrief().end(), '\n'), 50);
  EXPECT_TRUE(prepare(parseBrief(riggerBrief(), "rigger.toml")).warnings.empty());
}

TEST(Brief, missingFilesAreNamed) {
  try {
    readBrief("/nowhere/brief.toml");
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("/nowhere/brief.toml"));
  }
}

// What is left open is told with the key by which it can be said; what is said is not.
TEST(Defaults, areToldUntilTheBriefSaysThem) {
  const auto told = [](const std::string& text) { return parseBrief(text, "test.toml").defaults; };
  const auto with = [](const std::string& more) { return std::string(testing::kBrief) + more; };
  EXPECT_THAT(told(testing::kBrief), Contains(HasSubstr("[proof] exclude_within = \"6 mm\"")));
  EXPECT_THAT(told(with("[proof]\nexclude_within = \"4 mm\"\n")), Not(Contains(HasSubstr("exclude_within"))));
  EXPECT_THAT(told(testing::kBrief), Contains(HasSubstr("[solid] fill_voids = \"6 mm\"")));
  EXPECT_THAT(told(with("[solid]\nfill_voids = \"0 mm\"\n")), Not(Contains(HasSubstr("fill_voids"))));
  EXPECT_THAT(told(testing::kBrief), Contains(HasSubstr("steel: ")));
  EXPECT_THAT(told(testing::kBrief), Not(Contains(HasSubstr("goal"))));  // of one case there is one goal
  EXPECT_THAT(told(testing::kBrief), Not(Contains(HasSubstr("[require]"))));
  const std::string two = changed("down = {", "up = { loads = { push = -1.0 } }\ndown = {");
  EXPECT_THAT(told(two), Contains(HasSubstr("goal = \"stiffest\"")));
  EXPECT_THAT(told(two), Contains(HasSubstr("weight = 1 where a case names none")));
  EXPECT_THAT(told("goal = \"stiffest\"\n" + two), Not(Contains(HasSubstr("goal"))));
}

}  // namespace
}  // namespace barelattice
