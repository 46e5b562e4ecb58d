/// @file
/// A linear-elastic body on a grid: set its supports once, its stiffness as often as needed, and solve.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "barelattice/elasticity/conjugate_gradients.hpp"
#include "barelattice/elasticity/material.hpp"
#include "barelattice/elasticity/voxel_hierarchy.hpp"
#include "barelattice/elasticity/voxel_operator.hpp"

namespace barelattice {

/// Displacements and forces are ordered as `gridDof` says, in metres and newtons.
template <int D>
class ElasticModel {
 public:
  /// @param grid must outlive the model.
  /// @param held degrees of freedom that stay zero, ascending.
  /// @param material in two dimensions that of a sheet, see sheetMaterial.
  /// @throws InputError if the material is out of range.
  ElasticModel(const Grid<D>& grid, const Material& material, std::vector<std::size_t> held);

  /// Sets the share of the material's modulus each cell has, 0 to 1, and renews the preconditioner.
  void setRelativeModuli(std::span<const double> shares);

  /// Solves for the displacement `u` under the forces `f`, starting from what `u` holds. Entries of held
  /// degrees of freedom are set to zero. `work` of the report is the compliance, J.
  SolveReport solve(std::span<const double> f, std::span<double> u, const SolveOptions& options) const;

  /// Twice the strain energy each cell would hold at the full modulus, J: with share s the compliance is the
  /// sum of s times this, and minus this is the derivative of the compliance by s.
  void fullCellEnergies(std::span<const double> u, std::span<double> energies) const;

  /// Forces the supports carry: A u - f at the held degrees of freedom, zero elsewhere, N.
  std::vector<double> reactions(std::span<const double> u, std::span<const double> f) const;

  std::size_t size() const { return fine_.size(); }
  std::size_t levelCount() const { return hierarchy_.levelCount(); }

 private:
  const Grid<D>& grid_;
  double scale_;  // E h^(D-2): the operators work with shares, so that single precision never overflows
  VoxelOperator<D, double> exact_;
  VoxelOperator<D, double> free_;  // without supports, for reactions
  VoxelOperator<D, float> fine_;
  VoxelHierarchy<D> hierarchy_;
  std::unique_ptr<Multigrid> multigrid_;
};

}  // namespace barelattice
