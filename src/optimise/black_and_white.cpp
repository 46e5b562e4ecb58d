#include "barelattice/optimise/black_and_white.hpp"

#include <set>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/root.hpp"

namespace barelattice {
namespace {

/// The pieces of the chosen cells round a node; none where no such cell is.
template <int D>
std::set<int> piecesAt(const Grid<D>& grid, const Pieces& pieces, std::size_t node) {
  std::set<int> found;
  for (int corner = 0; corner < kCorners<D>; ++corner) {
    Index<D> at = grid.nodeIndex(node);
    for (std::size_t i = 0; i < D; ++i) at[i] -= corner >> i & 1;
    const int cell = grid.cellAt(at);
    if (cell >= 0 && pieces.ofCell[static_cast<std::size_t>(cell)] >= 0)
      found.insert(pieces.ofCell[static_cast<std::size_t>(cell)]);
  }
  return found;
}

}  // namespace

BlackAndWhite readBlackAndWhite(std::span<const double> level, const MassFraction& mass,
                                double massFraction) {
  requireWithin("massFraction", massFraction, 0, 1);
  BlackAndWhite result;
  result.density.resize(level.size());
  const auto missing = [&](double threshold) {
    forEach(level.size(), [&](std::size_t c) { result.density[c] = level[c] >= threshold ? 1 : 0; });
    return massFraction - mass.value(result.density);
  };
  result.threshold = growingRoot(missing, {0.5, 0.05, 0, 1, 1e-9}, 1e-6);
  return result;
}

Greyness greyness(std::span<const double> density, std::span<const double> fill) {
  requireCount("fill", fill.size(), density.size(), "cells");
  const auto sum = [&](const auto& term) {
    return sumBlocks(density.size(), [&](std::size_t begin, std::size_t end) {
      double s = 0;
      for (std::size_t c = begin; c < end; ++c) s += fill[c] * term(density[c]);
      return s;
    });
  };
  const auto grey = [](double rho) { return 4 * rho * (1 - rho); };
  const double mass = sum([](double rho) { return rho; });
  return {sum(grey) / sum([](double) { return 1.0; }),
          mass > 0 ? sum([&](double rho) { return rho * grey(rho); }) / mass : 0};
}

template <int D>
std::vector<LooseLoad<D>> looseLoads(const Grid<D>& grid, const std::vector<std::uint8_t>& chosen,
                                     const std::vector<GridCase<D>>& cases) {
  for (const GridCase<D>& c : cases) validate(grid, c);
  const Pieces pieces = findPieces(grid, chosen);
  const std::size_t nodes = grid.nodeCount();
  std::vector<LooseLoad<D>> loose;
  for (std::size_t k = 0; k < cases.size(); ++k) {
    std::vector<std::uint8_t> held(pieces.cells.size(), 0);
    const auto hold = [&](std::size_t node) {
      for (const int piece : piecesAt(grid, pieces, node)) held[static_cast<std::size_t>(piece)] = 1;
    };
    for (const NodeSupport<D>& support : cases[k].supports) hold(support.node);
    for (const Coupling& coupling : cases[k].couplings)
      for (const NodalVectors& motion : coupling.motions)
        for (const NodalVector& at : motion) hold(at.node);
    for (const auto& [dof, force] : cases[k].force) {
      if (force == 0) continue;
      const std::set<int> under = piecesAt(grid, pieces, dof % nodes);
      const bool carried =
          std::any_of(under.begin(), under.end(), [&](int p) { return held[static_cast<std::size_t>(p)]; });
      if (carried) continue;
      loose.push_back({k, grid.nodePosition(dof % nodes)});
      break;
    }
  }
  return loose;
}

template BARELATTICE_API std::vector<LooseLoad<2>> looseLoads(const Grid<2>&,
                                                              const std::vector<std::uint8_t>&,
                                                              const std::vector<GridCase<2>>&);
template BARELATTICE_API std::vector<LooseLoad<3>> looseLoads(const Grid<3>&,
                                                              const std::vector<std::uint8_t>&,
                                                              const std::vector<GridCase<3>>&);

}  // namespace barelattice
