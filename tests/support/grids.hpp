// Small grids and boxes the tests build on.
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "barelattice/grid/grid.hpp"
#include "voxels/voxel_operator.hpp"

namespace barelattice::testing {

template <int D>
Grid<D> boxGrid(const Index<D>& cells, double size = 1) {
  GridFrame<D> frame;
  frame.cells = cells;
  frame.size = size;
  return Grid<D>(frame, std::vector<std::uint8_t>(frame.boxCells(), 1));
}

/// A grid whose cells are chosen by their index.
template <int D>
Grid<D> gridWhere(const Index<D>& cells, double size, const std::function<bool(const Index<D>&)>& chosen) {
  GridFrame<D> frame;
  frame.cells = cells;
  frame.size = size;
  std::vector<std::uint8_t> in(frame.boxCells());
  forEachIndex<D>(cells, [&](const Index<D>& at) { in[frame.linear(at)] = chosen(at); });
  return Grid<D>(frame, in);
}

/// All degrees of freedom of the nodes a test picks.
template <int D>
std::vector<std::size_t> holdWhere(const Grid<D>& grid, const std::function<bool(const Index<D>&)>& chosen) {
  std::vector<std::size_t> held;
  for (int c = 0; c < D; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (chosen(grid.nodeIndex(n))) held.push_back(gridDof(grid, n, c));
  return held;
}

}  // namespace barelattice::testing
