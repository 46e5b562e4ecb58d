// What a tool leaves, against its definition and against geometry.
#include "barelattice/layout/tool.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/layout/directed_maps.hpp"
#include "support/grids.hpp"
#include "support/layout_maps.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;
constexpr double kDegree = kPi / 180;
using testing::expectExactGradient;
using testing::randomField;
using testing::through;

AccessMap<3> milled(const Grid<3>& grid, const std::vector<Point<3>>& sides, const Tool& tool) {
  AccessMap<3>::Options options;
  options.sides = sides;
  options.tool = tool;
  return {grid, options};
}

/// The definition: of all tips whose tool covers a cell, wherever they stand, the one in whose way there is
/// least; a holder goes round what is left, too. The tool comes from +z.
std::vector<double> byDefinition(const Grid<3>& grid, const std::vector<double>& in, const Tool& tool) {
  const double size = grid.frame().size;
  const auto lowest = [&](int x, int y, bool cutting) {
    const double radius = size * std::hypot(x, y) - 1e-6 * size;
    const double height = cutting ? tool.cuttingHeightAt(radius) : tool.reach - size;
    const bool there = std::isfinite(height) && (cutting || radius <= 0.5 * tool.holder);
    return there ? static_cast<int>(std::lround(height / size)) : 1000;
  };
  const Index<3> n = grid.frame().cells;
  const int margin = static_cast<int>(std::ceil(tool.cuttingRadius(n[2] * size) / size));
  const int below = static_cast<int>(std::ceil(tool.cornerRadius / size));
  // What is left of a box that has room for the tool beside the part.
  const Index<3> wide{n[0] + 2 * margin, n[1] + 2 * margin, n[2] + 2 * below};
  const Grid<3> box = testing::boxGrid<3>(wide, size);
  std::vector<double> full(box.cellCount(), 0.0);
  const auto place = [&](const Index<3>& at) {
    return static_cast<std::size_t>(box.cellAt({at[0] + margin, at[1] + margin, at[2] + below}));
  };
  for (std::size_t c = 0; c < in.size(); ++c) full[place(grid.cellIndex(c))] = in[c];
  std::vector<double> left = full;
  for (int round = 0; round < n[2]; ++round) {
    const std::vector<double> before = left;
    left.assign(full.size(), 1.0);
    for (std::size_t p = 0; p < full.size(); ++p) {
      const Index<3> tip = box.cellIndex(p);
      double most = 0;
      for (std::size_t c = 0; c < full.size(); ++c) {
        const Index<3> at = box.cellIndex(c);
        const int x = at[0] - tip[0], y = at[1] - tip[1], z = at[2] - tip[2];
        if (z >= lowest(x, y, true)) most = std::max(most, full[c]);
        if (tool.holder > 0 && z >= lowest(x, y, false)) most = std::max({most, full[c], before[c]});
      }
      for (std::size_t c = 0; c < full.size(); ++c) {
        const Index<3> at = box.cellIndex(c);
        if (at[2] - tip[2] >= lowest(at[0] - tip[0], at[1] - tip[1], true)) left[c] = std::min(left[c], most);
      }
    }
    if (left == before) break;
  }
  std::vector<double> out(in.size());
  for (std::size_t c = 0; c < in.size(); ++c) out[c] = left[place(grid.cellIndex(c))];
  return out;
}

TEST(Tool, leavesWhatItsDefinitionSays) {
  const Grid<3> grid = testing::gridWhere<3>(
      {9, 8, 7}, 0.5, [](const Index<3>& i) { return (i[0] + 2 * i[1] + i[2]) % 7 != 0; });
  std::vector<double> in = randomField(grid.cellCount(), 3);
  for (double& v : in) v = v > 0.85 ? v : 0.3 * v;
  const std::vector<Tool> tools{
      {1.1, 0, 0, 0, 0},          {2, 0, 0, 0, 0},   {3, 1.5, 0, 0, 0},         {2, 0.5, 0, 0, 0},
      {1, 0, 20 * kDegree, 0, 0}, {1, 0, 0, 1.5, 4}, {2, 1, 10 * kDegree, 2, 5}};
  for (std::size_t t = 0; t < tools.size(); ++t) {
    const std::vector<double> out = through(milled(grid, {Point<3>::UnitZ()}, tools[t]), in);
    EXPECT_EQ(out, byDefinition(grid, in, tools[t])) << t;
    EXPECT_NE(out, in) << t;
  }
}

