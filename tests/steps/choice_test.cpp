// Rules that may be followed in several ways: which is tried, taken, and left alone.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/steps/steps.hpp"
#include "support/brief.hpp"
#include "support/grids.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

Job jobWith(const std::string& rule) {
  const std::string member = "smallest_member = \"6 mm\"";
  return prepare(parseBrief(testing::changed(member, member + "\n" + rule), "test.toml"));
}

TEST(Choice, isOpenWhereABriefGivesSeveralWays) {
  const Job prints = jobWith("print = { up = [\"+z\", \"-x\", [1, 0, 1]], overhang = \"50 deg\" }");
  ASSERT_TRUE(prints.open.has_value());
  ASSERT_EQ(openRule(prints).ways.size(), 3U);
  EXPECT_EQ(wayText(openRule(prints).ways[1]), "up = \"-x\"");
  EXPECT_EQ(wayText(openRule(prints).ways[2]), "up = [0.7071, 0, 0.7071]");
  ASSERT_EQ(prints.assumptions.size(), 1U);
  EXPECT_THAT(prints.assumptions.front(), HasSubstr("print: up = \"+z\" of 3 ways"));
  const Job second = settledOn(prints, 1);
  EXPECT_TRUE(second.assumptions.empty());
  EXPECT_FALSE(second.open.has_value());
  EXPECT_EQ(std::get<Printing>(second.brief.imposed().back()).up, -Vec3::UnitX());
  EXPECT_THROW(settledOn(prints, 3), InputError);
  EXPECT_THROW(openRule(second), InputError);
  EXPECT_FALSE(jobWith("print = { up = [1, 0, 1] }").open.has_value());
  EXPECT_FALSE(jobWith("print = { up = [\"+z\"] }").open.has_value());

  const Job cast = jobWith("cast = { draw = \"-z\", parting = \"flat\" }");
  ASSERT_TRUE(cast.open.has_value());
  ASSERT_EQ(openRule(cast).ways.size(), 7U);  // at eighths of the 20 mm, seen along the draw
  EXPECT_EQ(wayText(openRule(cast).ways.front()), "parting = \"-17.5 mm\"");
  EXPECT_EQ(std::get<Casting>(cast.brief.imposed().back()).at, -0.01);
  const Grid<3> grid = testing::boxGrid<3>({4, 4, 4});
  const std::vector<double> fill(grid.cellCount(), 1.0);
  EXPECT_THROW(mapsOf<3>({Walls{1}, Casting{Vec3::UnitZ(), Casting::Parting::flat}}, grid, fill, {}, {}),
               InputError);
}

// What is only measured is measured for all directions.
TEST(Choice, isNoneOfWhatIsOnlyMeasured) {
  const Job job = jobWith("print = { up = [\"+z\", \"-z\"], impose = false }");
  EXPECT_FALSE(job.open.has_value());
  EXPECT_EQ(job.brief.making.size(), 3U);
  EXPECT_EQ(job.brief.imposed().size(), 1U);
}

// The tip of a cantilever hangs down if it is printed from above: of two ways the stiffer one is taken, the
// same as trying by hand.
TEST(Choice, takesTheStiffest) {
  const Job job = jobWith("print = { up = [\"-x\", \"+z\", \"+x\"], overhang = \"30 deg\" }");
  const ChoiceRecord choice = choiceOf(job);
  ASSERT_EQ(choice.tried.size(), 3U);
  double best = std::numeric_limits<double>::infinity();
  for (std::size_t k = 0; k < 3; ++k) {
    EXPECT_TRUE(choice.tried[k].failure.empty());
    EXPECT_GT(choice.tried[k].compliance, 0);
    best = std::min(best, choice.tried[k].compliance);
  }
  EXPECT_EQ(choice.tried[choice.taken].compliance, best);
  // Tried again, the same.
  EXPECT_EQ(choiceOf(job).tried[2].compliance, choice.tried[2].compliance);
  // Cancelled, nothing is chosen.
  EXPECT_THROW(choiceOf(job, [](const Progress&) { return false; }), Cancelled);
}

// A way that cannot be prepared is told and not taken.
TEST(Choice, leavesOutWaysThatFail) {
  Job job = jobWith("print = { up = [\"+x\", \"+z\"] }");
  for (BriefRule& rule : job.open->making)
    if (!rule.ways.empty()) std::get<Printing>(rule.ways[0]).overhang = 1.5;  // more than any map allows
  const ChoiceRecord choice = choiceOf(job);
  EXPECT_THAT(choice.tried[0].failure, HasSubstr("overhang"));
  EXPECT_TRUE(std::isinf(choice.tried[0].compliance));
  EXPECT_EQ(choice.taken, 1U);
  for (BriefRule& rule : job.open->making)
    for (MakingRule& way : rule.ways) std::get<Printing>(way).overhang = 1.5;
  EXPECT_THROW(choiceOf(job), RunError);
}

TEST(Choice, isMadeByThoseWhoCarryAJobOut) {
  const Job job = jobWith("cast = { draw = \"+y\", parting = \"flat\" }");
  const JobResult result = carryOut(job);
  for (const MakingRecord& found : result.proof.record.making)
    if (found.rule == "cast") {
      EXPECT_EQ(found.verdict, "met") << found.what;
    }
}

}  // namespace
}  // namespace barelattice
