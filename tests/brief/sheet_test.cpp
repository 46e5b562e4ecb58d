// Briefs of sheets: what two dimensions have of their own.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <numbers>

#include "barelattice/base/file.hpp"
#include "barelattice/prepare/job.hpp"
#include "support/brief.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using testing::changedIn;
using ::testing::Contains;
using ::testing::HasSubstr;
using testing::kSheet;
using ::testing::Not;
constexpr double kPi = std::numbers::pi;

Job prepared(const std::string& from, const std::string& to) {
  return prepare(parseBrief(changedIn(kSheet, from, to), ownFolder() / "sheet.toml"));
}

/// With further shapes, and entries of [design].
Job with(const std::string& shapes, const std::string& design = "") {
  return prepared("[design]\n", shapes + "\n[design]\n" + design + "\n");
}

TEST(SheetBrief, takesOutlinesFromDrawings) {
  const std::filesystem::path folder = ownFolder();
  writeFile(
      folder / "plate.svg",
      "<svg width='60mm' viewBox='0 0 60 20'><path id='blank' d='M0 0H60V20H0Z M10 10a3 3 0 1 0 6 0 a3 3 0 "
      "1 0 -6 0Z'/></svg>");
  std::string text = kSheet;
  const std::string rectangle = "rectangle = { from = [\"0 mm\", \"0 mm\"], to = [\"60 mm\", \"20 mm\"] }";
  text.replace(text.find(rectangle), rectangle.size(),
               "outline = { drawing = \"plate.svg\", path = \"blank\", origin = [\"0 mm\", \"20 mm\"] }");
  const Job job = prepare(parseBrief(text, folder / "test.toml"));
  EXPECT_NEAR(job.spaceMass / ((60e-3 * 20e-3 - kPi * 9e-6) * 5e-3 * 7850), 1, 1e-3);
  EXPECT_NEAR(job.face("tip").centroid().y(), 0.010, 1e-9) << "moved up by its origin";
  // Another drawing is another job.
  const auto plate = [](const Brief& brief) {
    return std::find_if(brief.shapes.begin(), brief.shapes.end(),
                        [](const BriefShape& shape) { return shape.name == "plate"; })
        ->text;
  };
  const std::string before = plate(job.brief);
  writeFile(folder / "plate.svg",
            "<svg width='60mm' viewBox='0 0 60 20'><path id='blank' d='M0 0H60V20H0Z'/></svg>");
  EXPECT_NE(plate(parseBrief(text, folder / "test.toml")), before);
}

TEST(SheetBrief, hasTheMassAndTheLoadsOfTheSheet) {
  const Job job = prepare(parseBrief(kSheet, "test.toml"));
  EXPECT_NEAR(job.spaceMass, 60e-3 * 20e-3 * 5e-3 * 7850, 1e-12);
  EXPECT_EQ(job.layoutProblem<2>().cases[0].supports.size(), 11U);
  EXPECT_LT((job.summaries[0].resultant.force - Vec3(0, -1000, 0)).norm(), 1e-9);
  EXPECT_EQ(job.layoutProblem<2>().material.modulus, 205e9 * 5e-3);
  EXPECT_EQ(std::get<Held>(job.proofProblem().setup.supports[0].kind).directions, 3U) << "in its plane";
  EXPECT_EQ(job.proofProblem().across, AcrossSheet::free);
}

TEST(SheetBrief, keepsTheRingRoundAHole) {
  const Job job = with(
      "eye = { ring = { centre = [\"45 mm\", \"10 mm\"], hole = \"4 mm\", wall = \"3 mm\" } }\n"
      "bore = { disc = { centre = [\"45 mm\", \"10 mm\"], radius = \"4 mm\" } }",
      "keep = [\"eye\"]\nclear = [\"bore\"]");
  EXPECT_NEAR(job.spaceMass / ((60e-3 * 20e-3 - kPi * 16e-6) * 5e-3 * 7850), 1, 1e-3);
  const double backing = 20e-3 * job.brief.walls().smallestMember;  // of the load on the tip
  EXPECT_NEAR(job.keepMass / ((kPi * (49e-6 - 16e-6) + backing) * 5e-3 * 7850), 1, 0.03) << "in whole voxels";
}

// Plane strain is stiffer than plane stress: E / (1 - nu^2) and nu / (1 - nu) take the places of E and nu
// (Timoshenko & Goodier 1970, Theory of Elasticity, section 16).
TEST(SheetBrief, hasTheStateItIsGiven) {
  const Job job = prepared("\"5 mm\"", "\"5 mm\", state = \"plane strain\"");
  const Material sheet = job.layoutProblem<2>().material;
  EXPECT_NEAR(sheet.modulus / (205e9 * 5e-3), 1 / (1 - 0.29 * 0.29), 1e-12);
  EXPECT_NEAR(sheet.poisson, 0.29 / 0.71, 1e-15);
  EXPECT_EQ(job.proofProblem().across, AcrossSheet::held);
}

