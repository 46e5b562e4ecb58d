#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "barelattice/base/file.hpp"
#include "barelattice/brief/job.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

// Line numbers matter: errors name them.
const std::string kBrief = R"(voxel = "2 mm"
[material]
use = "steel"
[shapes]
block = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["60 mm", "20 mm", "20 mm"] } }
pad = { box = { from = ["54 mm", "0 mm", "0 mm"], to = ["60 mm", "20 mm", "20 mm"] } }
pin = { cylinder = { from = ["30 mm", "-1 mm", "10 mm"], to = ["30 mm", "21 mm", "10 mm"], radius = "4 mm" } }
slab = { box = { from = ["28 mm", "-1 mm", "-1 mm"], to = ["32 mm", "21 mm", "21 mm"] } }
edge = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["1 mm", "20 mm", "1 mm"] } }
[design]
space = "block"
keep = ["pad"]
clear = ["pin"]
[faces]
root = { of = "block", kind = "plane", facing = "-x" }
tip = { of = "pad", kind = "plane", facing = "+x" }
[supports]
root = { face = "root" }
[loads]
push = { face = "tip", force = ["0 N", "0 N", "-1 kN"] }
[cases]
down = { weight = 2.0, loads = { push = 1.5 } }
[target]
mass_fraction = 0.4
[making]
smallest_member = "6 mm"
[require]
mass = "0.2 kg"
displacement = { tip = "1 mm" }
)";

std::string changed(const std::string& from, const std::string& to) {
  std::string text = kBrief;
  const std::size_t at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from;
  return text.replace(at, from.size(), to);
}

TEST(Brief, isUnderstood) {
  const Job job = prepare(parseBrief(kBrief, "test.toml"));
  const double spaceMass = (60 * 20 * 20 - 3.14159265 * 16 * 20) * 1e-9 * 7850;
  EXPECT_NEAR(job.spaceMass / spaceMass, 1, 0.003);
  EXPECT_NEAR(job.keepMass, 6 * 400e-9 * 7850, 1e-9);
  EXPECT_NEAR(job.targetMass, 0.4 * job.spaceMass, 1e-12);
  ASSERT_EQ(job.summaries.size(), 1U);
  EXPECT_LT((job.summaries[0].resultant.force - Vec3(0, 0, -1500)).norm(), 1e-9);
  EXPECT_NEAR(job.summaries[0].resultant.moment.y(), 1500 * 0.06, 1e-9);
  EXPECT_EQ(job.cases[0].weight, 2);
  EXPECT_EQ(job.cases[0].held.size(), 3U * 11 * 11);
  EXPECT_TRUE(job.warnings.empty());
  EXPECT_EQ(job.layoutProblem<3>().massFraction, 0.4);
  EXPECT_EQ(job.proofProblem().cases[0].loads[0].action.force, Vec3(0, 0, -1500));
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
        Refusal{"missing", "[target]\nmass_fraction = 0.4\n", "", 1, "misses 'target'", "mass_fraction"},
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
  EXPECT_EQ(job.cases.size(), 2U);
  EXPECT_EQ(job.brief.requirements.size(), 2U);
}

TEST(Brief, missingFilesAreNamed) {
  try {
    readBrief("/nowhere/brief.toml");
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("/nowhere/brief.toml"));
  }
}

}  // namespace
}  // namespace barelattice
