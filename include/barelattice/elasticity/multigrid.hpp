/// @file
/// The multigrid cycle, whatever its levels are made of.
#pragma once

#include <Eigen/SparseCholesky>
#include <memory>
#include <span>
#include <vector>

#include "barelattice/elasticity/block_matrix.hpp"

namespace barelattice {

/// One level's matrix with its smoother scaling.
class MultigridLevel {
 public:
  virtual ~MultigridLevel() = default;
  virtual std::size_t size() const = 0;
  /// y = A x.
  virtual void apply(std::span<const float> x, std::span<float> y) const = 0;
  /// z = c M^-1 r with M the scaling matrix of the smoother (the diagonal, or its blocks).
  virtual void scale(std::span<const float> r, float c, std::span<float> z) const = 0;
  /// A bound no eigenvalue of M^-1 A exceeds; not an estimate: the smoother amplifies what lies above it.
  virtual double eigenvalueBound() const = 0;
};

/// Interpolation P between a level and the next coarser one.
class MultigridTransfer {
 public:
  virtual ~MultigridTransfer() = default;
  /// coarse = P^T fine.
  virtual void restrictTo(std::span<const float> fine, std::span<float> coarse) const = 0;
  /// fine += P coarse.
  virtual void prolongAdd(std::span<const float> coarse, std::span<float> fine) const = 0;
};

/// A level held as a block matrix, smoothed with its block diagonal.
template <int D>
class BlockLevel final : public MultigridLevel {
 public:
  /// @param bound see eigenvalueBound. For sums of positive semi-definite element matrices with n nodes each,
  ///   n is a bound: (sum of n vectors)^T A_e (...) is at most n times the sum of the n squares.
  BlockLevel(BlockMatrix<D> matrix, double bound);
  std::size_t size() const override { return D * matrix_.rows(); }
  void apply(std::span<const float> x, std::span<float> y) const override { matrix_.apply(x, y); }
  void scale(std::span<const float> r, float c, std::span<float> z) const override;
  double eigenvalueBound() const override { return bound_; }
  const BlockMatrix<D>& matrix() const { return matrix_; }

 private:
  BlockMatrix<D> matrix_;
  std::vector<typename BlockMatrix<D>::Block> inverse_;
  double bound_;
};

/// A symmetric V-cycle in single precision: fourth-kind Chebyshev smoothing of degree two before and after
/// the coarse correction (Lottes 2023, Optimal polynomial smoothers for multigrid V-cycles), a direct solve
/// below.
class Multigrid {
 public:
  /// @param levels finest first; the last one is only a place for vectors: `bottom` is solved there.
  /// @param transfers between neighbours, one fewer than levels.
  /// @param bottom the matrix of the last level.
  /// @throws RunError if `bottom` cannot be factorised.
  Multigrid(std::vector<std::unique_ptr<MultigridLevel>> levels,
            std::vector<std::unique_ptr<MultigridTransfer>> transfers,
            const Eigen::SparseMatrix<double>& bottom);

  /// z = B r, B symmetric positive definite, close to the inverse of the finest matrix.
  void apply(std::span<const double> r, std::span<double> z) const;

  std::size_t levelCount() const { return levels_.size(); }

 private:
  struct Workspace {
    std::vector<float> x, b, r, z, t;
  };
  void cycle(std::size_t level) const;
  void smooth(std::size_t level, bool fromZero) const;
  void solveBottom() const;

  std::vector<std::unique_ptr<MultigridLevel>> levels_;
  std::vector<std::unique_ptr<MultigridTransfer>> transfers_;
  Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> bottom_;
  mutable std::vector<Workspace> work_;
};

}  // namespace barelattice