TEST(Tool, hasExactGradientsFromAnySide) {
  const Grid<3> grid =
      testing::gridWhere<3>({11, 8, 9}, 0.5, [](const Index<3>& i) { return (i[0] + i[1] * i[2]) % 9 != 0; });
  const Point<3> x = Point<3>::UnitX();
  const Point<3> oblique = Point<3>(0.5, -0.8, 0.6).normalized();
  const std::size_t n = grid.cellCount();
  expectExactGradient(milled(grid, {x, -x}, {1.1, 0, 0, 0, 0}), n, 5, "straight");
  expectExactGradient(milled(grid, {-x, Point<3>::UnitY(), oblique}, {2, 0.5, 5 * kDegree, 2, 5}), n, 5,
                      "with a holder");
  expectExactGradient(milled(grid, {oblique}, {2, 1, 0, 0, 0}), n, 5, "oblique");
}

// Material only grows, a second pass takes nothing away, and nothing is left of a difference between equals.
TEST(Tool, leavesAloneWhatItMade) {
  const Grid<3> grid = testing::boxGrid<3>({14, 12, 11}, 0.5);
  const std::vector<double> in = randomField(grid.cellCount(), 8);
  const Point<3> oblique = Point<3>(0.4, 0.3, 1).normalized();
  for (const Point<3>& side : {Point<3>(0, 0, 1), Point<3>(-1, 0, 0), oblique})
    for (const Tool& tool : std::vector<Tool>{{2, 0, 0, 0, 0}, {2, 1, 0, 0, 0}, {1.5, 0.3, 0.1, 0, 0}}) {
      const AccessMap<3> map = milled(grid, {side}, tool);
      const std::vector<double> once = through(map, in);
      const std::vector<double> plain = through(milled(grid, {side}, {}), in);
      for (std::size_t c = 0; c < in.size() && side != oblique; ++c) EXPECT_GE(once[c], plain[c]);
      if (side != oblique) {  // whose lines are stepped by cells
        EXPECT_EQ(through(map, once), once);
      }
      EXPECT_EQ(through(map, std::vector<double>(in.size(), 0.4)), std::vector<double>(in.size(), 0.4));
    }
}

/// A block of n x n x deep with a pocket open upwards: half as wide as the block, square, three quarters
/// deep.
struct Pocketed {
  int n;
  int deep;
  Grid<3> grid = testing::boxGrid<3>({n, n, deep});
  std::vector<double> in = std::vector<double>(grid.cellCount(), 1.0);

  Pocketed(int width, int depth) : n(width), deep(depth) {
    for (std::size_t c = 0; c < in.size(); ++c) {
      const Index<3> at = grid.cellIndex(c);
      if (4 * at[0] >= n && 4 * at[0] < 3 * n && 4 * at[1] >= n && 4 * at[1] < 3 * n && 4 * at[2] >= deep)
        in[c] = 0;
    }
  }
  double filled(const Tool& tool) const {
    const std::vector<double> out = through(milled(grid, {Point<3>::UnitZ()}, tool), in);
    double sum = 0;
    for (std::size_t c = 0; c < in.size(); ++c) sum += out[c] - in[c];
    return sum;
  }
};

