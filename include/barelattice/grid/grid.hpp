/// @file
/// The regular grid: only the cells that belong to the domain exist, and only the nodes at their corners.
#pragma once

#include <Eigen/Core>
#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/matrix_layout.hpp"

namespace barelattice BARELATTICE_API {

/// Integer coordinates of a cell or node in the grid's box.
template <int D>
using Index = std::array<int, static_cast<std::size_t>(D)>;

/// A point of D-dimensional space, m.
template <int D>
using Point = Eigen::Matrix<double, D, 1>;

/// Corners of a cell: 4 of a square, 8 of a brick. Corner c lies at offset bit i of c along axis i.
template <int D>
inline constexpr int kCorners = 1 << D;

/// Calls visit(index) for all indices of a box, the first coordinate running fastest.
template <int D, class Visit>
void forEachIndex(const Index<D>& size, const Visit& visit) {
  Index<D> at{};
  if constexpr (D == 2) {
    for (at[1] = 0; at[1] < size[1]; ++at[1])
      for (at[0] = 0; at[0] < size[0]; ++at[0]) visit(at);
  } else {
    for (at[2] = 0; at[2] < size[2]; ++at[2])
      for (at[1] = 0; at[1] < size[1]; ++at[1])
        for (at[0] = 0; at[0] < size[0]; ++at[0]) visit(at);
  }
}

/// Where a box of cells lies.
template <int D>
struct GridFrame {
  Point<D> origin = Point<D>::Zero();  ///< the low corner of the box, m
  double size = 1;                     ///< edge length of a cell, m
  Index<D> cells{};                    ///< number of cells along each axis

  std::size_t boxCells() const {
    std::size_t count = 1;
    for (const int n : cells) count *= static_cast<std::size_t>(n);
    return count;
  }
  bool contains(const Index<D>& cell) const {
    for (std::size_t i = 0; i < D; ++i)
      if (cell[i] < 0 || cell[i] >= cells[i]) return false;
    return true;
  }
  /// Position of a cell in the box, the first coordinate running fastest.
  std::size_t linear(const Index<D>& cell) const {
    std::size_t at = 0;
    for (std::size_t i = D; i-- > 0;)
      at = at * static_cast<std::size_t>(cells[i]) + static_cast<std::size_t>(cell[i]);
    return at;
  }
  /// Of the place `linear` gives.
  Index<D> index(std::uint32_t place) const {
    Index<D> at{};
    for (std::size_t i = 0; i + 1 < D; ++i) {
      const auto count = static_cast<std::uint32_t>(cells[i]);
      at[i] = static_cast<int>(place % count);
      place /= count;
    }
    at[D - 1] = static_cast<int>(place);
    return at;
  }
  Point<D> centre(const Index<D>& cell) const {
    Point<D> point = origin;
    for (std::size_t i = 0; i < D; ++i) point[static_cast<Eigen::Index>(i)] += (cell[i] + 0.5) * size;
    return point;
  }
  bool operator==(const GridFrame&) const = default;
};

/// Cells next to each other along the first axis, all of them in the domain. Their nodes are numbered without
/// gaps along every row, so loops over a run need no table of nodes.
template <int D>
struct CellRun {
  int cell = 0;    ///< the first cell
  int length = 0;  ///< how many
  std::array<int, (1 << (D - 1))>
      rows{};  ///< first node of each row of nodes along the run: row r is corner 2 r
};

/// Cells and nodes of a domain, numbered with the first coordinate running fastest. Immutable; copies share
/// the cells, so whoever needs a grid keeps a copy, and nobody has to see to it that it lives on.
template <int D>
class Grid {
 public:
  /// A grid without cells.
  Grid();
  /// @param frame where the box lies; its size above zero.
  /// @param inDomain one entry per cell of the box, in its linear order: not zero where the cell exists.
  /// @throws InputError if the frame is none, the entries are not as many as the box has cells, or the box
  ///   has more than 2^32 nodes.
  Grid(const GridFrame<D>& frame, const std::vector<std::uint8_t>& inDomain);

  const GridFrame<D>& frame() const { return parts_->frame; }
  std::size_t cellCount() const { return parts_->cells.size(); }
  std::size_t nodeCount() const { return parts_->nodes.size(); }

  // Cells and nodes are not looked at whether they exist: these are the innermost calls of all.
  Index<D> cellIndex(std::size_t cell) const { return frame().index(parts_->cells[cell]); }
  Index<D> nodeIndex(std::size_t node) const { return parts_->nodeFrame.index(parts_->nodes[node]); }
  Point<D> cellCentre(std::size_t cell) const { return frame().centre(cellIndex(cell)); }
  Point<D> nodePosition(std::size_t node) const;

  /// Number of the cell or node at an index of the box (any integers); -1 where there is none.
  int cellAt(const Index<D>& index) const;
  int nodeAt(const Index<D>& index) const;
  /// The nodes of a cell, by corner.
  std::array<int, kCorners<D>> cellNodes(std::size_t cell) const;

  /// All cells as runs, in the order of their numbers.
  const std::vector<CellRun<D>>& runs() const { return parts_->runs; }
  /// Runs of layer l of cells along the last axis are [layers()[l], layers()[l + 1]).
  const std::vector<std::size_t>& layers() const { return parts_->layers; }

 private:
  // 16 bytes a voxel in all: places in the box instead of an index along each axis, see kMostCells.
  struct Parts {
    GridFrame<D> frame;
    GridFrame<D> nodeFrame;            // of the box of nodes, one more along each axis
    std::vector<std::uint32_t> cells;  // places in the box
    std::vector<std::uint32_t> nodes;
    std::vector<int> cellAt;  // over the box
    std::vector<int> nodeAt;
    std::vector<CellRun<D>> runs;
    std::vector<std::size_t> layers;
  };
  static void numberNodes(Parts& parts);
  void findRuns(Parts& parts) const;

  std::shared_ptr<const Parts> parts_;
};

/// The cells of a grid that make up a cell of a coarser one, whose cells are those in twos along each axis:
/// by their offset as corners are, -1 where there is none.
template <int D>
std::array<int, kCorners<D>> childrenOf(const Grid<D>& coarse, std::size_t cell, const Grid<D>& fine) {
  std::array<int, kCorners<D>> children{};
  for (int child = 0; child < kCorners<D>; ++child) {
    Index<D> at = coarse.cellIndex(cell);
    for (std::size_t i = 0; i < D; ++i) at[i] = 2 * at[i] + (child >> i & 1);
    children[static_cast<std::size_t>(child)] = fine.cellAt(at);
  }
  return children;
}

/// Pieces of the cells that `chosen` marks, joined across common sides.
struct Pieces {
  std::vector<int> ofCell;         ///< the piece of each cell, -1 for cells not chosen
  std::vector<std::size_t> cells;  ///< number of cells of each piece
};

/// O(cells).
template <int D>
Pieces findPieces(const Grid<D>& grid, const std::vector<std::uint8_t>& chosen);

}  // namespace barelattice
