// A lightest part: what is designed, and how a proof corrects the next round.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/run/run.hpp"
#include "barelattice/steps/steps.hpp"
#include "support/brief.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using ::testing::HasSubstr;

std::string lightestBrief(const std::string& requirements, const std::string& settings = "") {
  std::string text = testing::kBrief;
  const auto target = text.find("[target]");
  text.erase(target, text.find("[making]") - target);
  text.erase(text.find("[require]"));
  return "goal = \"lightest\"\n" + text + "[require]\n" + requirements + "\n" + settings;
}
Job lightestJob(const std::string& requirements, const std::string& settings = "") {
  return prepare(parseBrief(lightestBrief(requirements, settings), "test.toml"));
}

TEST(LightestBrief, hasRequirementsAndNoTarget) {
  const Job job = lightestJob("displacement = { tip = \"0.1 mm\" }\nsafety_factor = 3\nmass = \"1 kg\"");
  EXPECT_TRUE(job.brief.lightest);
  EXPECT_EQ(job.targetMass, 0);
  const LayoutProblem<3> problem = job.layoutProblem<3>();
  EXPECT_TRUE(problem.lightest);
  EXPECT_EQ(problem.goal.form, GoalForm::worst);
  ASSERT_EQ(problem.goal.weights.size(), 2U);
  EXPECT_NEAR(problem.goal.weights[0], 1 / 1e-4, 1e-8);
  EXPECT_EQ(problem.goal.weights[1], 3);
  ASSERT_EQ(job.designedFor().size(), 2U) << "a mass is judged only";
  Job corrected = job;
  corrected.corrections = {1.1, 0.8};
  EXPECT_NEAR(corrected.layoutProblem<3>().goal.weights[0], 1.1 / 1e-4, 1e-8);
  EXPECT_NEAR(corrected.layoutProblem<3>().goal.weights[1], 2.4, 1e-12);
}

void expectRefused(const std::string& text, const std::string& message) {
  try {
    prepare(parseBrief(text, "test.toml"));
    ADD_FAILURE() << "accepted; due was: " << message;
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), HasSubstr(message));
  }
}

TEST(LightestBrief, refusesWhatContradictsIt) {
  const std::string good = lightestBrief("safety_factor = 3");
  const auto with = [&](const std::string& from, const std::string& to) {
    std::string text = good;
    text.replace(text.find(from), from.size(), to);
    return text;
  };
  prepare(parseBrief(good, "test.toml"));
  expectRefused(with("[making]", "[target]\nmass = \"1 kg\"\n[making]"), "contradicts goal = \"lightest\"");
  expectRefused(with("safety_factor = 3", "mass = \"1 kg\""), "has no limit that stops material");
  expectRefused(with("[require]\nsafety_factor = 3", ""), "has no limit that stops material");
  expectRefused(with("keep = [\"pad\"]", "keep = [\"block\"]"), "there is nothing to make lighter");
  expectRefused(with("safety_factor = 3", "displacement = { root = \"1 mm\" }"), "does not move");
  expectRefused(
      with("smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nprint = { up = [\"+z\", \"-z\"] }"),
      "several ways of making");
  expectRefused(with("push = 1.5", "push = 1.5, warm = 1") + "[loads.warm]\ntemperature = \"40 K\"\n",
                "has a temperature");
  expectRefused(testing::changed("[making]", "[optimise]\nrounds = 3\n[making]"), "which this brief has not");
  expectRefused(testing::changed("mass = \"0.2 kg\"", "frequency = \"120\""), "has no unit");
}

/// @param designed with its correction.
RoundLimitRecord limit(double designed, double proved, double error, double correction = 1) {
  RoundLimitRecord record;
  record.designed = {"safety factor", "", designed * correction, correction, 3, "at least", "down"};
  record.proved = proved;
  record.error = error;
  return record;
}
RoundRecord roundWith(std::vector<RoundLimitRecord> limits, double mass = 1) {
  RoundRecord round;
  round.mass = mass;
  round.limits = std::move(limits);
  return round;
}

