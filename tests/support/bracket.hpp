// A small bracket with all that a layout problem may have: a missing corner, partly full cells, a keep, two
// cases, a mirror.
#pragma once

#include <algorithm>

#include "barelattice/optimise/layout_problem.hpp"
#include "support/grids.hpp"

namespace barelattice::testing {

struct Bracket {
  Grid<3> grid = gridWhere<3>({14, 8, 8}, 1e-3, [](const Index<3>& i) { return i[0] < 10 || i[2] < 5; });
  LayoutProblem<3> problem;

  static MirrorPlane middle() { return {Vec3::UnitY(), 4e-3}; }

  Bracket() {
    problem.grid = grid;
    problem.material = {"test", 70e9, 0.3, 2700, 1e8};
    for (std::size_t c = 0; c < grid.cellCount();
         ++c) {  // partly full cells, alike on both sides of the mirror
      const Index<3>& i = grid.cellIndex(c);
      problem.fill.push_back((i[0] + i[2]) % 5 ? 1.0 : 0.3 + 0.05 * std::min(i[1], 7 - i[1]));
    }
    problem.keep.assign(grid.cellCount(), 0);
    for (std::size_t c = 0; c < grid.cellCount(); ++c) problem.keep[c] = grid.cellIndex(c)[0] == 13;
    const auto held = holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; });
    for (int k = 0; k < 2; ++k) {
      GridCase<3> c{k ? "side" : "down", k ? 0.7 : 1.3, {}, supportsOf<3>(grid, held)};
      for (std::size_t n = 0; n < grid.nodeCount(); ++n)
        if (grid.nodeIndex(n)[0] == 14) c.force[gridDof(grid, n, k ? 1 : 2)] = -1;
      problem.cases.push_back(c);
    }
    problem.massFraction = 0.4;
    problem.making = {Walls{smallestMemberFor(2.2e-3, 3), FilterBoundary::empty}, middle()};
    problem.attached.assign(grid.cellCount(), 0);
    for (std::size_t c = 0; c < grid.cellCount(); ++c) problem.attached[c] = grid.cellIndex(c)[0] < 3;
  }
};

}  // namespace barelattice::testing
