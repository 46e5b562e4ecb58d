#include "block_matrix.hpp"

#include <Eigen/LU>
#include <algorithm>
#include <cstring>

#include "base/parallel.hpp"
#include "base/simd.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kRowsPerBlock = 256;  // some 27 blocks a row: about 256 kB of matrix

/// Rows of a product with K vectors at once: a block is loaded once for all, and their sums, which each wait
/// for the sum before, take turns. Every vector gets the bits it would get alone.
template <int D, class Real, std::size_t K>
BARELATTICE_INLINE void multiplyRows(const BlockMatrix<D, Real>& a, const Real* const* x, Real* const* y,
                                     std::size_t begin, std::size_t end) {
  // A column of a block is read as a vector of two or four: with D = 3 the last lane is the next column's,
  // and is left out in the end. Behind the last block of all there is nothing to read.
  constexpr std::size_t kWidth = D == 2 ? 2 : 4;
  using Column __attribute__((vector_size(kWidth * sizeof(Real)))) = Real;
  const Real* blocks = a.block.front().data();
  const std::size_t readable = D == 3 ? a.block.size() - 1 : a.block.size();
  for (std::size_t row = begin; row < end; ++row) {
    Column sum[K][D]{};
    const std::size_t last = std::min(a.rowStart[row + 1], readable);
    for (std::size_t e = a.rowStart[row]; e < last; ++e) {
      const std::size_t from = static_cast<std::size_t>(D) * static_cast<std::size_t>(a.column[e]);
#pragma GCC unroll 3
      for (std::size_t j = 0; j < D; ++j) {
        Column column;
        std::memcpy(&column, blocks + D * (D * e + j), sizeof column);
#pragma GCC unroll 4
        for (std::size_t k = 0; k < K; ++k) sum[k][j] += column * x[k][from + j];
      }
    }
    for (std::size_t k = 0; k < K; ++k) {
      Column total = sum[k][0] + sum[k][1];
      if constexpr (D == 3) total += sum[k][2];
      for (std::size_t e = std::max(last, a.rowStart[row]); e < a.rowStart[row + 1]; ++e)
        for (std::size_t j = 0; j < D; ++j)
          for (std::size_t i = 0; i < D; ++i)
            total[i] += blocks[D * (D * e + j) + i] *
                        x[k][static_cast<std::size_t>(D) * static_cast<std::size_t>(a.column[e]) + j];
      for (std::size_t i = 0; i < D; ++i) y[k][D * row + i] = total[i];
    }
  }
}

constexpr std::size_t kTogether = 4;  // vectors whose sums fit into the registers

#define BARELATTICE_KERNELS(D, Real)                                                                        \
  BARELATTICE_DISPATCH void rowsKernel(const BlockMatrix<D, Real>& a, const Real* const* x, Real* const* y, \
                                       std::size_t count, std::size_t begin, std::size_t end) {             \
    if (count == 1) multiplyRows<D, Real, 1>(a, x, y, begin, end);                                          \
    if (count == 2) multiplyRows<D, Real, 2>(a, x, y, begin, end);                                          \
    if (count == 3) multiplyRows<D, Real, 3>(a, x, y, begin, end);                                          \
    if (count == 4) multiplyRows<D, Real, 4>(a, x, y, begin, end);                                          \
  }
BARELATTICE_KERNELS(3, float)
BARELATTICE_KERNELS(3, double)
#undef BARELATTICE_KERNELS

}  // namespace

template <int D>
Eigen::Matrix<double, D, D> inverseWhereStiff(Eigen::Matrix<double, D, D> block) {
  Eigen::Matrix<double, D, 1> alive = Eigen::Matrix<double, D, 1>::Ones();
  for (int i = 0; i < D; ++i) {
    if (block(i, i) > 0) continue;
    block(i, i) = 1;
    alive[i] = 0;
  }
  return alive.asDiagonal() * block.inverse() * alive.asDiagonal();
}

template <int D, class Real>
void BlockMatrix<D, Real>::apply(const Fields<const Real>& x, const Fields<Real>& y) const {
  std::vector<const Real*> from;
  std::vector<Real*> to;
  for (std::size_t k = 0; k < x.size(); ++k) {
    from.push_back(x[k].data());
    to.push_back(y[k].data());
  }
  forEachBlock(
      rows(),
      [&](std::size_t begin, std::size_t end) {
        for (std::size_t k = 0; k < x.size(); k += kTogether)
          rowsKernel(*this, &from[k], &to[k], std::min(kTogether, x.size() - k), begin, end);
      },
      kRowsPerBlock);
}

template <int D, class Real>
std::vector<typename BlockMatrix<D, Real>::Block> BlockMatrix<D, Real>::inverseDiagonal() const {
  std::vector<Block> inverse(rows(), Block::Zero());
  forEach(
      rows(),
      [&](std::size_t row) {
        for (std::size_t e = rowStart[row]; e < rowStart[row + 1]; ++e) {
          if (column[e] != static_cast<int>(row)) continue;
          inverse[row] = inverseWhereStiff<D>(block[e].template cast<double>()).template cast<Real>();
        }
      },
      kRowsPerBlock);
  return inverse;
}

template <int D, class Real>
Eigen::SparseMatrix<double> BlockMatrix<D, Real>::assembled() const {
  std::vector<Eigen::Triplet<double>> entries;
  entries.reserve(D * D * column.size());
  for (std::size_t row = 0; row < rows(); ++row)
    for (std::size_t e = rowStart[row]; e < rowStart[row + 1]; ++e)
      for (int i = 0; i < D; ++i)
        for (int j = 0; j < D; ++j) {
          const int r = D * static_cast<int>(row) + i;
          const int c = D * column[e] + j;
          const double value = static_cast<double>(block[e](i, j));
          entries.emplace_back(r, c, r == c && value == 0 ? 1 : value);
        }
  const int n = D * static_cast<int>(rows());
  Eigen::SparseMatrix<double> matrix(n, n);
  matrix.setFromTriplets(entries.begin(), entries.end());
  return matrix;
}

template Eigen::Matrix2d inverseWhereStiff<2>(Eigen::Matrix2d);
template Eigen::Matrix3d inverseWhereStiff<3>(Eigen::Matrix3d);
template struct BlockMatrix<3>;
template struct BlockMatrix<3, double>;

}  // namespace barelattice
