/// @file
/// The stiffness one grid below the voxels, without a matrix.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

#include "voxel_operator.hpp"

namespace barelattice {

/// The Galerkin product P^T A P of a voxel operator with the multilinear interpolation P from the grid whose
/// cells are 2^D voxels.
///
/// A coarse cell's matrix is the sum of s_i P_i^T K P_i over its voxels i. The voxels are mirror images of
/// each other, so under the transform of TransformedStiffness all these products are the same but for signs:
/// with the entries grouped as there, entry (k, c), (k', c') of the sum is that of voxel 0 times
/// s^(k ^ k'), s^ the Walsh-Hadamard transform of the 2^D factors. These are all a coarse cell
/// stores, 4 bytes for each voxel. Cells that touch a support keep their matrix.
template <int D>
class ProjectedOperator {
 public:
  /// @param fine must outlive the operator.
  /// @param grid its cells are those of the fine grid in twos along each axis.
  ProjectedOperator(const VoxelOperator<D>& fine, const Grid<D>& grid);

  /// Takes over the scales of the fine operator. O(cells).
  void renew();

  const Grid<D>& grid() const { return grid_; }
  std::size_t size() const { return static_cast<std::size_t>(D) * grid_.nodeCount(); }
  const LayerPlan<D>& plan() const { return plan_; }

  /// Computes y = P^T A P x and hands it over piece by piece, see VoxelOperator::sweep.
  void sweep(const Fields<const float>& x, const LayerVisitor<D, float>& visit) const;

  /// The upper triangles of the diagonal blocks, row by row, each entry an array over the nodes.
  std::vector<float> nodeDiagonal() const;

  /// The matrix of one cell.
  CellMatrix<D> cellMatrix(std::size_t cell) const;

  /// The voxels in a cell by their offset, -1 where there is none.
  std::array<int, kCorners<D>> children(std::size_t cell) const {
    return childrenOf(grid_, cell, fine_.grid());
  }
  /// True where the matrix is not the sum over the voxels' scales: a support touches it.
  bool isSpecial(std::size_t cell) const { return specialOf_[cell] >= 0; }

 private:
  struct Special {
    std::size_t cell;
    std::array<int, kCorners<D>> nodes;
    std::array<std::size_t, kCorners<D>> places;  // in the buffers of the layers below and above
    CellMatrix<D> matrix;
    SingleCellMatrix<D> single;
  };
  CellMatrix<D> supportedMatrix(std::size_t cell) const;
  void applySpecial(std::size_t layer, std::span<const float> x, float* low, float* high) const;

  const VoxelOperator<D>& fine_;
  Grid<D> grid_;
  LayerPlan<D> plan_;
  CellMatrix<D> stiffness_;                            // of a voxel
  std::array<CellMatrix<D>, kCorners<D>> projected_;   // P_i^T K P_i
  std::vector<float> entries_;                         // of voxel 0, transformed: [k][k'][c][c']
  std::array<std::vector<float>, kCorners<D>> modes_;  // s^ of each cell, by mode
  std::vector<int> specialOf_;                         // per cell, -1 for most
  std::vector<Special> special_;                       // sorted by layer
  std::vector<std::size_t> specialStart_;              // by layer of cells
};

}  // namespace barelattice
