/// @file
/// The stiffness of one square or cubic cell, plain and in the transformed form the fast operator uses.
#pragma once

#include <Eigen/Core>
#include <array>

#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// Degrees of freedom of a cell, ordered corner by corner: dof = D * corner + component.
template <int D>
inline constexpr int kCellDofs = D* kCorners<D>;

template <int D>
using CellMatrix = Eigen::Matrix<double, kCellDofs<D>, kCellDofs<D>>;
template <int D>
using SingleCellMatrix = Eigen::Matrix<float, kCellDofs<D>, kCellDofs<D>>;

/// Stiffness of a cell with unit edge and unit modulus, multilinear displacements, full integration (2 Gauss
/// points per axis, exact here). A cell of edge h and modulus E has E h^(D-2) times this (per metre of
/// thickness in two dimensions).
template <int D>
CellMatrix<D> cellStiffness(double poisson);

/// The mean square of the von Mises stress over a cell with unit edge and unit modulus, as a form of its
/// displacements: u^T M u, the mean over the Gauss points of its stiffness.
/// @param across D = 2: stress across the plane over the sum of those within; 0 for a sheet free to thin.
template <int D>
CellMatrix<D> vonMisesForm(double poisson, double across);

/// The stress at the centre of a cell with unit edge and unit modulus by its displacements, its components as
/// constitutiveMatrix orders them.
template <int D>
Eigen::Matrix<double, D*(D + 1) / 2, kCellDofs<D>> centreStress(double poisson);

/// B of K = W B W, with W the Walsh-Hadamard transform of the corner values: row and column D m + c belong to
/// component c in mode m.
template <int D>
CellMatrix<D> transformedMatrix(const CellMatrix<D>& k);

/// B of the stiffness of one cell, which is block diagonal.
///
/// Mirror symmetry makes each component c in transform mode m couple only with the components c' in the modes
/// m' for which m ^ bit(c) == m' ^ bit(c'). Grouped by that number k there are 2^D blocks of D x D:
/// blocks[k](c, c') couples (c, k ^ bit(c)) with (c', k ^ bit(c')).
template <int D>
struct TransformedStiffness {
  explicit TransformedStiffness(const CellMatrix<D>& stiffness);
  std::array<Eigen::Matrix<double, D, D>, kCorners<D>> blocks;
};

/// The largest eigenvalue of diag(K)^-1 K for one cell. Since every assembled matrix is a sum over cells with
/// weights that cancel in this ratio, it bounds the spectrum of any assembled diag(A)^-1 A.
template <int D>
double scaledEigenvalueBound(const CellMatrix<D>& stiffness);

}  // namespace barelattice
