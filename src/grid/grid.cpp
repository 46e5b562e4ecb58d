#include "barelattice/grid/grid.hpp"

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
Grid<D>::Grid(const GridFrame<D>& frame, const std::vector<std::uint8_t>& inDomain) : frame_(frame) {
  cellAt_.assign(frame.boxCells(), -1);
  forEachIndex<D>(frame.cells, [&](const Index<D>& at) {
    const std::size_t i = frame.linear(at);
    if (!inDomain[i]) return;
    cellAt_[i] = static_cast<int>(cells_.size());
    cells_.push_back(at);
  });
  numberNodes();
  findRuns();
}

template <int D>
void Grid<D>::numberNodes() {
  const GridFrame<D> box = nodeFrame(frame_);
  nodeAt_.assign(box.boxCells(), -1);
  for (const Index<D>& cell : cells_)
    for (int c = 0; c < kCorners<D>; ++c) nodeAt_[box.linear(cornerIndex<D>(cell, c))] = 0;
  forEachIndex<D>(box.cells, [&](const Index<D>& at) {
    int& node = nodeAt_[box.linear(at)];
    if (node < 0) return;
    node = static_cast<int>(nodes_.size());
    nodes_.push_back(at);
  });
}

template <int D>
void Grid<D>::findRuns() {
  layers_.assign(static_cast<std::size_t>(frame_.cells[D - 1]) + 1, 0);
  for (std::size_t c = 0; c < cells_.size(); ++c) {
    bool continues = c > 0;
    for (std::size_t i = 0; i < D && continues; ++i)
      continues = cells_[c][i] == cells_[c - 1][i] + (i == 0 ? 1 : 0);
    if (continues) {
      ++runs_.back().length;
      continue;
    }
    CellRun<D> run{static_cast<int>(c), 1, {}};
    for (std::size_t r = 0; r < run.rows.size(); ++r)
      run.rows[r] = nodeAt(cornerIndex<D>(cells_[c], 2 * static_cast<int>(r)));
    runs_.push_back(run);
    layers_[static_cast<std::size_t>(cells_[c][D - 1]) + 1] = runs_.size();
  }
  for (std::size_t l = 1; l < layers_.size(); ++l)
    if (layers_[l] == 0) layers_[l] = layers_[l - 1];
}

template <int D>
Point<D> Grid<D>::nodePosition(std::size_t node) const {
  Point<D> point = frame_.origin;
  for (std::size_t i = 0; i < D; ++i) point[static_cast<Eigen::Index>(i)] += nodes_[node][i] * frame_.size;
  return point;
}

template <int D>
int Grid<D>::cellAt(const Index<D>& index) const {
  return frame_.contains(index) ? cellAt_[frame_.linear(index)] : -1;
}

template <int D>
int Grid<D>::nodeAt(const Index<D>& index) const {
  const GridFrame<D> box = nodeFrame(frame_);
  return box.contains(index) ? nodeAt_[box.linear(index)] : -1;
}

template <int D>
std::array<int, kCorners<D>> Grid<D>::cellNodes(std::size_t cell) const {
  std::array<int, kCorners<D>> nodes{};
  for (int c = 0; c < kCorners<D>; ++c)
    nodes[static_cast<std::size_t>(c)] = nodeAt(cornerIndex<D>(cells_[cell], c));
  return nodes;
}

template <int D>
Pieces findPieces(const Grid<D>& grid, const std::vector<std::uint8_t>& chosen) {
  // Cells refer to an earlier one of their piece, in the end to its first (union-find). Cells come in the
  // order of the box, so that memory is passed through in order too.
  std::vector<std::size_t> earlier(grid.cellCount());
  const auto first = [&](std::size_t cell) {
    while (earlier[cell] != cell) cell = earlier[cell] = earlier[earlier[cell]];
    return cell;
  };
  for (std::size_t cell = 0; cell < grid.cellCount(); ++cell) {
    earlier[cell] = cell;
    if (!chosen[cell]) continue;
    for (std::size_t axis = 0; axis < D; ++axis) {
      Index<D> at = grid.cellIndex(cell);
      --at[axis];
      const int before = grid.cellAt(at);
      if (before < 0 || !chosen[static_cast<std::size_t>(before)]) continue;
      const std::size_t one = first(static_cast<std::size_t>(before));
      const std::size_t other = first(cell);
      earlier[std::max(one, other)] = std::min(one, other);
    }
  }
  Pieces pieces;
  pieces.ofCell.assign(grid.cellCount(), -1);
  for (std::size_t cell = 0; cell < grid.cellCount(); ++cell) {
    if (!chosen[cell]) continue;
    const std::size_t start = first(cell);
    if (start == cell) {
      pieces.ofCell[cell] = static_cast<int>(pieces.cells.size());
      pieces.cells.push_back(0);
    }
    pieces.ofCell[cell] = pieces.ofCell[start];
    ++pieces.cells[static_cast<std::size_t>(pieces.ofCell[cell])];
  }
  return pieces;
}

template class Grid<2>;
template class Grid<3>;
template Pieces findPieces<2>(const Grid<2>&, const std::vector<std::uint8_t>&);
template Pieces findPieces<3>(const Grid<3>&, const std::vector<std::uint8_t>&);

}  // namespace barelattice
