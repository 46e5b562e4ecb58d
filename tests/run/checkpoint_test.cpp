#include "barelattice/run/checkpoint.hpp"

#include <gtest/gtest.h>

#include <limits>

#include "barelattice/base/file.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

OptimiseState example() {
  OptimiseState state;
  state.stage = 3;
  state.inStage = 7;
  state.variables = {0.1, 1.0 / 3, std::numeric_limits<double>::denorm_min()};
  state.displacements = {{1e-300, -0.0}, {}};
  state.asymptotes.low = {-0.4};
  state.cycles = {Cycle::w, Cycle::v};
  state.history = {{1, 2.5, 0.3, 0.01, 1, 42, 0.125, 0.1, true},
                   {2, 2.25, 0.3, 1.0 / 7, 2, 43, 0.25, 0.0625, false}};
  return state;
}

TEST(Checkpoint, comesBackToTheBit) {
  const std::filesystem::path path = ownFolder() / "checkpoint.bin";
  const OptimiseState state = example();
  writeCheckpoint(path, "abc", state);
  const auto back = readCheckpoint(path, "abc");
  ASSERT_TRUE(back.has_value());
  EXPECT_EQ(back->stage, state.stage);
  EXPECT_EQ(back->inStage, state.inStage);
  EXPECT_EQ(back->variables, state.variables);
  EXPECT_EQ(back->displacements, state.displacements);
  EXPECT_EQ(back->asymptotes.low, state.asymptotes.low);
  EXPECT_EQ(back->cycles, state.cycles);
  ASSERT_EQ(back->history.size(), 2U);
  EXPECT_TRUE(back->history[0].strengthened);
  EXPECT_FALSE(back->history[1].strengthened);
  EXPECT_EQ(back->history[1].change, 1.0 / 7);
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
}

}  // namespace
}  // namespace barelattice