// Designed for a factor of three, proved to have two and a half less its error: the next one is designed for
// as much more. Held and close, nothing follows.
TEST(Rounds, correctByWhatWasProved) {
  const Job job = lightestJob("safety_factor = 3");
  const auto next = nextCorrections(job, {roundWith({limit(3, 2.5, 0.1)})});
  ASSERT_TRUE(next.has_value());
  EXPECT_NEAR(next->front(), 3 / 2.4, 0.04);
  EXPECT_GT(next->front(), 3 / 2.4);
  const auto lighter = nextCorrections(job, {roundWith({limit(3, 5, 0.1, 1.2)})});
  ASSERT_TRUE(lighter.has_value());
  EXPECT_NEAR(lighter->front(), 1.2 * 3 / 4.9, 0.02);
  EXPECT_FALSE(nextCorrections(job, {roundWith({limit(3, 3.3, 0.1)})}).has_value());
  EXPECT_TRUE(nextCorrections(job, {roundWith({limit(3, 3.05, 0.1)})}).has_value())
      << "met but for its error";
  const RoundRecord failed = roundWith({limit(3, 2.5, 0.1)});
  EXPECT_FALSE(nextCorrections(job, {failed, failed, failed, failed}).has_value()) << "four rounds are done";
  EXPECT_GT(nextCorrections(job, {failed, failed})->front(), next->front()) << "further inside";
  EXPECT_FALSE(nextCorrections(job, {roundWith({limit(3, 0, 0.1)})}).has_value()) << "no figure";
  EXPECT_NEAR(nextCorrections(job, {roundWith({limit(3, 3, 1.8)})})->front(), 1 / 0.85, 0.04)
      << "so large an error is one of the meshes";
  // A layout that sharpening left with room may be asked for as much less, until that changes nothing.
  const auto room = nextCorrections(job, {roundWith({limit(4, 4.1, 0.1)})});
  ASSERT_TRUE(room.has_value());
  EXPECT_NEAR(room->front(), 0.75, 0.02);
  EXPECT_FALSE(
      nextCorrections(job, {roundWith({limit(4, 4.1, 0.1)}, 2), roundWith({limit(4, 4.1, 0.1)}, 1.99)}))
      << "it got no lighter";
  EXPECT_FALSE(nextCorrections(job, {failed, failed, roundWith({limit(4, 4.1, 0.1)})}).has_value())
      << "it holds, and the next round would be the last";
}

// From the brief to a part that is proved to hold its limits, and hardly more.
TEST(Rounds, endWithAPartThatHolds) {
  const Job job =
      lightestJob("displacement = { tip = \"0.1 mm\" }\nsafety_factor = 1.5", "[proof]\ntetrahedra = 40000");
  const JobResult result = carryOut(job);
  ASSERT_FALSE(result.rounds.empty());
  EXPECT_EQ(result.proof.record.verdict, "met");
  double most = 0;
  for (const RoundLimitRecord& each : result.rounds.back().limits) {
    const bool least = each.designed.sense == "at least";
    most = std::max(most, least ? each.designed.bound / (each.proved - each.error)
                                : (each.proved + each.error) / each.designed.bound);
  }
  EXPECT_GT(most, 0.85) << "and is not much heavier than it need be";
  EXPECT_LE(most, 1.0);
  EXPECT_NEAR(result.solid.record.mass / result.layout.record.mass, 1, 0.01);
}

// What rounds have found stands in the folder: another run finds it, whatever else is asked of the part that
// the layout does not depend on; a fresh one begins with the first round.
TEST(Rounds, areKeptWithTheRun) {
  std::filesystem::remove_all(ownFolder() / "run");
  std::size_t firstRound = 0;
  std::size_t all = 0;
  const auto notesOf = [&](const std::string& required, const std::string& settings, bool fresh) {
    std::string notes;
    RunListener listener;
    listener.note = [&](const std::string& line) { notes += line + "\n"; };
    JobRun run(lightestJob("safety_factor = 3\n" + required, "[proof]\ntetrahedra = 20000\n" + settings),
               ownFolder() / "run", std::move(listener));
    if (fresh) {
      run.optimise(true);
      EXPECT_FALSE(run.record().rounds.has_value());
    } else {
      run.proof();
      firstRound = run.record().rounds->done.front().iterations;
      all = run.record().rounds->done.back().iterations;
    }
    return notes;
  };
  EXPECT_THAT(notesOf("", "", false), HasSubstr("round 2 "));
  // Each round may take as many iterations; both together took more.
  ASSERT_GT(all, firstRound);
  const std::size_t cap = std::max(firstRound, all - firstRound) + 1;
  ASSERT_LT(cap, all);
  const std::string capped = notesOf("", fmt::format("[optimise]\niterations = {}", cap), false);
  EXPECT_THAT(capped, HasSubstr("optimise  reused"));
  EXPECT_THAT(capped, HasSubstr("proof     reused"));
  const std::string judged = notesOf("mass = \"1 kg\"", "", false);
  EXPECT_THAT(judged, HasSubstr("optimise  reused"));
  EXPECT_THAT(judged, HasSubstr("judged anew"));
  EXPECT_THAT(notesOf("", "", true), ::testing::Not(HasSubstr("corrected by")));
}

}  // namespace
}  // namespace barelattice
