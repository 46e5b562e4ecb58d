// What check says in words of a design space that will surprise.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "barelattice/prepare/job.hpp"
#include "support/brief.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using testing::changed;
using ::testing::Contains;
using ::testing::HasSubstr;
using ::testing::Not;

std::vector<std::string> warningsOf(const std::string& text) {
  return prepare(parseBrief(text, ownFolder() / "test.toml")).warnings;
}

/// The test brief with another shape cleared as well.
std::string clearing(const std::string& box) {
  std::string text = changed("clear = [\"pin\"]", "clear = [\"pin\", \"cut\"]");
  const std::string at = "[design]";
  return text.replace(text.find(at), at.size(), "cut = { box = " + box + " }\n[design]");
}

TEST(Surprises, aClearThatCutsALoadPathToASliver) {
  // Leaves 4 of the 20 millimetres, at x = 40 to 44, below the clear; a member is 6.
  const auto sliver = clearing(R"({ from = ["40 mm", "-1 mm", "4 mm"], to = ["44 mm", "21 mm", "21 mm"] })");
  try {
    warningsOf(sliver);
    FAIL() << "no member of the smallest size gets through";
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), ::testing::AllOf(HasSubstr("[loads.push] to the supports"),
                                               HasSubstr("only about 4 mm wide at (4")));
  }
  // Where the filter reflects a thinner member may run along the walls: that is worth a warning.
  std::string reflecting = sliver;
  reflecting.replace(reflecting.find("[making]"), 8, "[making]\nboundary = \"reflecting\"");
  EXPECT_THAT(warningsOf(reflecting), Contains(HasSubstr("only about 4 mm wide at (4")));
  // 12 are enough.
  const auto wide = clearing(R"({ from = ["40 mm", "-1 mm", "12 mm"], to = ["44 mm", "21 mm", "21 mm"] })");
  EXPECT_THAT(warningsOf(wide), Not(Contains(HasSubstr("to the supports"))));
  EXPECT_THAT(warningsOf(testing::kBrief), Not(Contains(HasSubstr("to the supports"))));
}

TEST(Surprises, aClearThinnerThanAVoxel) {
  const auto thin = clearing(R"({ from = ["10 mm", "-1 mm", "10 mm"], to = ["20 mm", "21 mm", "11 mm"] })");
  EXPECT_THAT(warningsOf(thin),
              Contains(HasSubstr("clear \"cut\" is 1 mm thick, less than a voxel of 2 mm")));
  EXPECT_THAT(warningsOf(thin), Contains(HasSubstr("the solid does not")));
  const auto thinner =
      clearing(R"({ from = ["10 mm", "-1 mm", "10 mm"], to = ["20 mm", "21 mm", "10.1 mm"] })");
  EXPECT_THAT(warningsOf(thinner), Contains(HasSubstr("holds none under 0.37 mm")));
  EXPECT_THAT(warningsOf(testing::kBrief), Not(Contains(HasSubstr("thick"))));
}

TEST(Surprises, aKeepThatLosesAShareToAClear) {
  // A tenth of the pad, at its upper side.
  const auto tenth = clearing(R"({ from = ["50 mm", "-1 mm", "18 mm"], to = ["61 mm", "21 mm", "21 mm"] })");
  EXPECT_THAT(warningsOf(tenth),
              Contains(HasSubstr("keep \"pad\" loses 10 % of itself to clear regions, which win")));
  EXPECT_THAT(warningsOf(testing::kBrief), Not(Contains(HasSubstr("loses"))));
}

TEST(Surprises, aKeepThinnerThanTwoVoxels) {
  const auto thin = changed("keep = [\"pad\"]", "keep = [\"pad\", { face = \"tip\", depth = \"3 mm\" }]");
  EXPECT_THAT(warningsOf(thin), Contains(HasSubstr("mm thick, less than two voxels of 2 mm")));
  const auto thick = changed("keep = [\"pad\"]", "keep = [{ face = \"tip\", depth = \"5 mm\" }]");
  EXPECT_THAT(warningsOf(thick), Not(Contains(HasSubstr("less than two voxels"))));
}

TEST(Surprises, aBoundOfTheMassThatTheTargetDoesNotHold) {
  const Job job = prepare(parseBrief(testing::kBrief, "test.toml"));
  const auto bounded = [&](double kilograms) {
    return warningsOf(changed("mass = \"0.2 kg\"", fmt::format("mass = \"{:.9g} kg\"", kilograms)));
  };
  EXPECT_THAT(bounded(0.99 * job.targetMass), Contains(HasSubstr("that cannot be met")));
  EXPECT_THAT(bounded(0.5 * job.keepMass), Contains(HasSubstr("and the keeps alone weigh")));
  EXPECT_THAT(bounded(1.01 * job.targetMass), Not(Contains(HasSubstr("cannot be met"))));
}

// A load on bare design space, on a keep, and on a face that is to be left free.
TEST(Backing, isKeptBelowLoadsThatNothingElseBacks) {
  const Job pad = prepare(parseBrief(testing::kBrief, "test.toml"));
  EXPECT_TRUE(pad.assumptions.empty());
  const Job bare = prepare(parseBrief(changed("keep = [\"pad\"]", ""), "test.toml"));
  ASSERT_EQ(bare.assumptions.size(), 1U);
  EXPECT_THAT(bare.assumptions[0], HasSubstr("below face tip 6 mm of material are kept"));
  EXPECT_NEAR(bare.keepMass / (20e-3 * 20e-3 * 6e-3 * bare.brief.material.density), 1, 0.01);
  std::string text = changed("keep = [\"pad\"]", "");
  const std::string load = "{ face = \"tip\"";
  const auto with = [&](const std::string& backing) {
    std::string other = text;
    other.replace(other.find(load), load.size(), load + ", backing = \"" + backing + "\"");
    return prepare(parseBrief(other, "test.toml"));
  };
  EXPECT_EQ(with("0 mm").keepMass, 0);
  EXPECT_TRUE(with("0 mm").assumptions.empty());
  EXPECT_NEAR(with("4 mm").keepMass / (20e-3 * 20e-3 * 4e-3 * bare.brief.material.density), 1, 0.01);
}

// The loaded face is of a body from which the space is cut.
TEST(Backing, doesNotFillWhatTheSpaceLeavesOut) {
  std::string text = changed("keep = [\"pad\"]", "");
  const std::string design = "[design]\nspace = \"block\"";
  text.replace(text.find(design), design.size(),
               R"(corner = { box = { from = ["50 mm", "-1 mm", "-1 mm"], to = ["61 mm", "21 mm", "4 mm"] } }
cut = { difference = ["block", "corner"] }
[design]
space = "cut")");
  const Job job = prepare(parseBrief(text, "test.toml"));
  ASSERT_EQ(job.assumptions.size(), 1U);
  EXPECT_GT(job.regions.kept({0.057, 0.010, 0.002}), 0) << "in the corner";
  EXPECT_LT(job.regions.kept({0.057, 0.010, 0.010}), 0);
}

TEST(Surprises, holesTheVoxelsDoNotSee) {
  const std::string small = changed(
      "[design]\nspace = \"block\"",
      R"(tap = { cylinder = { from = ["45 mm", "-1 mm", "10 mm"], to = ["45 mm", "21 mm", "10 mm"], radius = "1.5 mm" } }
tapped = { difference = ["block", "tap"] }
[design]
space = "tapped")");
  EXPECT_THAT(warningsOf(small),
              Contains(HasSubstr(
                  "1 of the design space's round holes are under two voxels across, the smallest 3 mm")));
}

}  // namespace
}  // namespace barelattice
