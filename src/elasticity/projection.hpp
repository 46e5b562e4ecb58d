// Interpolation inside a coarse cell, and what it makes of the stiffness of the fine cells in it.
#pragma once

#include "barelattice/elasticity/element.hpp"

namespace barelattice {

/// Weight of coarse corner `coarse` at corner `corner` of child `child`. Child c lies at offset bit i of c
/// along axis i, like corners.
template <int D>
double childWeight(int child, int corner, int coarse);

/// sum += P^T K P for one child, P the multilinear interpolation from the corners of its parent.
template <int D>
void addProjected(const CellMatrix<D>& k, int child, CellMatrix<D>& sum);

}  // namespace barelattice
