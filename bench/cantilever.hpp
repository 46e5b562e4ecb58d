// The design all benchmarks of the loop share: a fifth of the block of layout.hpp, clamped at one end, pushed
// at the other.
#pragma once

#include "barelattice/optimise/layout_problem.hpp"
#include "layout.hpp"

namespace barelattice::bench {

/// @param cases up to three, along different axes.
inline LayoutProblem<3> cantilever(const Grid<3>& grid, int cases) {
  LayoutProblem<3> problem;
  problem.grid = grid;
  problem.material = {"aluminium", 70e9, 0.33, 2700, 240e6};
  problem.fill.assign(grid.cellCount(), 1.0);
  problem.keep.assign(grid.cellCount(), 0);
  problem.massFraction = 0.2;
  problem.making = {Walls{smallestMemberFor(3 * grid.frame().size, 3)}};
  GridCase<3> bent;
  bent.name = "down";
  bent.supports = supportsOf<3>(grid, clampedEnd(grid));
  for (int k = 0; k < cases; ++k) {
    GridCase<3> loaded = bent;
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      const Index<3>& at = grid.nodeIndex(n);
      if (at[0] == grid.frame().cells[0] && at[2] < 4) loaded.force[gridDof(grid, n, 2 - k)] = 1;
    }
    problem.cases.push_back(std::move(loaded));
  }
  return problem;
}

}  // namespace barelattice::bench
