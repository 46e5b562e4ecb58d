#include "barelattice/grid/grid.hpp"

#include <algorithm>
#include <limits>

#include "barelattice/base/error.hpp"
#include "base/groups.hpp"

namespace barelattice {
namespace {

template <int D>
GridFrame<D> nodeFrame(const GridFrame<D>& frame) {
  GridFrame<D> nodes = frame;
  for (int& n : nodes.cells) ++n;
  return nodes;
}

template <int D>
Index<D> cornerIndex(const Index<D>& cell, int corner) {
  Index<D> node = cell;
  for (std::size_t i = 0; i < D; ++i) node[i] += corner >> i & 1;
  return node;
}

}  // namespace

template <int D>
Grid<D>::Grid(const GridFrame<D>& frame, const std::vector<std::uint8_t>& inDomain)
    : frame_(frame), nodeFrame_(nodeFrame(frame)) {
  if (nodeFrame_.boxCells() > std::numeric_limits<std::uint32_t>::max())
    throw InputError("a grid holds at most 2^32 nodes in its box", "take larger voxels");
  cells_.reserve(static_cast<std::size_t>(
      std::count_if(inDomain.begin(), inDomain.end(), [](std::uint8_t in) { return in != 0; })));
  cellAt_.assign(frame.boxCells(), -1);
  for (std::size_t i = 0; i < cellAt_.size(); ++i) {
    if (!inDomain[i]) continue;
    cellAt_[i] = static_cast<int>(cells_.size());
    cells_.push_back(static_cast<std::uint32_t>(i));
  }
  numberNodes();
  findRuns();
}

template <int D>
void Grid<D>::numberNodes() {
  nodeAt_.assign(nodeFrame_.boxCells(), -1);
  for (std::size_t cell = 0; cell < cells_.size(); ++cell) {
    const Index<D> at = cellIndex(cell);
    for (int c = 0; c < kCorners<D>; ++c) nodeAt_[nodeFrame_.linear(cornerIndex<D>(at, c))] = 0;
  }
  nodes_.reserve(static_cast<std::size_t>(std::count(nodeAt_.begin(), nodeAt_.end(), 0)));
  for (std::size_t i = 0; i < nodeAt_.size(); ++i) {
    if (nodeAt_[i] < 0) continue;
    nodeAt_[i] = static_cast<int>(nodes_.size());
    nodes_.push_back(static_cast<std::uint32_t>(i));
  }
}

template <int D>
void Grid<D>::findRuns() {
  layers_.assign(static_cast<std::size_t>(frame_.cells[D - 1]) + 1, 0);
  for (std::size_t c = 0; c < cells_.size(); ++c) {
    const Index<D> at = cellIndex(c);
    if (c > 0 && at[0] > 0 && cells_[c] == cells_[c - 1] + 1) {
      ++runs_.back().length;
      continue;
    }
    CellRun<D> run{static_cast<int>(c), 1, {}};
    for (std::size_t r = 0; r < run.rows.size(); ++r)
      run.rows[r] = nodeAt(cornerIndex<D>(at, 2 * static_cast<int>(r)));
    runs_.push_back(run);
    layers_[static_cast<std::size_t>(at[D - 1]) + 1] = runs_.size();
  }
  for (std::size_t l = 1; l < layers_.size(); ++l)
    if (layers_[l] == 0) layers_[l] = layers_[l - 1];
}

template <int D>
Point<D> Grid<D>::nodePosition(std::size_t node) const {
  Point<D> point = frame_.origin;
  const Index<D> at = nodeIndex(node);
  for (std::size_t i = 0; i < D; ++i) point[static_cast<Eigen::Index>(i)] += at[i] * frame_.size;
  return point;
}

template <int D>
int Grid<D>::cellAt(const Index<D>& index) const {
  return frame_.contains(index) ? cellAt_[frame_.linear(index)] : -1;
}

template <int D>
int Grid<D>::nodeAt(const Index<D>& index) const {
  return nodeFrame_.contains(index) ? nodeAt_[nodeFrame_.linear(index)] : -1;
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
template Pieces findPieces<2>(const Grid<2>&, const std::vector<std::uint8_t>&);
template Pieces findPieces<3>(const Grid<3>&, const std::vector<std::uint8_t>&);

}  // namespace barelattice
