#include "barelattice/optimise/black_and_white.hpp"

#include <gtest/gtest.h>

#include <random>

#include "optimise/lost_members.hpp"
#include "support/grids.hpp"

namespace barelattice {
namespace {

TEST(BlackAndWhite, hasTheWantedMass) {
  std::mt19937 random(3);
  std::uniform_real_distribution<double> value(0, 1);
  std::vector<double> level(5000), weight(5000);
  for (double& l : level) l = value(random);
  for (double& w : weight) w = 0.2 + value(random);
  const MassFraction mass(weight);
  for (const double share : {0.02, 0.3, 0.5, 0.97}) {
    const BlackAndWhite read = readBlackAndWhite(level, mass, share);
    EXPECT_NEAR(mass.value(read.density), share, 3e-4) << "to one cell, seed 3";
    for (std::size_t c = 0; c < level.size(); ++c)
      ASSERT_EQ(read.density[c], level[c] >= read.threshold ? 1 : 0);
  }
}

TEST(Greyness, isNoneForSolidAndEmptyAndOneForHalf) {
  const std::vector<double> fill{1, 1, 0.5, 0.5};
  EXPECT_EQ(greyness(std::vector<double>{0, 1, 0, 1}, fill).overMass, 0);
  const Greyness half = greyness(std::vector<double>(4, 0.5), fill);
  EXPECT_DOUBLE_EQ(half.overSpace, 1);
  EXPECT_DOUBLE_EQ(half.overMass, 1);
  EXPECT_DOUBLE_EQ(greyness(std::vector<double>{1, 1, 0.5, 0.5}, fill).overMass, 0.5 / 2.5)
      << "what is half weighs half";
  EXPECT_EQ(greyness(std::vector<double>(4, 0.0), fill).overMass, 0) << "nothing is not grey";
}

/// A strip held at its left end, pushed at its right one, and in the other case at its middle.
struct Strip {
  Grid<2> grid = testing::boxGrid<2>({20, 4}, 1e-3);
  std::vector<GridCase<2>> cases;

  Strip() {
    const auto held = testing::holdWhere<2>(grid, [](const Index<2>& i) { return i[0] == 0; });
    for (const int x : {20, 10}) {
      GridCase<2> c{x == 20 ? "end" : "middle", 1, {}, supportsOf<2>(grid, held)};
      for (std::size_t n = 0; n < grid.nodeCount(); ++n)
        if (grid.nodeIndex(n) == Index<2>{x, 2}) c.force[gridDof(grid, n, 1)] = 1;
      cases.push_back(c);
    }
  }
  std::vector<std::uint8_t> where(const std::function<bool(const Index<2>&)>& chosen) const {
    std::vector<std::uint8_t> cells(grid.cellCount());
    for (std::size_t c = 0; c < cells.size(); ++c) cells[c] = chosen(grid.cellIndex(c));
    return cells;
  }
};

// A block that holds, a hairline beside it that is grey, and the loose grains that are left of it.
TEST(LostMembers, areWhatNoPieceThatHoldsIsNear) {
  LayoutProblem<2> problem;
  problem.grid = testing::boxGrid<2>({40, 20});
  const std::size_t cells = problem.grid.cellCount();
  problem.fill.assign(cells, 1);
  problem.keep.assign(cells, 0);
  std::vector<double> density(cells, 0);
  std::vector<double> read(cells, 0);
  const auto isBlock = [&](std::size_t c) { return problem.grid.cellIndex(c)[0] < 8; };
  const auto isLine = [&](std::size_t c) {
    const Index<2>& i = problem.grid.cellIndex(c);
    return i[0] >= 14 && i[0] < 30 && i[1] == 10;
  };
  for (std::size_t c = 0; c < cells; ++c) {
    const Index<2>& i = problem.grid.cellIndex(c);
    problem.keep[c] = i[0] == 0;
    density[c] = isBlock(c) ? 1 : i[0] == 8 ? 0.5 : isLine(c) ? 0.4 : 0;
    read[c] = isBlock(c) || (isLine(c) && i[0] % 4 == 0);
  }
  const std::vector<std::uint8_t> lost = lostMembers(problem, density, read);
  ASSERT_EQ(lost.size(), cells);
  for (std::size_t c = 0; c < cells; ++c) {
    const Index<2>& i = problem.grid.cellIndex(c);
    if (isLine(c)) {
      EXPECT_TRUE(lost[c]) << i[0];
    }
    if (i[0] < 10 || std::abs(i[1] - 10) > 3 || i[0] > 32) {
      EXPECT_FALSE(lost[c]) << i[0] << ", " << i[1];
    }
  }
  GridCase<2> pull{"pull", 1, {}, {}};
  pull.force[gridDof(problem.grid, static_cast<std::size_t>(problem.grid.nodeAt({29, 10})), 1)] = 1;
  problem.cases = {pull};
  std::vector<double> whole(cells);
  for (std::size_t c = 0; c < cells; ++c) whole[c] = isBlock(c) || isLine(c);
  EXPECT_TRUE(lostMembers(problem, density, whole).empty()) << "a load hangs on it, and it is all read";
  problem.cases.clear();
  for (double& d : density) d = d == 0.4 ? 0.005 : d;
  EXPECT_TRUE(lostMembers(problem, density, read).empty()) << "next to nothing";
}

TEST(LooseLoads, namesTheLoadThatHangsInTheAir) {
  const Strip strip;
  EXPECT_TRUE(looseLoads(strip.grid, strip.where([](const Index<2>&) { return true; }), strip.cases).empty());
  const auto cut = strip.where([](const Index<2>& i) { return i[0] != 15; });
  const auto loose = looseLoads(strip.grid, cut, strip.cases);
  ASSERT_EQ(loose.size(), 1U);
  EXPECT_EQ(loose[0].load, 0U);
  EXPECT_NEAR(loose[0].at.x(), 0.02, 1e-12);
  EXPECT_EQ(
      looseLoads(strip.grid, strip.where([](const Index<2>& i) { return i[0] != 5; }), strip.cases).size(),
      2U);
}

TEST(LooseLoads, takesNoCornerForAJoint) {
  const Strip strip;
  // Two halves that touch at a corner only, and a load on no solid cell at all.
  const auto corner = strip.where([](const Index<2>& i) { return i[0] < 12 ? i[1] < 2 : i[1] >= 2; });
  EXPECT_EQ(looseLoads(strip.grid, corner, strip.cases).size(), 1U);
  const auto none = strip.where([](const Index<2>& i) { return i[0] < 8; });
  EXPECT_EQ(looseLoads(strip.grid, none, strip.cases).size(), 2U);
}

}  // namespace
}  // namespace barelattice