TEST(SheetBrief, aBudgetOfVoxelsIsUsedAndKept) {
  for (const int budget : {700, 9000}) {
    const Job job = prepared("voxel = \"2 mm\"", "voxels = " + std::to_string(budget));
    EXPECT_LE(job.cellCount(), static_cast<std::size_t>(budget));
    EXPECT_GT(static_cast<double>(job.cellCount()), 0.85 * budget);
  }
}

TEST(SheetBrief, shapesAreRepeatedAlongALineAndRoundAPoint) {
  const auto cleared = [](const std::string& repeat) {
    const Job job = with(
        "dot = { disc = { centre = [\"8 mm\", \"10 mm\"], radius = \"2 mm\" } }\n"
        "dots = { repeat = { of = \"dot\", " +
            repeat + " } }",
        "clear = [\"dots\"]");
    return 60e-3 * 20e-3 - job.spaceMass / (5e-3 * 7850);
  };
  EXPECT_NEAR(cleared("times = 4, step = [\"12 mm\", \"1 mm\"]") / (4 * kPi * 4e-6), 1, 0.02);
  EXPECT_NEAR(cleared("times = 5, angle = \"72 deg\", centre = [\"14 mm\", \"10 mm\"]") / (5 * kPi * 4e-6), 1,
              0.02);
}

TEST(SheetBrief, regionsAndBondedPartsHaveTheirMaterial) {
  const double area = 60e-3 * 20e-3;
  const Job region = with(
      "half = { rectangle = { from = [\"0 mm\", \"0 mm\"], to = [\"30 mm\", \"20 mm\"] } }\n"
      "[regions.half]\nshape = \"half\"\nmaterial = { use = \"magnesium\" }");
  EXPECT_NEAR(region.spaceMass, area * 5e-3 * 0.5 * (7850 + 1800), 1e-6);
  const LayoutProblem<2> problem = region.layoutProblem<2>();
  const Domain<2>& domain = std::get<Domain<2>>(region.domain);
  const double magnesium = region.setup.materials[1].modulus / region.setup.materials[0].modulus;
  for (std::size_t c = 0; c < domain.fill.size(); ++c)
    EXPECT_NEAR(problem.modulus[c], domain.grid.cellCentre(c).x() < 30e-3 ? magnesium : 1.0, 1e-12);
  const Job bonded = with("[inserts.pin]\nshape = \"spare\"\nmaterial = { use = \"titanium\" }");
  EXPECT_NEAR(bonded.bondedMass / (kPi * 16e-6 * 5e-3 * 4430), 1, 0.01);
  EXPECT_NEAR(bonded.spaceMass / ((area - kPi * 16e-6) * 5e-3 * 7850), 1, 1e-3);
}

TEST(SheetBrief, hasNoVoidsToDrain) {
  try {
    prepared("smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\ndrain = {}");
    FAIL() << "was accepted";
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), ::testing::HasSubstr("voids of a sheet"));
  }
}

TEST(SheetBrief, theDesignStartsFromTheGivenShape) {
  const Job job = prepared("[target]", "[optimise]\nstart = \"spare\"\n[target]");
  const std::vector<double> start = job.layoutProblem<2>().start;
  double area = 0;
  for (const double density : start) area += density * 4e-6;
  EXPECT_NEAR(area / (kPi * 16e-6), 1, 0.05);
}

TEST(SheetBrief, refusesALoadPathCutToASliver) {
  const auto warnings = [](const std::string& from) {
    return with(
               "slit = { rectangle = { from = [\"30 mm\", \"" + from + "\"], to = [\"34 mm\", \"21 mm\"] } }",
               "clear = [\"slit\"]")
        .warnings;
  };
  try {
    warnings("4 mm");
    FAIL() << "no member of the smallest size gets through";
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), ::testing::AllOf(HasSubstr("[loads.push] to the supports"),
                                               HasSubstr("only about 4 mm wide at (3")));
  }
  EXPECT_THAT(warnings("12 mm"), Not(Contains(HasSubstr("to the supports"))));
}

TEST(SheetBrief, saysHowMuchOfAFaceHasMaterial) {
  const auto cut = [](const std::string& to) {
    return with("cut = { rectangle = { from = [\"-1 mm\", \"-1 mm\"], to = [\"9 mm\", \"" + to + "\"] } }",
                "clear = [\"cut\"]")
        .warnings;
  };
  EXPECT_THAT(cut("6 mm"), Contains(HasSubstr("% of face root has material below it")));
  EXPECT_THROW(cut("12 mm"), BriefError);
}

}  // namespace
}  // namespace barelattice
