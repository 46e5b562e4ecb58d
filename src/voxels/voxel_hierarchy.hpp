/// @file
/// Coarser and coarser grids below a voxel grid, and the multigrid cycle on them.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "projected_operator.hpp"
#include "solve/multigrid.hpp"
#include "stencil_operator.hpp"
#include "voxel_operator.hpp"

namespace barelattice {

template <int D>
class SweptLevel;

/// The preconditioner of a voxel operator. Cells of a coarse grid are 2^D finer ones; a coarse cell exists
/// where any of them does, so odd sizes need no padding. All coarse matrices are Galerkin products P^T A P:
/// exact for any distribution of stiffness and for supports the coarse grids cannot see. The first is never
/// formed (ProjectedOperator), the others are stored (StencilOperator): 9 bytes for each voxel.
template <int D>
class VoxelHierarchy {
 public:
  /// @param fine must outlive the hierarchy.
  explicit VoxelHierarchy(const VoxelOperator<D>& fine);
  ~VoxelHierarchy();

  /// Takes over the scales of the fine operator. O(cells).
  /// @throws RunError if the coarsest matrix cannot be factorised.
  void renew(const LowRank& added = {});

  Multigrid& multigrid() { return *multigrid_; }
  const Multigrid& multigrid() const { return *multigrid_; }
  std::size_t levelCount() const { return grids_.size() + 1; }

 private:
  std::vector<SingleCellMatrix<D>> cellsBelowProjected() const;
  std::vector<SingleCellMatrix<D>> projectedCells() const;

  const VoxelOperator<D>& fine_;
  std::vector<Grid<D>> grids_;  // the coarse ones, finest first
  std::unique_ptr<ProjectedOperator<D>> projected_;
  std::vector<double> tables_;  // per voxel of a cell two grids down: what it adds to that cell's matrix
  std::vector<std::unique_ptr<StencilOperator<D>>> stored_;  // of the grids between the first and the bottom
  SweptLevel<D>* finest_ = nullptr;
  SweptLevel<D>* second_ = nullptr;    // none where the second level is the bottom
  std::vector<SweptLevel<D>*> lower_;  // those of stored_
  std::unique_ptr<Multigrid> multigrid_;
};

}  // namespace barelattice
