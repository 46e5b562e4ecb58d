// What leaves no void closed, against its definition and on shapes with known answers.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/layout/making.hpp"
#include "barelattice/layout/open_voids_map.hpp"
#include "support/grids.hpp"
#include "support/layout_maps.hpp"

namespace barelattice {
namespace {

using testing::expectExactGradient;
using testing::randomField;
using testing::through;

/// The definition: levels fall until each is the least there is by way of a neighbour, or outside.
std::vector<double> byDefinition(const Grid<3>& grid, const std::vector<double>& in) {
  std::vector<double> out(in.size(), 1.0);
  for (bool changed = true; changed;) {
    changed = false;
    for (std::size_t c = 0; c < in.size(); ++c) {
      double around = 1;
      for (std::size_t axis = 0; axis < 3; ++axis)
        for (const int step : {-1, 1}) {
          Index<3> at = grid.cellIndex(c);
          at[axis] += step;
          const int next = grid.cellAt(at);
          around = std::min(around, next < 0 ? 0 : out[static_cast<std::size_t>(next)]);
        }
      const double value = std::max(in[c], around);
      changed = changed || value < out[c];
      out[c] = std::min(out[c], value);
    }
  }
  return out;
}

TEST(OpenVoidsMap, floodsAsItsDefinitionSays) {
  const Grid<3> box = testing::boxGrid<3>({9, 8, 10});
  const Grid<3> notched =
      testing::gridWhere<3>({9, 8, 10}, 0.5, [](const Index<3>& i) { return i[0] < 6 || i[1] < 5; });
  for (const Grid<3>& grid : {box, notched})
    for (const unsigned seed : {1U, 2U, 3U}) {
      const std::vector<double> in = randomField(grid.cellCount(), seed);
      EXPECT_EQ(through(OpenVoidsMap<3>(grid, 0), in), byDefinition(grid, in));
    }
}

TEST(OpenVoidsMap, hasExactGradients) {
  const Grid<3> grid = testing::boxGrid<3>({9, 8, 10}, 0.5);
  for (const double opening : {0.0, 1.1, 2.3})
    expectExactGradient(OpenVoidsMap<3>(grid, opening), grid.cellCount(), 5, "");
}

/// A block with a cavity and, if asked for, a square channel to the outside.
std::vector<double> hollow(const Grid<3>& grid, int channel) {
  std::vector<double> in(grid.cellCount(), 1.0);
  for (std::size_t c = 0; c < in.size(); ++c) {
    const Index<3> at = grid.cellIndex(c);
    const bool cavity = std::all_of(at.begin(), at.end(), [](int i) { return i >= 7 && i < 18; });
    const bool way =
        at[2] >= 12 && std::abs(2 * at[0] + 1 - 25) < channel && std::abs(2 * at[1] + 1 - 25) < channel;
    if (cavity || way) in[c] = 0;
  }
  return in;
}

TEST(OpenVoidsMap, fillsWhatABallCannotLeave) {
  const Grid<3> grid = testing::boxGrid<3>({25, 25, 25});
  const auto filled = [&](int channel, double opening) {
    const std::vector<double> in = hollow(grid, channel);
    const std::vector<double> out = through(OpenVoidsMap<3>(grid, opening), in);
    double sum = 0;
    for (std::size_t c = 0; c < in.size(); ++c) {
      EXPECT_GE(out[c], in[c]);
      sum += out[c] - in[c];
    }
    return sum;
  };
  const double cavity = 11 * 11 * 11;
  EXPECT_EQ(filled(0, 0), cavity);
  EXPECT_EQ(filled(1, 0), 0);
  EXPECT_EQ(filled(1, 1.5), 0);
  EXPECT_GT(filled(1, 3), cavity);  // with the channel
  EXPECT_GT(filled(3, 5), cavity);
  EXPECT_LT(filled(5, 5), 0.3 * cavity);  // its corners, which a ball does not enter
  // A wall that is half there counts half: what lies behind it is as full as that.
  std::vector<double> in = hollow(grid, 1);
  in[static_cast<std::size_t>(grid.cellAt({12, 12, 22}))] = 0.4;
  const std::vector<double> out = through(OpenVoidsMap<3>(grid, 0), in);
  EXPECT_EQ(out[static_cast<std::size_t>(grid.cellAt({8, 8, 8}))], 0.4);
  // All of its weight hangs on that cell.
  std::vector<double> gradient(in.size());
  OpenVoidsMap<3>(grid, 0).backward(in, out, std::vector<double>(in.size(), 1.0), gradient);
  EXPECT_EQ(gradient[static_cast<std::size_t>(grid.cellAt({12, 12, 22}))], cavity + 5);
}

TEST(OpenVoidsMap, leavesOpenLayoutsAlone) {
  const Grid<3> grid = testing::boxGrid<3>({25, 25, 25});
  const std::vector<double> in = hollow(grid, 3);
  EXPECT_EQ(through(OpenVoidsMap<3>(grid, 0), in), in);
  EXPECT_EQ(through(OpenVoidsMap<3>(grid, 0.4), in), in);
  for (const double opening : {0.0, 3.0}) {
    const OpenVoidsMap<3> map(grid, opening);
    const std::vector<double> once = through(map, randomField(grid.cellCount(), 2));
    EXPECT_EQ(through(map, once), once);
  }
  EXPECT_THROW(OpenVoidsMap<3>(grid, -1), InputError);
}

// Printed and drained, a layout is both: what fills a void stands on what is full.
TEST(Making, keepsPrintedLayoutsPrintableWhereVoidsAreFilled) {
  const Grid<3> grid = testing::boxGrid<3>({20, 18, 16});
  const std::vector<double> fill(grid.cellCount(), 1.0);
  const Printing print{Vec3::UnitZ(), 0.7854};
  const MakingMaps maps =
      mapsOf<3>({Walls{3, FilterBoundary::empty}, OpenVoids{}, print}, grid, fill, {}, {});
  std::vector<double> field = randomField(grid.cellCount(), 4);
  for (double& v : field) v = v > 0.6;
  const std::vector<double> level = maps.level.forward(field);
  const std::vector<double> again = through(OpenVoidsMap<3>(grid, 0), level);
  for (const double threshold : {0.3, 0.5, 0.7})
    for (std::size_t c = 0; c < level.size(); ++c) {
      EXPECT_EQ(level[c] > threshold, again[c] > threshold);
      const Index<3> at = grid.cellIndex(c);
      if (level[c] <= threshold || at[2] == 0) continue;
      double below = 0;
      for (int y = -1; y <= 1; ++y)
        for (int x = -1; x <= 1; ++x)
          if (const int under = grid.cellAt({at[0] + x, at[1] + y, at[2] - 1}); under >= 0)
            below = std::max(below, level[static_cast<std::size_t>(under)]);
      EXPECT_GT(below, threshold);
    }
  const Grid<2> sheet = testing::boxGrid<2>({9, 9});
  EXPECT_THROW(mapsOf<2>({Walls{3}, OpenVoids{}}, sheet, std::vector<double>(81, 1.0), {}, {}), InputError);
}

}  // namespace
}  // namespace barelattice
