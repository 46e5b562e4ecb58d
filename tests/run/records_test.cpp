// Records, their JSON, and the page that documents it.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "run/record_json.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using nlohmann::json;
using ::testing::HasSubstr;

RunRecord example(unsigned seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> exponent(-12, 12);
  std::uniform_real_distribution<double> mantissa(-1, 1);
  const auto number = [&] { return mantissa(random) * std::pow(10, exponent(random)); };
  const auto place = [&] { return Vec3(number(), number(), number()); };
  RunRecord record;
  record.method = "x";
  record.title = "quotes \" and \\ and \xC3\xA9";
  record.material = {"steel", false, number()};
  record.otherMaterials["insert"] = {"brass", true, number()};
  record.voxels = 1234567890123;
  record.voxel = number();
  record.warnings = {"one", "two"};
  LayoutRecord& layout = record.layout.emplace();
  layout.stamp = {"abc", {{"key", "value"}}, {{"layout.vti", "00"}}};
  layout.mass = number();
  DesignRecord& design = layout.design.emplace();
  design.failure = FailureRecord{"what", "cure", {}};
  design.blackAndWhite = std::numeric_limits<double>::infinity();
  design.cases.resize(2);
  for (LayoutCaseRecord& c : design.cases) c.faceDisplacement = {{"a", place()}, {"b", place()}};
  SolidRecord& solid = record.solid.emplace();
  solid.volume = number();
  solid.bores = {{"bore", number(), true, number()}, {"boss", number(), false, std::nullopt}};
  BodyRecord& proof = record.proof.emplace();
  proof.angles = {1, 2, 3};
  proof.worstElements = {place(), place()};
  proof.faceOffset = {{"a", number()}};
  BodyCaseRecord& c = proof.cases.emplace_back();
  c.judged = number();
  c.safetyFactor = std::numeric_limits<double>::infinity();
  c.faceRotation = {{"a", place()}};
  c.faceMotion = {{"a", {number(), number(), number()}}};
  c.faceTurn = {{"a", {place(), place(), number()}}};
  c.places = {{{number(), number(), number()}, {number(), number(), number()}, {}}};
  c.reactions["root"] = {
      place(), place(), place(), place(), {{place(), place(), place(), place(), number(), number()}}};
  proof.requirements = {{"mass", "kg", number(), number(), number(), number(), "at most", "", "met", {}}};
  proof.surfaceGap = {number(), number(), place()};
  return record;
}

// Figures are SI in memory and in the key's unit in the file; a file that is read and written again keeps its
// bits, whatever the factor.
TEST(Records, keepTheirBitsThroughTheFile) {
  for (unsigned seed = 0; seed < 3000; ++seed) {
    const json written = recordJson(example(seed));
    const RunRecord read = recordFrom(json::parse(written.dump()));
    ASSERT_EQ(recordJson(read), written) << "seed " << seed;
    ASSERT_EQ(read.layout->mass, example(seed).layout->mass);
    ASSERT_TRUE(std::isinf(read.layout->design->blackAndWhite));
    ASSERT_TRUE(std::isinf(read.proof->cases[0].safetyFactor));
  }
}

TEST(Records, tellWhatIsMissingApartFromWhatIsNothing) {
  const json written = recordJson(example(1));
  EXPECT_FALSE(written.contains("outside"));
  EXPECT_FALSE(written["solid"].contains("outline_corners"));
  EXPECT_TRUE(written["solid"]["bores"][1]["fits_mm"].is_null());
  EXPECT_TRUE(written["proof"]["requirements"][0]["to_decide"].is_null());
  EXPECT_FALSE(written["optimise"].contains("imported"));
  json damaged = written;
  damaged["solid"].erase("pieces");
  EXPECT_THROW(recordFrom(damaged), json::exception);
  damaged = written;
  damaged["proof"]["cases"] = 7;
  EXPECT_THROW(recordFrom(damaged), json::exception);
  damaged = written;
  damaged["masses_kg"] = json::array();
  EXPECT_THROW(recordFrom(damaged), json::exception);
}

TEST(Records, aFolderWithoutResultsIsAnEmptyRecord) {
  const RunRecord empty = readRun(ownFolder());
  EXPECT_FALSE(empty.layout);
  EXPECT_FALSE(empty.atWork);
  EXPECT_THROW(readRun(ownFolder() / "none"), InputError);
  writeFile(ownFolder() / "results.json", "{");
  EXPECT_THAT(readRun(ownFolder()).notes, ::testing::ElementsAre(HasSubstr("damaged")));
}

// With BARELATTICE_REWRITE set the page is written anew.
TEST(Records, areDocumentedByTheirDescription) {
  const std::filesystem::path page = std::filesystem::path(BARELATTICE_DOCS) / "results.md";
  const std::string text =
      "# The figures of a run\n\nMade from the description of the records, src/run/record_fields.hpp. Keys "
      "end "
      "with their unit; in the\nlibrary's structs (`barelattice/steps/records.hpp`) all is SI. Figures that "
      "are "
      "infinite are `null`. `hash`, of all the rest,\nis written beside what follows: results that were "
      "changed "
      "are not used.\n\n" +
      recordDocs();
  if (std::getenv("BARELATTICE_REWRITE")) writeFile(page, text);
  EXPECT_EQ(readFile(page), text);
}

}  // namespace
}  // namespace barelattice
