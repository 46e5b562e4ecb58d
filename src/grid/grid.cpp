#include "barelattice/grid/grid.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "base/groups.hpp"

namespace barelattice {
namespace {

template <int D>
GridFrame<D> nodeFrame(const GridFrame<D>& frame) {
  GridFrame<D> nodes = frame;
  for (int& n : nodes.cells) ++n;
  return nodes;
}

/// @throws InputError for a box that is none, or that 32 bits cannot number.
template <int D>
void validate(const GridFrame<D>& frame) {
  requirePositive("size of a cell", frame.size);
  requireFinite("origin of the grid", frame.origin);
  double nodes = 1;
  for (const int n : frame.cells) {
    if (n < 0) throw InputError(fmt::format("a grid of {} cells along an axis", n), "give 0 or more");
    nodes *= n + 1.0;
  }
  if (nodes > std::numeric_limits<std::uint32_t>::max())
    throw InputError("a grid holds at most 2^32 nodes in its box", "take larger voxels");
}

template <int D>
Index<D> cornerIndex(const Index<D>& cell, int corner) {
  Index<D> node = cell;
  for (std::size_t i = 0; i < D; ++i) node[i] += corner >> i & 1;
  return node;
}

}  // namespace

template <int D>
Grid<D>::Grid() : parts_(std::make_shared<const Parts>()) {}

template <int D>
Grid<D>::Grid(const GridFrame<D>& frame, const std::vector<std::uint8_t>& inDomain) {
  validate(frame);
  requireCount("inDomain", inDomain.size(), frame.boxCells(), "cells in the box");
  const auto parts = std::make_shared<Parts>();
  parts_ = parts;  // as it grows
  parts->frame = frame;
  parts->nodeFrame = nodeFrame(frame);
  parts->cells.reserve(static_cast<std::size_t>(
      std::count_if(inDomain.begin(), inDomain.end(), [](std::uint8_t in) { return in != 0; })));
  parts->cellAt.assign(inDomain.size(), -1);
  for (std::size_t i = 0; i < inDomain.size(); ++i) {
    if (!inDomain[i]) continue;
    parts->cellAt[i] = static_cast<int>(parts->cells.size());
    parts->cells.push_back(static_cast<std::uint32_t>(i));
  }
  numberNodes(*parts);
  findRuns(*parts);
}

template <int D>
void Grid<D>::numberNodes(Parts& parts) {
  parts.nodeAt.assign(parts.nodeFrame.boxCells(), -1);
  for (const std::uint32_t cell : parts.cells) {
    const Index<D> at = parts.frame.index(cell);
    for (int c = 0; c < kCorners<D>; ++c) parts.nodeAt[parts.nodeFrame.linear(cornerIndex<D>(at, c))] = 0;
  }
  parts.nodes.reserve(static_cast<std::size_t>(std::count(parts.nodeAt.begin(), parts.nodeAt.end(), 0)));
  for (std::size_t i = 0; i < parts.nodeAt.size(); ++i) {
    if (parts.nodeAt[i] < 0) continue;
    parts.nodeAt[i] = static_cast<int>(parts.nodes.size());
    parts.nodes.push_back(static_cast<std::uint32_t>(i));
  }
}

template <int D>
void Grid<D>::findRuns(Parts& parts) const {
  parts.layers.assign(static_cast<std::size_t>(parts.frame.cells[D - 1]) + 1, 0);
  for (std::size_t c = 0; c < parts.cells.size(); ++c) {
    const Index<D> at = cellIndex(c);
    if (c > 0 && at[0] > 0 && parts.cells[c] == parts.cells[c - 1] + 1) {
      ++parts.runs.back().length;
      continue;
    }
    CellRun<D> run{static_cast<int>(c), 1, {}};
    for (std::size_t r = 0; r < run.rows.size(); ++r)
      run.rows[r] = nodeAt(cornerIndex<D>(at, 2 * static_cast<int>(r)));
    parts.runs.push_back(run);
    parts.layers[static_cast<std::size_t>(at[D - 1]) + 1] = parts.runs.size();
  }
  for (std::size_t l = 1; l < parts.layers.size(); ++l)
    if (parts.layers[l] == 0) parts.layers[l] = parts.layers[l - 1];
}

template <int D>
Point<D> Grid<D>::nodePosition(std::size_t node) const {
  Point<D> point = frame().origin;
  const Index<D> at = nodeIndex(node);
  for (std::size_t i = 0; i < D; ++i) point[static_cast<Eigen::Index>(i)] += at[i] * frame().size;
  return point;
}

template <int D>
int Grid<D>::cellAt(const Index<D>& index) const {
  return frame().contains(index) ? parts_->cellAt[frame().linear(index)] : -1;
}

template <int D>
int Grid<D>::nodeAt(const Index<D>& index) const {
  const GridFrame<D>& box = parts_->nodeFrame;
  return box.contains(index) ? parts_->nodeAt[box.linear(index)] : -1;
}

template <int D>
std::array<int, kCorners<D>> Grid<D>::cellNodes(std::size_t cell) const {
  std::array<int, kCorners<D>> nodes{};
  const Index<D> at = cellIndex(cell);
  for (int c = 0; c < kCorners<D>; ++c) nodes[static_cast<std::size_t>(c)] = nodeAt(cornerIndex<D>(at, c));
  return nodes;
}

template <int D>
Pieces findPieces(const Grid<D>& grid, const std::vector<std::uint8_t>& chosen) {
  requireCount("chosen", chosen.size(), grid.cellCount(), "cells");
  // Each cell joins those before it: a group's number is that of its first cell.
  Groups groups(grid.cellCount());
  for (std::size_t cell = 0; cell < grid.cellCount(); ++cell) {
    if (!chosen[cell]) continue;
    for (std::size_t axis = 0; axis < D; ++axis) {
      Index<D> at = grid.cellIndex(cell);
      --at[axis];
      const int before = grid.cellAt(at);
      if (before >= 0 && chosen[static_cast<std::size_t>(before)])
        groups.joinEarlier(static_cast<int>(cell), before);
    }
  }
  Pieces pieces;
  pieces.ofCell.assign(grid.cellCount(), -1);
  for (std::size_t cell = 0; cell < grid.cellCount(); ++cell) {
    if (!chosen[cell]) continue;
    const auto first = static_cast<std::size_t>(groups.find(static_cast<int>(cell)));
    if (first == cell) {
      pieces.ofCell[cell] = static_cast<int>(pieces.cells.size());
      pieces.cells.push_back(0);
    }
    pieces.ofCell[cell] = pieces.ofCell[first];
    ++pieces.cells[static_cast<std::size_t>(pieces.ofCell[cell])];
  }
  return pieces;
}

template class Grid<2>;
template class Grid<3>;
template BARELATTICE_API Pieces findPieces<2>(const Grid<2>&, const std::vector<std::uint8_t>&);
template BARELATTICE_API Pieces findPieces<3>(const Grid<3>&, const std::vector<std::uint8_t>&);

}  // namespace barelattice
