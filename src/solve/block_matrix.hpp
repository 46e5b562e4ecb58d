/// @file
/// Sparse matrices of small square blocks, one block row per node.
#pragma once

#include <Eigen/Core>
#include <Eigen/SparseCore>
#include <cstddef>
#include <span>
#include <vector>

#include "fields.hpp"

namespace barelattice {

/// Inverse of a diagonal block. Components without stiffness get a zero row and column.
template <int D>
Eigen::Matrix<double, D, D> inverseWhereStiff(Eigen::Matrix<double, D, D> block);

/// Compressed block rows. Vectors hold the D components of a node next to each other.
/// @tparam Real float or double.
template <int D, class Real = float>
struct BlockMatrix {
  using Block = Eigen::Matrix<Real, D, D>;  // column by column: a product adds up whole columns

  std::vector<std::size_t> rowStart{0};  ///< block row r holds entries [rowStart[r], rowStart[r + 1])
  std::vector<int> column;               ///< node of each entry
  std::vector<Block> block;              ///< the entry itself

  std::size_t rows() const { return rowStart.size() - 1; }

  /// y = A x. Rows are independent: the same bits on any number of threads.
  void apply(std::span<const Real> x, std::span<Real> y) const {
    apply(Fields<const Real>{x}, Fields<Real>{y});
  }
  /// For several x while the matrix passes once.
  void apply(const Fields<const Real>& x, const Fields<Real>& y) const;

  /// Inverse of every diagonal block. Degrees of freedom without stiffness get a zero row and column, so that
  /// they stay where they are.
  std::vector<Block> inverseDiagonal() const;

  /// The same matrix for a direct solver; degrees of freedom without stiffness get a one on the diagonal.
  Eigen::SparseMatrix<double> assembled() const;
};

}  // namespace barelattice
