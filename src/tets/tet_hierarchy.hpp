/// @file
/// The multigrid cycle for quadratic tetrahedra.
#pragma once

#include <memory>
#include <vector>

#include "barelattice/tets/quadratic_tets.hpp"
#include "solve/multigrid.hpp"

namespace barelattice {

/// Coarse value i of a fine node: (coarse node, weight) pairs in compressed rows.
struct Interpolation {
  std::vector<std::size_t> rowStart{0};
  std::vector<int> column;
  std::vector<float> weight;
  std::size_t columns = 0;
};

/// P^T A P for an interpolation that treats all components alike.
BlockMatrix<3, double> galerkinProduct(const BlockMatrix<3, double>& a, const Interpolation& p);

/// Levels: quadratic tetrahedra; the linear ones of the same mesh; then the corners of regular grids laid
/// over the mesh, each twice as coarse as the one before; a direct solve at the bottom. All coarse matrices
/// are Galerkin products, so supports and the shape of the part are seen on every level.
/// @param spacing of the lattice the mesh comes from, m.
/// @param stiffness of the quadratic level, with supports.
/// @param added to it, see Multigrid::setBottom.
std::unique_ptr<Multigrid> buildTetHierarchy(const QuadraticTets& mesh, double spacing,
                                             const BlockMatrix<3, double>& stiffness,
                                             const LowRank& added = {});

}  // namespace barelattice
