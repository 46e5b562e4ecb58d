#include "side_access.hpp"

#include <algorithm>
#include <cmath>
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
std::vector<Index<D>> cuttingCells(const Grid<D>& grid, const Point<D>& side, const Tool& tool) {
  if (tool.diameter <= 0) return {};
  const double deepest = depthAlong(grid.frame(), side);
  return surfaceCells<D>(side, grid.frame().size, tool.cuttingRadius(deepest), deepest,
                         [&](double radius) { return tool.cuttingHeightAt(radius); });
}

template <int D>
std::vector<Index<D>> allCells(const Grid<D>& grid, const Point<D>& side, const Tool& tool) {
  if (tool.diameter <= 0) return {};
  const double deepest = depthAlong(grid.frame(), side);
  return surfaceCells<D>(side, grid.frame().size, std::max(tool.cuttingRadius(deepest), 0.5 * tool.holder),
                         deepest, [&](double radius) { return tool.heightAt(radius); });
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
      cutting_(box_.frame.cells, cuttingCells(grid, side, tool)),
      surface_(box_.frame.cells, allCells(grid, side, tool)),
      sweep_(
          cutting_.none() ? grid : Grid<D>(box_.frame, std::vector<std::uint8_t>(box_.frame.boxCells(), 1)),
          -side, draft) {}

template <int D>
typename SideAccess<D>::Made SideAccess<D>::forward(std::span<const double> in) const {
  Made made;
  if (cutting_.none()) {
    made.swept = sweep_.greatest(in);
    return made;
  }
  made.swept = sweep_.greatest(box_.spread(grid_, in));
  made.seen.resize(box_.frame.boxCells());
  forEach(made.seen.size(), [&](std::size_t p) { made.seen[p] = sweep_.at(made.swept, p); });
  made.tip = surface_.largest(made.seen);
  made.left = cutting_.smallest(made.tip);
  return made;
}

template <int D>
void SideAccess<D>::back(std::span<const double> in, const Made& made, std::span<const double> gradientOut,
                         std::span<double> gradientIn) const {
  if (cutting_.none()) {
    sweep_.back(in, made.swept, {}, gradientOut, gradientIn);
    return;
  }
  const std::vector<double> byTip =
      cutting_.backFromSmallest(made.tip, made.left, box_.spread(grid_, gradientOut));
  const std::vector<double> bySeen = surface_.backFromLargest(made.seen, made.tip, byTip);
  std::vector<double> byIn(bySeen.size(), 0.0);
  sweep_.back(box_.spread(grid_, in), made.swept, {}, bySeen, byIn);
  forEach(gradientIn.size(), [&](std::size_t c) { gradientIn[c] += byIn[box_.placeOf(grid_.cellIndex(c))]; });
}

template class SideAccess<2>;
template class SideAccess<3>;

}  // namespace barelattice
