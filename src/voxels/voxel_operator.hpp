/// @file
/// The stiffness of a grid of cells as an operator, without a matrix.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "barelattice/grid/grid.hpp"
#include "barelattice/voxels/node_support.hpp"
#include "element.hpp"
#include "layer_plan.hpp"
#include "solve/fields.hpp"

namespace barelattice {

/// A = Q (sum over cells of scale(cell) K + springs) Q on a grid, Q the projector on what the supports leave
/// free; a field of displacements or forces holds component after component (gridDof).
///
/// Each cell costs one transform of its corner values, 45 multiplications (D = 3), and one transform back;
/// the work runs along the first axis in vectors of 16 cells (single) or 8 (double). The order of every sum
/// is the same whatever the number of threads. Memory: 12 bytes per cell.
template <int D>
class VoxelOperator {
 public:
  /// @param supports ordered by node, each node once.
  VoxelOperator(const Grid<D>& grid, double poisson, std::vector<NodeSupport<D>> supports);

  /// Sets the stiffness factor of each cell, E h^(D-2) or any multiple of it; not negative.
  void setScales(std::span<const double> scales);

  const Grid<D>& grid() const { return grid_; }
  const LayerPlan<D>& plan() const { return plan_; }
  std::size_t size() const { return static_cast<std::size_t>(D) * grid_.nodeCount(); }
  const std::vector<NodeSupport<D>>& supports() const { return supports_; }
  /// The stiffness of one cell with factor one.
  const CellMatrix<D>& cellStiffness() const { return stiffness_; }
  /// The factor of each cell.
  std::span<const double> scales() const { return {scales_.data(), grid_.cellCount()}; }

  /// Computes y = A x for several x in one pass and hands it over piece by piece instead of storing it.
  /// @tparam Real precision of the arithmetic: float, or double also from x in single precision.
  /// @param x must satisfy x = Q x.
  template <class Real, class In>
  void sweep(const Fields<const In>& x, const LayerVisitor<D, Real>& visit) const;

  /// y = A x.
  template <class Real>
  void apply(std::span<const Real> x, std::span<Real> y) const;

  /// What the cells alone do, without supports and springs: the forces that hold x.
  void applyUnsupported(std::span<const double> x, std::span<double> y) const;

  /// `apply` cell by cell with the plain matrix: the slow twin it is tested against.
  void applyPlain(std::span<const double> x, std::span<double> y) const;

  /// x = Q x.
  template <class Real>
  void project(std::span<Real> x) const;

  /// At each node a number no less than the diagonal of A: without springs that of the cells, which is equal
  /// for all components. Zero where nothing has stiffness.
  std::vector<float> nodeDiagonal() const;

  /// u^T K u of each cell, without its scale. O(cells).
  void cellEnergies(std::span<const double> u, std::span<double> energies) const;

  /// Bound of the spectrum of M^-1 A, M the matrix of nodeDiagonal, that holds for any scales.
  double eigenvalueBound() const { return bound_; }

 private:
  template <class Real>
  const std::vector<Real>& scalesIn() const;
  template <class Real, class In>
  void sweepCells(const Fields<const In>& x, bool supported, const LayerVisitor<D, Real>& visit) const;
  template <class Real, class In>
  void support(std::size_t layer, std::span<const In> x, Real* buffer) const;

  struct Place {
    std::size_t support;  // which
    std::size_t place;    // of its node in the buffer of the layer
  };

  Grid<D> grid_;
  LayerPlan<D> plan_;
  std::vector<NodeSupport<D>> supports_;
  std::vector<Place> places_;            // sorted by layer
  std::vector<std::size_t> placeStart_;  // by layer of nodes
  CellMatrix<D> stiffness_;
  std::array<double, static_cast<std::size_t>(kCorners<D>) * D * D> blocks_{};
  double bound_;
  std::vector<double> scales_;  // with room for one vector behind the last cell
  std::vector<float> singleScales_;
};

}  // namespace barelattice
