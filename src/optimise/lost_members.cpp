#include "lost_members.hpp"

#include <algorithm>

namespace barelattice {
namespace {

/// With the cells that share a corner with chosen ones, some times over.
template <int D>
std::vector<std::uint8_t> grown(const Grid<D>& grid, std::vector<std::uint8_t> cells, int times) {
  for (; times > 0; --times) {
    std::vector<std::uint8_t> corners(grid.nodeCount(), 0);
    for (std::size_t c = 0; c < cells.size(); ++c)
      if (cells[c])
        for (const int node : grid.cellNodes(c)) corners[static_cast<std::size_t>(node)] = 1;
    for (std::size_t c = 0; c < cells.size(); ++c)
      for (const int node : grid.cellNodes(c)) cells[c] |= corners[static_cast<std::size_t>(node)];
  }
  return cells;
}

/// Nodes on which something acts.
template <int D>
std::vector<std::uint8_t> actedOn(const LayoutProblem<D>& problem) {
  std::vector<std::uint8_t> nodes(problem.grid.nodeCount(), 0);
  for (const GridCase<D>& c : problem.cases) {
    for (const NodeSupport<D>& support : c.supports) nodes[support.node] = 1;
    for (const auto& [dof, force] : c.force) nodes[dof % nodes.size()] = 1;
  }
  return nodes;
}

}  // namespace

template <int D>
std::vector<std::uint8_t> lostMembers(const LayoutProblem<D>& problem, const std::vector<double>& density,
                                      const std::vector<double>& read) {
  constexpr int kNear = 2;           // cells: as far as the edge of a member is grey
  constexpr int kRound = 3;          // cells: what a filter spreads
  constexpr double kSome = 0.02;     // a density
  constexpr double kMatters = 1e-3;  // of the mass
  const Grid<D>& grid = problem.grid;
  const std::vector<std::uint8_t> acted = actedOn(problem);
  const Pieces pieces = findPieces(grid, std::vector<std::uint8_t>(read.begin(), read.end()));
  std::vector<std::uint8_t> holds(pieces.cells.size(), 0);
  for (std::size_t c = 0; c < read.size(); ++c) {
    if (pieces.ofCell[c] < 0) continue;
    const auto nodes = grid.cellNodes(c);
    if (problem.keep[c] || std::any_of(nodes.begin(), nodes.end(),
                                       [&](int n) { return acted[static_cast<std::size_t>(n)] != 0; }))
      holds[static_cast<std::size_t>(pieces.ofCell[c])] = 1;
  }
  std::vector<std::uint8_t> held(read.size(), 0);
  for (std::size_t c = 0; c < read.size(); ++c)
    held[c] = pieces.ofCell[c] >= 0 && holds[static_cast<std::size_t>(pieces.ofCell[c])];
  const std::vector<std::uint8_t> near = grown(grid, held, kNear);
  std::vector<std::uint8_t> lost(read.size(), 0);
  double mass = 0;
  double all = 0;
  for (std::size_t c = 0; c < read.size(); ++c) {
    lost[c] = !near[c] && density[c] > kSome;
    all += problem.fill[c] * density[c];
    if (lost[c]) mass += problem.fill[c] * density[c];
  }
  if (mass < kMatters * all) return {};
  lost = grown(grid, std::move(lost), kRound);
  for (std::size_t c = 0; c < lost.size(); ++c) lost[c] = lost[c] && !near[c];
  return lost;
}

template std::vector<std::uint8_t> lostMembers<2>(const LayoutProblem<2>&, const std::vector<double>&,
                                                  const std::vector<double>&);
template std::vector<std::uint8_t> lostMembers<3>(const LayoutProblem<3>&, const std::vector<double>&,
                                                  const std::vector<double>&);

}  // namespace barelattice
