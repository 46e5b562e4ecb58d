// The body all solver benchmarks share: a block of 3 n / 2 x n x 4 n / 3 voxels (in the plane 3 n / 2 x n
// squares) clamped at one end and pushed at the other, full or a lattice of bars three voxels wide, one in
// twelve, in material a billion times lighter.
#pragma once

#include <sys/resource.h>

#include <vector>

#include "barelattice/grid/grid.hpp"
#include "barelattice/voxels/forces.hpp"
#include "barelattice/voxels/node_support.hpp"

namespace barelattice::bench {

/// The most memory the process has held so far.
inline double peakBytes() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return 1024.0 * static_cast<double>(usage.ru_maxrss);
}

template <int D = 3>
Grid<D> block(int n) {
  GridFrame<D> frame;
  frame.cells.fill(4 * n / 3);
  frame.cells[0] = 3 * n / 2;
  frame.cells[1] = n;
  frame.size = 1e-3;
  return Grid<D>(frame, std::vector<std::uint8_t>(frame.boxCells(), 1));
}

template <int D>
std::vector<std::size_t> clampedEnd(const Grid<D>& grid) {
  std::vector<std::size_t> held;
  for (int c = 0; c < D; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (grid.nodeIndex(n)[0] == 0) held.push_back(gridDof(grid, n, c));
  return held;
}

/// Only solid is pushed: on light material the load's own dent would be all of the compliance.
template <int D>
Forces pushedEnd(const Grid<D>& grid, const std::vector<double>& shares) {
  Forces f;
  for (std::size_t c = 0; c < shares.size(); ++c)
    if (grid.cellIndex(c)[0] + 1 == grid.frame().cells[0] && shares[c] == 1)
      for (const int n : grid.cellNodes(c)) f[gridDof(grid, static_cast<std::size_t>(n), D - 1)] = 1;
  return f;
}

template <int D>
std::vector<double> latticeShares(const Grid<D>& grid) {
  std::vector<double> shares(grid.cellCount());
  for (std::size_t c = 0; c < shares.size(); ++c) {
    int across = 0;
    for (const int i : grid.cellIndex(c)) across += i % 12 < 3;
    shares[c] = across >= D - 1 ? 1 : 1e-9;
  }
  return shares;
}

}  // namespace barelattice::bench
