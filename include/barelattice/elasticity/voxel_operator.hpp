/// @file
/// The stiffness of a grid of cells as an operator, without a matrix.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "barelattice/elasticity/element.hpp"
#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// The degree of freedom of a component at a node: all first components, then all second ones, and so on, so
/// that loops along a run are contiguous.
template <int D>
std::size_t gridDof(const Grid<D>& grid, std::size_t node, int component) {
  return static_cast<std::size_t>(component) * grid.nodeCount() + node;
}

/// y = A x with A the sum over cells of scale(cell) K, rows and columns of held degrees of freedom set to
/// zero.
///
/// Each cell costs one transform of its corner values, 45 multiplications (D = 3), and one transform back;
/// the work runs along the first axis in vectors of 16 cells (single) or 8 (double). Layers of cells are
/// taken in blocks of fixed size, all even blocks before all odd ones, so the order of every sum is the same
/// whatever the number of threads. Memory: one Real per cell.
/// @tparam Real float or double.
template <int D, class Real>
class VoxelOperator {
 public:
  /// @param grid must outlive the operator.
  /// @param held degrees of freedom that stay zero, ascending.
  VoxelOperator(const Grid<D>& grid, double poisson, std::vector<std::size_t> held);

  /// Sets the stiffness factor of each cell, E h^(D-2) or any multiple of it; not negative.
  void setScales(std::span<const double> scales);

  std::size_t size() const { return static_cast<std::size_t>(D) * grid_.nodeCount(); }
  const std::vector<std::size_t>& held() const { return held_; }

  /// @param x entries of held degrees of freedom must be zero.
  void apply(std::span<const Real> x, std::span<Real> y) const;

  /// The same product cell by cell with the plain matrix: the slow twin `apply` is tested against.
  void applyPlain(std::span<const Real> x, std::span<Real> y) const;

  /// The diagonal of A at each node (equal for all components); zero where no cell has stiffness.
  std::vector<Real> nodeDiagonal() const;

  /// u^T K u of each cell, without its scale. O(cells).
  void cellEnergies(std::span<const Real> u, std::span<double> energies) const;

  /// Bound of the spectrum of diag(A)^-1 A that holds for any scales.
  double eigenvalueBound() const { return bound_; }

 private:
  const Grid<D>& grid_;
  std::vector<std::size_t> held_;
  CellMatrix<D> stiffness_;
  std::array<Real, static_cast<std::size_t>(kCorners<D>) * D * D> blocks_{};
  double bound_;
  std::vector<Real> scales_;
};

}  // namespace barelattice
