#include "barelattice/run/checkpoint.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "barelattice/base/file.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

OptimiseState example() {
  OptimiseState state;
  state.attempt = 1;
  state.sharpenings = 2;
  state.at = {3.5, 4, 0.25, 0.7, 2.25, {2.5, 1.0 / 3}, {2.5, 0.3}, {1e-3}, true, 7};
  state.accepted = {0.2, 0.3};
  state.appraisal = {{1.5, 2.5}, {0.3}};
  state.gradients = {{{-1, -2}, {-3}}, {{0.5}, {7}}, {4, 5}};
  state.variables = {0.1, 1.0 / 3, std::numeric_limits<double>::denorm_min()};
  state.states.nominal.displacements = {{1e-300, -0.0}, {}};
  state.states.eroded.displacements = {{}, {7}};
  state.states.adjoints = {{}, {1.0 / 3, 2}};
  state.massFraction = 1.0 / 7;
  state.leastMass = 0.1;
  state.begun = 5;
  state.asymptotes.low = {-0.4};
  state.states.nominal.cycles = {Cycle::w, Cycle::v};
  state.states.eroded.cycles = {Cycle::v, Cycle::w};
  const double none = std::numeric_limits<double>::infinity();
  state.history = {
      {1, 2.5, 2.5, 2.5, {2.5, 0.3}, 0.3, {0.7, 1.0 / 3}, 0.01, 0.9, 1, 0, false, 42, 0.125, 0.1, true},
      {2,
       none,
       2.25,
       none,
       {none, 0.3},
       0.3,
       {none, 0.5},
       1.0 / 7,
       0.8,
       2,
       0.05,
       true,
       43,
       0.25,
       0.0625,
       false}};
  return state;
}

TEST(Checkpoint, comesBackToTheBit) {
  const std::filesystem::path path = ownFolder() / "checkpoint.bin";
  const OptimiseState state = example();
  writeCheckpoint(path, "abc", state);
  const auto back = readCheckpoint(path, "abc");
  ASSERT_TRUE(back.has_value());
  EXPECT_EQ(back->attempt, 1U);
  EXPECT_EQ(back->sharpenings, 2);
  EXPECT_EQ(back->at, state.at);
  EXPECT_EQ(back->accepted, state.accepted);
  EXPECT_EQ(back->appraisal.terms, state.appraisal.terms);
  EXPECT_EQ(back->appraisal.limits, state.appraisal.limits);
  EXPECT_EQ(back->gradients.goal, state.gradients.goal);
  EXPECT_EQ(back->gradients.limits, state.gradients.limits);
  EXPECT_EQ(back->gradients.price, state.gradients.price);
  EXPECT_EQ(back->variables, state.variables);
  EXPECT_EQ(back->states.nominal.displacements, state.states.nominal.displacements);
  EXPECT_EQ(back->states.eroded.displacements, state.states.eroded.displacements);
  EXPECT_EQ(back->states.adjoints, state.states.adjoints);
  EXPECT_EQ(back->massFraction, 1.0 / 7);
  EXPECT_EQ(back->leastMass, 0.1);
  EXPECT_EQ(back->begun, 5U);
  EXPECT_EQ(back->asymptotes.low, state.asymptotes.low);
  EXPECT_EQ(back->states.nominal.cycles, state.states.nominal.cycles);
  EXPECT_EQ(back->states.eroded.cycles, state.states.eroded.cycles);
  ASSERT_EQ(back->history.size(), 2U);
  EXPECT_TRUE(back->history[0].strengthened);
  EXPECT_FALSE(back->history[1].strengthened);
  EXPECT_EQ(back->history[1].change, 1.0 / 7);
  EXPECT_TRUE(std::isinf(back->history[1].eroded));
  EXPECT_TRUE(std::isinf(back->history[1].values[0]));
  EXPECT_EQ(back->history[0].values, state.history[0].values);
  EXPECT_EQ(back->history[0].overBounds, state.history[0].overBounds);
  EXPECT_TRUE(std::isinf(back->history[1].overBounds[0]));
  EXPECT_TRUE(back->history[1].takenBack);
  EXPECT_EQ(back->history[1].erosion, 0.05);
  EXPECT_EQ(back->history[1].solverIterations, 43);
  EXPECT_EQ(back->history[1].seconds, 0.25);
  EXPECT_EQ(back->history[1].solveSeconds, 0.0625);
}

TEST(Checkpoint, isIgnoredWhenItIsNotOursOrDamaged) {
  const std::filesystem::path path = ownFolder() / "checkpoint.bin";
  std::filesystem::remove(path);
  EXPECT_FALSE(readCheckpoint(path, "abc").has_value());
  writeCheckpoint(path, "abc", example());
  EXPECT_FALSE(readCheckpoint(path, "other").has_value());
  const std::string whole = readFile(path);
  for (const std::string& text : {whole.substr(0, whole.size() - 1), whole + "x", whole.substr(0, 20),
                                  std::string(), std::string("{\"fingerprint\":\"abc\"}\n")}) {
    writeFile(path, text);
    EXPECT_FALSE(readCheckpoint(path, "abc").has_value()) << text.size();
  }
  // A bit changed anywhere.
  for (std::size_t at = 0; at < whole.size(); at += 1 + whole.size() / 500) {
    std::string changed = whole;
    changed[at] = static_cast<char>(changed[at] ^ 4);
    writeFile(path, changed);
    EXPECT_FALSE(readCheckpoint(path, "abc").has_value()) << at;
  }
}

}  // namespace
}  // namespace barelattice
