/// @file
/// Coarser and coarser grids below a voxel grid, and the multigrid cycle on them.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "barelattice/elasticity/element.hpp"
#include "barelattice/elasticity/multigrid.hpp"
#include "barelattice/elasticity/voxel_operator.hpp"

namespace barelattice {

/// What depends on the grid only: the coarser grids and the interpolation between neighbours. Cells of a
/// coarse grid are 2^D fine ones; a coarse cell exists where any of them does, so odd sizes need no padding.
template <int D>
class VoxelHierarchy {
 public:
  /// @param grid must outlive the hierarchy.
  /// @param held degrees of freedom of the finest grid that stay zero (see VoxelOperator).
  VoxelHierarchy(const Grid<D>& grid, double poisson, const std::vector<std::size_t>& held);
  ~VoxelHierarchy();

  /// The cycle for given cell stiffness factors, with Galerkin coarse matrices P^T A P: exact for any
  /// distribution of stiffness and for supports the coarse grids cannot see. O(cells); memory of the result
  /// about 160 bytes per cell of the finest grid.
  /// @param fine operator with the same factors already set; must outlive the result.
  std::unique_ptr<Multigrid> build(const VoxelOperator<D, float>& fine, std::span<const double> scales) const;

  std::size_t levelCount() const { return levels_.size() + 1; }

 private:
  struct Level;
  const Grid<D>& grid_;
  CellMatrix<D> stiffness_;
  std::vector<std::uint8_t> held_;  // per degree of freedom of the finest grid
  std::vector<std::unique_ptr<Level>> levels_;
};

}  // namespace barelattice
