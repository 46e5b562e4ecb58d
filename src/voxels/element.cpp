#include "element.hpp"

#include <Eigen/Eigenvalues>
#include <bit>
#include <cmath>

#include "barelattice/mechanics/material.hpp"

namespace barelattice {

namespace {

/// Rows of the Voigt strain as (component, derivative) pairs.
template <int D>
constexpr auto shearPairs() {
  if constexpr (D == 2)
    return std::array<std::array<int, 2>, 1>{{{0, 1}}};
  else
    return std::array<std::array<int, 2>, 3>{{{1, 2}, {0, 2}, {0, 1}}};
}

/// Strain from corner displacements at a point of the unit cell, coordinates 0 to 1.
template <int D>
Eigen::Matrix<double, D*(D + 1) / 2, kCellDofs<D>> strainMatrix(const Point<D>& at) {
  Eigen::Matrix<double, D*(D + 1) / 2, kCellDofs<D>> b;
  b.setZero();
  for (int corner = 0; corner < kCorners<D>; ++corner) {
    Point<D> gradient;
    for (int i = 0; i < D; ++i) {
      gradient[i] = 1;
      for (int j = 0; j < D; ++j) {
        const bool far = corner >> j & 1;
        if (j == i)
          gradient[i] *= far ? 1 : -1;
        else
          gradient[i] *= far ? at[j] : 1 - at[j];
      }
    }
    for (int i = 0; i < D; ++i) b(i, D * corner + i) = gradient[i];
    int row = D;
    for (const auto& [p, q] : shearPairs<D>()) {
      b(row, D * corner + p) = gradient[q];
      b(row, D * corner + q) = gradient[p];
      ++row;
    }
  }
  return b;
}

/// The mean of B^T A B over the Gauss points, B the strains by corner displacements.
template <int D>
CellMatrix<D> meanForm(const Eigen::Matrix<double, D*(D + 1) / 2, D*(D + 1) / 2>& a) {
  const double offset = 0.5 / std::sqrt(3.0);
  CellMatrix<D> k = CellMatrix<D>::Zero();
  for (int g = 0; g < kCorners<D>; ++g) {
    Point<D> at;
    for (int i = 0; i < D; ++i) at[i] = 0.5 + (g >> i & 1 ? offset : -offset);
    const auto b = strainMatrix<D>(at);
    k += b.transpose() * a * b / kCorners<D>;
  }
  return 0.5 * (k + k.transpose());
}

}  // namespace

template <int D>
CellMatrix<D> cellStiffness(double poisson) {
  return meanForm<D>(constitutiveMatrix<D>(poisson));
}

template <int D>
Eigen::Matrix<double, D*(D + 1) / 2, kCellDofs<D>> centreStress(double poisson) {
  return constitutiveMatrix<D>(poisson) * strainMatrix<D>(Point<D>::Constant(0.5));
}

/// 2 s^2 = (xx - yy)^2 + (yy - zz)^2 + (zz - xx)^2 + 6 (yz^2 + xz^2 + xy^2), with zz = t (xx + yy) in the
/// plane.
template <int D>
CellMatrix<D> vonMisesForm(double poisson, double across) {
  constexpr int kStresses = D * (D + 1) / 2;
  Eigen::Matrix<double, kStresses, kStresses> v;
  v.setZero();
  if constexpr (D == 3) {
    v.template topLeftCorner<3, 3>().setConstant(-0.5);
    v.diagonal() << 1, 1, 1, 3, 3, 3;
  } else {
    const double own = 1 - across + across * across;
    const double both = -0.5 - across + across * across;
    v << own, both, 0, both, own, 0, 0, 0, 3;
  }
  const Eigen::Matrix<double, kStresses, kStresses> c = constitutiveMatrix<D>(poisson);
  return meanForm<D>(c.transpose() * v * c);
}

template <int D>
CellMatrix<D> transformedMatrix(const CellMatrix<D>& k) {
  CellMatrix<D> w = CellMatrix<D>::Zero();
  for (int m = 0; m < kCorners<D>; ++m)
    for (int corner = 0; corner < kCorners<D>; ++corner)
      for (int i = 0; i < D; ++i)
        w(D * m + i, D * corner + i) = std::popcount(static_cast<unsigned>(m & corner)) % 2 ? -1 : 1;
  // W W = 2^D, so B = W^-1 K W^-1 = W K W / 4^D.
  return w * k * w / (kCorners<D> * kCorners<D>);
}

// Why the transformed matrix falls apart. With W_mk = (-1)^(bits of m & k) the values at the 2^D corners k
// become modes m: bit i of m says that the mode changes sign between the two sides along axis i. The element
// is its own image in each of its D mid-planes. Mirroring in axis i
//   turns mode m of component c into (-1)^(m_i) times itself, and besides
//   turns component i into its negative;
// so component c in mode m takes the sign (-1)^(m_i + [c = i]): it is even or odd in axis i as bit i of
//   k = m ^ bit(c)
// says. A form K that is not changed by the mirrors couples only what has the same signs in all D of them:
// equal k. Each k occurs once for every component c, in mode k ^ bit(c): 2^D blocks of D x D. In three
// dimensions 8 * 9 = 72 products instead of 576, and the two transforms are 24 additions each per component.

template <int D>
TransformedStiffness<D>::TransformedStiffness(const CellMatrix<D>& stiffness) {
  const CellMatrix<D> b = transformedMatrix<D>(stiffness);
  for (int k = 0; k < kCorners<D>; ++k)
    for (int i = 0; i < D; ++i)
      for (int j = 0; j < D; ++j)
        blocks[static_cast<std::size_t>(k)](i, j) = b(D * (k ^ 1 << i) + i, D * (k ^ 1 << j) + j);
}

template <int D>
double scaledEigenvalueBound(const CellMatrix<D>& stiffness) {
  const Eigen::Matrix<double, kCellDofs<D>, 1> scale = stiffness.diagonal().cwiseSqrt().cwiseInverse();
  const CellMatrix<D> scaled = scale.asDiagonal() * stiffness * scale.asDiagonal();
  return Eigen::SelfAdjointEigenSolver<CellMatrix<D>>(scaled, Eigen::EigenvaluesOnly)
      .eigenvalues()
      .maxCoeff();
}

template CellMatrix<2> cellStiffness<2>(double);
template CellMatrix<3> cellStiffness<3>(double);
template Eigen::Matrix<double, 3, 8> centreStress<2>(double);
template Eigen::Matrix<double, 6, 24> centreStress<3>(double);
template CellMatrix<2> vonMisesForm<2>(double, double);
template CellMatrix<3> vonMisesForm<3>(double, double);
template CellMatrix<2> transformedMatrix<2>(const CellMatrix<2>&);
template CellMatrix<3> transformedMatrix<3>(const CellMatrix<3>&);
template struct TransformedStiffness<2>;
template struct TransformedStiffness<3>;
template double scaledEigenvalueBound<2>(const CellMatrix<2>&);
template double scaledEigenvalueBound<3>(const CellMatrix<3>&);

}  // namespace barelattice
