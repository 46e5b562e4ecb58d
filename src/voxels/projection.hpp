// Interpolation inside a coarse cell, and what it makes of the stiffness of the fine cells in it.
#pragma once

#include "element.hpp"

namespace barelattice {

/// sum += P^T K P for one child, K symmetric, P the multilinear interpolation from the corners of its parent.
/// Child c lies at offset bit i of c along axis i, like corners.
template <int D>
void addProjected(const CellMatrix<D>& k, int child, CellMatrix<D>& sum);

}  // namespace barelattice
