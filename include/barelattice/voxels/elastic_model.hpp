/// @file
/// A linear-elastic body on a grid: set its supports once, its stiffness as often as needed, and solve.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/material.hpp"
#include "barelattice/solve/solution.hpp"
#include "barelattice/voxels/forces.hpp"
#include "barelattice/voxels/node_support.hpp"

namespace barelattice BARELATTICE_API {

template <int D>
class VoxelOperator;

/// A load and the displacement it causes.
struct LoadedField {
  const Forces* f;
  std::span<double> u;
  std::span<const double> everywhere = {};  ///< forces by degree of freedom that add to f, N; empty for none
};

/// Displacements and forces are ordered as `gridDof` says, in metres and newtons.
template <int D>
class ElasticModel {
 public:
  /// @param supports ordered by node, each node once.
  /// @param couplings stiffness on mean motions; a body may stand on these alone.
  /// @param material in two dimensions that of a sheet, see sheetMaterial.
  /// @throws InputError if the material is out of range, the grid has no cells, or supports and couplings do
  /// not fit it.
  ElasticModel(const Grid<D>& grid, const Material& material, std::vector<NodeSupport<D>> supports,
               const std::vector<Coupling>& couplings = {});
  /// @param held degrees of freedom that stay zero.
  ElasticModel(const Grid<D>& grid, const Material& material, std::span<const std::size_t> held);
  ~ElasticModel();
  ElasticModel(const ElasticModel&) = delete;
  ElasticModel& operator=(const ElasticModel&) = delete;

  /// Sets the share of the material's modulus each cell has, 0 to 1; one before the first call. The next
  /// solve renews the preconditioner.
  void setRelativeModuli(std::span<const double> shares);

  /// Solves for the displacements under given forces, starting from what they hold; what the supports hold of
  /// them is set to zero, and forces on them do nothing. Up to four are solved in one pass over the
  /// stiffness. `work` of a report is the compliance, J.
  /// @throws InputError for forces or fields that do not fit the grid; Cancelled where options.goOn asks for
  /// it.
  ///
  /// Besides u a solve needs some 65 bytes per node and case (D = 3). Directions and residuals are kept in
  /// single precision, products with the stiffness are computed in double.
  std::vector<SolveReport> solve(std::span<const LoadedField> fields, const SolveOptions& options);
  /// The same for a single load.
  SolveReport solve(const Forces& f, std::span<double> u, const SolveOptions& options);

  /// Twice the strain energy each cell would hold at the full modulus, J: with share s the compliance is the
  /// sum of s times this, and minus this is the derivative of the compliance by s.
  void fullCellEnergies(std::span<const double> u, std::span<double> energies) const;

  /// Nodal forces of the stresses of a displacement field, without any support, N. Less the applied forces
  /// they are what supports have to exert, see Grounding::forces.
  std::vector<double> internalForces(std::span<const double> u) const;

  /// The multigrid cycle solves begin with: a W-cycle once one has been slow, see
  /// SolveReport::strengthenedAt, a V-cycle again after one that took a handful of iterations.
  Cycle cycle() const;
  void setCycle(Cycle cycle);

  /// y = A u in units of `scale()`, N/m, with springs and couplings; what is held gets zero.
  void apply(std::span<const double> u, std::span<double> y) const;
  /// u^T A u, J: twice the strain energy, with that of springs and couplings.
  double energy(std::span<const double> u) const;
  /// z = B r, B close to the inverse of A.
  void precondition(std::span<const double> r, std::span<double> z);

  /// A without couplings, in units of `scale()`, E h^(D-2) in N/m.
  const VoxelOperator<D>& stiffness() const;
  /// The nodes that couplings act on, ascending.
  std::vector<std::size_t> coupledNodes() const;
  double scale() const { return scale_; }
  std::size_t size() const;  ///< degrees of freedom
  std::size_t levelCount() const;

 private:
  struct Parts;  // the stiffness on the grid, and on coarser ones

  double scale_;  // E h^(D-2): the operator works with shares, so that single precision never overflows
  std::unique_ptr<Parts> parts_;
};

}  // namespace barelattice
