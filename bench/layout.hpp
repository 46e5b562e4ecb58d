// The body all solver benchmarks share: a block of 2 n x n x n voxels clamped at one end and pushed at the
// other, full or a lattice of bars three voxels wide, one in twelve, in material a billion times lighter.
#pragma once

#include <vector>

#include "barelattice/elasticity/forces.hpp"
#include "barelattice/elasticity/node_support.hpp"
#include "barelattice/grid/grid.hpp"

namespace barelattice::bench {

inline Grid<3> block(int n) {
  GridFrame<3> frame;
  frame.cells = {2 * n, n, n};
  frame.size = 1e-3;
  return Grid<3>(frame, std::vector<std::uint8_t>(frame.boxCells(), 1));
}

inline std::vector<std::size_t> clampedEnd(const Grid<3>& grid) {
  std::vector<std::size_t> held;
  for (int c = 0; c < 3; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (grid.nodeIndex(n)[0] == 0) held.push_back(gridDof(grid, n, c));
  return held;
}

/// Only solid is pushed: on light material the load's own dent would be all of the compliance.
inline Forces pushedEnd(const Grid<3>& grid, const std::vector<double>& shares) {
  Forces f;
  for (std::size_t c = 0; c < shares.size(); ++c)
    if (grid.cellIndex(c)[0] + 1 == grid.frame().cells[0] && shares[c] == 1)
      for (const int n : grid.cellNodes(c)) f[gridDof(grid, static_cast<std::size_t>(n), 2)] = 1;
  return f;
}

inline std::vector<double> latticeShares(const Grid<3>& grid) {
  std::vector<double> shares(grid.cellCount());
  for (std::size_t c = 0; c < shares.size(); ++c) {
    const Index<3>& i = grid.cellIndex(c);
    shares[c] = (i[0] % 12 < 3) + (i[1] % 12 < 3) + (i[2] % 12 < 3) >= 2 ? 1 : 1e-9;
  }
  return shares;
}

}  // namespace barelattice::bench
