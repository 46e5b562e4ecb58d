/// @file
/// The stiffness of a coarse grid, stored node by node.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

#include "element.hpp"
#include "layer_plan.hpp"
#include "solve/fields.hpp"

namespace barelattice {

/// The sum of the matrices of all cells of a grid. Of each pair of nodes that share a cell one D x D block is
/// kept, the other is its transpose: with the diagonal 123 numbers for each node (D = 3). Each entry is an
/// array over the nodes, so a product runs along rows of nodes in vectors.
template <int D>
class StencilOperator {
 public:
  explicit StencilOperator(const Grid<D>& grid);

  /// Takes the matrices of the cells. O(cells).
  void assemble(const std::vector<SingleCellMatrix<D>>& cells);

  std::size_t size() const { return static_cast<std::size_t>(D) * grid_.nodeCount(); }

  /// Computes y = A x and hands it over piece by piece, see VoxelOperator::sweep.
  void sweep(const Fields<const float>& x, const LayerVisitor<D, float>& visit) const;

  /// The upper triangles of the diagonal blocks, row by row, each entry an array over the nodes.
  const std::vector<float>& nodeDiagonal() const { return diagonal_; }

 private:
  /// Neighbours kept: those behind a node, in the order of layers first.
  static constexpr std::size_t kNeighbours = D == 2 ? 4 : 13;
  static constexpr std::size_t kBlock = static_cast<std::size_t>(D) * D;

  /// Nodes numbered without gaps whose neighbours at one offset are, too.
  struct Couplings {
    std::size_t neighbour;   // which
    std::size_t node;        // the first
    std::size_t other;       // and the one it is coupled with,
    std::size_t place;       // and where they stand in the buffers of
    std::size_t otherPlace;  // their layers
    std::size_t count;
  };
  void findNeighbours();
  void findCouplings();
  void addLayer(std::size_t layer, std::span<const float> x, float* own, float* above) const;

  Grid<D> grid_;
  LayerPlan<D> plan_;
  std::array<Index<D>, kNeighbours> offsets_{};
  std::array<int, D == 2 ? 9 : 27> neighbourAt_{};  // number of an offset, by stencilPlace; -1 if not kept
  std::vector<Couplings> couplings_;
  std::vector<std::size_t> couplingStart_;  // by layer of nodes
  std::vector<float> entries_;              // [neighbour][row][column][node]
  std::vector<float> diagonal_;
};

}  // namespace barelattice
