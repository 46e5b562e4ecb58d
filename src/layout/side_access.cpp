#include "side_access.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

#include "base/parallel.hpp"

namespace barelattice {
namespace {

/// The axis a direction is nearest to.
template <int D>
Eigen::Index mainAxis(const Point<D>& side) {
  Eigen::Index axis = 0;
  side.cwiseAbs().maxCoeff(&axis);
  return axis;
}

/// The length of the box along a direction, m.
template <int D>
double depthAlong(const GridFrame<D>& frame, const Point<D>& side) {
  double depth = 0;
  for (std::size_t i = 0; i < D; ++i)
    depth += std::abs(side[static_cast<Eigen::Index>(i)]) * frame.cells[i] * frame.size;
  return depth;
}

/// The cells of a tool's lower surface seen from its tip: one on each line of cells along the side.
/// @param heightAt height over the tip by distance from the axis, m; infinite for none.
template <int D, class Height>
std::vector<Index<D>> surfaceCells(const Point<D>& side, double size, double radius, double deepest,
                                   const Height& heightAt) {
  constexpr double kRounding = 1e-6;
  const Eigen::Index axis = mainAxis<D>(side);
  const int reach = static_cast<int>(std::ceil(radius / size / std::abs(side[axis]))) + 1;
  Index<D> extent{};
  extent.fill(2 * reach + 1);
  extent[static_cast<std::size_t>(axis)] = 1;
  std::set<Index<D>> cells;
  forEachIndex<D>(extent, [&](const Index<D>& index) {
    Point<D> place;
    for (std::size_t i = 0; i < D; ++i)
      place[static_cast<Eigen::Index>(i)] =
          static_cast<Eigen::Index>(i) == axis ? 0.0 : (index[i] - reach) * size;
    place -= place.dot(side) * side;
    const double height = heightAt(std::max(0.0, place.norm() - kRounding * size));
    if (!(height <= deepest)) return;
    place += height * side;
    Index<D> cell{};
    for (std::size_t i = 0; i < D; ++i)
      cell[i] = static_cast<int>(std::lround(place[static_cast<Eigen::Index>(i)] / size));
    cells.insert(cell);
  });
  return {cells.begin(), cells.end()};
}

template <int D>
std::vector<Index<D>> toolCells(const Grid<D>& grid, const Point<D>& side, const Tool& tool) {
  if (tool.diameter <= 0) return {};
  const double deepest = depthAlong(grid.frame(), side);
  return surfaceCells<D>(side, grid.frame().size, tool.cuttingRadius(deepest), deepest,
                         [&](double radius) { return tool.cuttingHeightAt(radius); });
}

/// The holder comes down to the floor of the cell its tool's tip is in the middle of, and surfaces run half a
/// cell off: a cell less of reach is on the safe side.
template <int D>
double safeReach(const Grid<D>& grid, const Tool& tool) {
  return std::max(tool.reach - grid.frame().size, grid.frame().size);
}

template <int D>
std::vector<Index<D>> holderCells(const Grid<D>& grid, const Point<D>& side, const Tool& tool) {
  const double deepest = depthAlong(grid.frame(), side);
  const double reach = safeReach(grid, tool);
  if (tool.diameter <= 0 || tool.holder <= 0 || reach > deepest) return {};
  double across = 0;  // of the box: what is wider meets no more
  for (const int cells : grid.frame().cells) across = std::hypot(across, cells * grid.frame().size);
  const double radius = std::min(0.5 * tool.holder, across);
  return surfaceCells<D>(side, grid.frame().size, radius, deepest, [&](double at) {
    return at <= radius ? reach : std::numeric_limits<double>::infinity();
  });
}

/// How far beside the box a tool stands that cuts into it: across by its radius; along by what its edge is
/// round, and what a tool that comes obliquely hangs down.
template <int D>
Index<D> marginOf(const Grid<D>& grid, const Point<D>& side, const Tool& tool) {
  Index<D> margin{};
  if (tool.diameter <= 0) return margin;
  const double size = grid.frame().size;
  const double radius = tool.cuttingRadius(depthAlong(grid.frame(), side));
  const Eigen::Index axis = mainAxis<D>(side);
  margin.fill(static_cast<int>(std::ceil(radius / size)));
  const double tilt = std::sqrt(std::max(0.0, 1 - side[axis] * side[axis]));
  margin[static_cast<std::size_t>(axis)] =
      static_cast<int>(std::ceil((tool.cornerRadius + 2 * radius * tilt) / size - 1e-9));
  return margin;
}

}  // namespace

template <int D>
SideAccess<D>::SideAccess(const Grid<D>& grid, const Point<D>& side, double draft, const Tool& tool)
    : grid_(grid),
      box_(grid.frame(), marginOf(grid, side, tool)),
      tool_(box_.frame.cells, toolCells(grid, side, tool)),
      holder_(box_.frame.cells, holderCells(grid, side, tool)),
      sweep_(tool_.none() ? grid : Grid<D>(box_.frame, std::vector<std::uint8_t>(box_.frame.boxCells(), 1)),
             -side, draft) {
  if (!holder_.none())
    rounds_ += static_cast<int>(std::ceil(depthAlong(box_.frame, side) / safeReach(grid, tool)));
}

template <int D>
typename SideAccess<D>::Made SideAccess<D>::forward(std::span<const double> in) const {
  Made made;
  if (tool_.none()) {
    made.swept = sweep_.greatest(in);
    return made;
  }
  made.swept = sweep_.greatest(box_.spread(grid_, in));
  made.seen.resize(box_.frame.boxCells());
  forEach(made.seen.size(), [&](std::size_t p) { made.seen[p] = sweep_.at(made.swept, p); });
  made.tool = tool_.largest(made.seen);
  for (int k = 0; k < rounds_; ++k) {
    typename Made::Round round;
    round.tip = made.tool;
    if (!holder_.none()) {
      round.holder = holder_.largest(k == 0 ? made.seen : made.rounds.back().left);
      forEach(round.tip.size(),
              [&](std::size_t p) { round.tip[p] = std::max(round.tip[p], round.holder[p]); });
    }
    round.left = tool_.smallest(round.tip);
    const bool same = k > 0 && round.left == made.rounds.back().left;
    if (same) break;
    made.rounds.push_back(std::move(round));
  }
  return made;
}

template <int D>
void SideAccess<D>::back(std::span<const double> in, const Made& made, std::span<const double> gradientOut,
                         std::span<double> gradientIn) const {
  if (tool_.none()) {
    sweep_.back(in, made.swept, {}, gradientOut, gradientIn);
    return;
  }
  std::vector<double> byLeft = box_.spread(grid_, gradientOut);
  std::vector<double> byTool(byLeft.size(), 0.0);
  std::vector<double> bySeen(byLeft.size(), 0.0);
  for (std::size_t k = made.rounds.size(); k-- > 0;) {
    const typename Made::Round& round = made.rounds[k];
    std::vector<double> byTip = tool_.backFromSmallest(round.tip, round.left, byLeft);
    if (holder_.none()) {
      byTool = std::move(byTip);
      break;
    }
    std::vector<double> byHolder(byTip.size());
    forEach(byTip.size(), [&](std::size_t p) {
      const double share = made.tool[p] > round.holder[p] ? 1 : made.tool[p] < round.holder[p] ? 0 : 0.5;
      byTool[p] += share * byTip[p];
      byHolder[p] = (1 - share) * byTip[p];
    });
    byLeft = holder_.backFromLargest(k == 0 ? made.seen : made.rounds[k - 1].left, round.holder, byHolder);
    if (k == 0) bySeen = byLeft;
  }
  const std::vector<double> byToolAlone = tool_.backFromLargest(made.seen, made.tool, byTool);
  forEach(bySeen.size(), [&](std::size_t p) { bySeen[p] += byToolAlone[p]; });
  std::vector<double> byIn(bySeen.size(), 0.0);
  sweep_.back(box_.spread(grid_, in), made.swept, {}, bySeen, byIn);
  forEach(gradientIn.size(), [&](std::size_t c) { gradientIn[c] += byIn[box_.placeOf(grid_.cellIndex(c))]; });
}

template class SideAccess<2>;
template class SideAccess<3>;

}  // namespace barelattice