// Tools an odd number of cells wide are as wide as told. In the corners of a pocket a tool of radius r leaves
// (4 - pi) r^2 a layer, an edge of radius c on its floor (1 - pi/4) c^2 for each length of wall; one that
// does not fit leaves all of it, and so does a holder.
TEST(Tool, leavesRoundCorners) {
  const Pocketed pocket(80, 40);
  const double layers = 30;
  for (const double radius : {4.5, 8.5, 15.5})
    EXPECT_NEAR(pocket.filled({2 * radius, 0, 0, 0, 0}), (4 - kPi) * radius * radius * layers,
                0.1 * (4 - kPi) * radius * radius * layers + 4 * layers);
  EXPECT_EQ(pocket.filled({42, 0, 0, 0, 0}), 40 * 40 * layers);
  const double straight = pocket.filled({13, 0, 0, 0, 0});
  const double wall = 4 * (40 - 13) + 2 * kPi * 0.5 * 6.5;
  EXPECT_NEAR(pocket.filled({13, 5.5, 0, 0, 0}) - straight, (1 - kPi / 4) * 30 * wall, 0.15 * 6.5 * wall);
  // Leaning by 10 degrees: on each wall half of depth times depth tan(10 deg), a little more in corners.
  const double leaning = pocket.filled({13, 0, 10 * kDegree, 0, 0}) - straight;
  EXPECT_NEAR(leaning, 0.5 * layers * layers * std::tan(10 * kDegree) * (4 * 34 - 4 * 3), 0.12 * leaning);
  // A holder that does not go in: with a reach of 20 the floor rises by 10, and a cell on the safe side.
  EXPECT_NEAR(pocket.filled({13, 0, 0, 20, 60}), straight + 11 * (40 * 40 - straight / layers), 1);
  EXPECT_EQ(pocket.filled({13, 0, 0, 20, 13}), straight);  // one that does
}

// Through a plate the walls of a hole are upright down to its lower edge, whatever the tool's edge.
TEST(Tool, goesThrough) {
  const Grid<3> grid = testing::boxGrid<3>({40, 40, 10});
  std::vector<double> in(grid.cellCount(), 1.0);
  for (std::size_t c = 0; c < in.size(); ++c) {
    const Point<3> p = grid.cellCentre(c);
    if (std::hypot(p.x() - 20, p.y() - 20) < 12) in[c] = 0;
  }
  const std::vector<double> out = through(milled(grid, {Point<3>::UnitZ()}, {12, 6, 0, 0, 0}), in);
  double left = 0;
  for (std::size_t c = 0; c < in.size(); ++c) left += out[c] - in[c];
  EXPECT_LT(left, 0.02 * kPi * 144 * 10);
  // And round the outside, where the tool stands beside the space.
  std::vector<double> boss(grid.cellCount(), 0.0);
  for (std::size_t c = 0; c < boss.size(); ++c) {
    const Point<3> p = grid.cellCentre(c);
    boss[c] = std::hypot(p.x() - 20, p.y() - 20) < 19;
  }
  EXPECT_EQ(through(milled(grid, {Point<3>::UnitZ()}, {12, 0, 0, 0, 0}), boss), boss);
}

// A slot along an oblique side: a tool that is wider than it leaves it full, a slimmer one empties it but for
// what steps of cells catch.
TEST(Tool, comesFromObliqueSides) {
  const Grid<3> grid = testing::boxGrid<3>({50, 40, 40});
  const Point<3> side = Point<3>(0.5, 0.3, 1).normalized();
  const Point<3> across = Point<3>(1, 0, -0.5).normalized();
  std::vector<double> in(grid.cellCount());
  double slot = 0;
  for (std::size_t c = 0; c < in.size(); ++c) {
    in[c] = std::abs(across.dot(grid.cellCentre(c) - Point<3>(25, 20, 20))) > 6;
    slot += 1 - in[c];
  }
  const auto filled = [&](double diameter) {
    const std::vector<double> out = through(milled(grid, {side}, {diameter, 0, 0, 0, 0}), in);
    double sum = 0;
    for (std::size_t c = 0; c < in.size(); ++c) sum += out[c] - in[c];
    return sum / slot;
  };
  EXPECT_LT(filled(5), 0.12);
  EXPECT_LT(filled(9), 0.15);
  EXPECT_GT(filled(15), 0.85);  // it cuts corners where the slot leaves the space
}

TEST(Tool, isRefusedIfItIsNone) {
  for (const Tool& tool : std::vector<Tool>{{-1, 0, 0, 0, 0},
                                            {2, 1.5, 0, 0, 0},
                                            {2, 0, 0.6, 0, 0},
                                            {2, 0, 0, 5, 0},
                                            {2, 0, 0, 0, 8},
                                            {2, 0, 0, 5, 1},
                                            {2, 0, 0.3, 20, 8},
                                            {2, 1, 0, 0.5, 8},
                                            {std::nan(""), 0, 0, 0, 0}})
    EXPECT_THROW(validate(tool), InputError);
  EXPECT_NO_THROW(validate(Tool{2, 1, 0.1, 20, 8}));
}

}  // namespace
}  // namespace barelattice
