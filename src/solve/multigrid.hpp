/// @file
/// The multigrid cycle, whatever its levels are made of.
#pragma once

#include <Eigen/SparseCholesky>
#include <memory>
#include <span>
#include <vector>

#include "barelattice/solve/solution.hpp"
#include "block_matrix.hpp"
#include "fields.hpp"
#include "low_rank.hpp"

namespace barelattice {

/// One level, for any number of right-hand sides at a time: its matrix and its smoother, a symmetric
/// polynomial S of M^-1 A with M the (block) diagonal.
class MultigridLevel {
 public:
  virtual ~MultigridLevel() = default;
  virtual std::size_t size() const = 0;
  /// x = S b: smoothing from zero.
  virtual void smoothFromZero(const Fields<const float>& b, const Fields<float>& x) = 0;
  /// b - A x, valid until the level is used again.
  virtual Fields<const float> residual(const Fields<const float>& b, const Fields<float>& x) = 0;
  /// x += S (b - A x).
  virtual void smooth(const Fields<const float>& b, const Fields<float>& x) = 0;
  /// Makes x one the matrix may be applied to, after a correction from below.
  virtual void admit(std::span<float> /*x*/) const {}
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

/// Fourth-kind Chebyshev iteration (Lottes 2023, Optimal polynomial smoothers for multigrid V-cycles):
///   z_1 = first() M^-1 r,  then for k = 1, 2, ...
///   x += z_k,  r -= A z_k,  z_(k+1) = keep(k) z_k + weight(k) M^-1 r.
struct ChebyshevSmoother {
  double bound;  ///< no eigenvalue of M^-1 A may exceed it; not an estimate: what lies above is amplified

  float first() const { return static_cast<float>(4 / (3 * bound)); }
  static float keep(int k) { return static_cast<float>((2.0 * k - 1) / (2 * k + 3)); }
  float weight(int k) const { return static_cast<float>((8.0 * k + 4) / (2 * k + 3) / bound); }
};

/// A level held as a block matrix, its vectors ordered by node, smoothed with its block diagonal.
template <int D>
class BlockLevel final : public MultigridLevel {
 public:
  /// @param bound see ChebyshevSmoother. For sums of positive semi-definite element matrices with n nodes
  ///   each, n is a bound: (sum of n vectors)^T A_e (...) is at most n times the sum of the n squares.
  BlockLevel(BlockMatrix<D> matrix, double bound);

  /// The matrix, to be changed in place; follow with `renew`.
  BlockMatrix<D>& matrix() { return matrix_; }
  /// Recomputes what depends on the entries of the matrix.
  void renew() { inverse_ = matrix_.inverseDiagonal(); }

  std::size_t size() const override { return D * matrix_.rows(); }
  void smoothFromZero(const Fields<const float>& b, const Fields<float>& x) override;
  Fields<const float> residual(const Fields<const float>& b, const Fields<float>& x) override;
  void smooth(const Fields<const float>& b, const Fields<float>& x) override;

  void apply(std::span<const float> x, std::span<float> y) const { matrix_.apply(x, y); }
  /// z = c M^-1 r.
  void scale(std::span<const float> r, float c, std::span<float> z) const;

 private:
  void finish(const Fields<float>& x);

  BlockMatrix<D> matrix_;
  std::vector<typename BlockMatrix<D>::Block> inverse_;
  ChebyshevSmoother smoother_;
  FieldStore r_, z_, t_;
};

/// A symmetric cycle in single precision with a direct solve at the bottom.
class Multigrid {
 public:
  /// @param levels finest first, without the bottom.
  /// @param transfers from each level to the one below it, the last one to the bottom.
  Multigrid(std::vector<std::unique_ptr<MultigridLevel>> levels,
            std::vector<std::unique_ptr<MultigridTransfer>> transfers);

  /// Takes a matrix to be solved directly at the bottom.
  /// @param added to the finest matrix: the bottom sees what there is of it there, the levels between do not.
  ///   So motions that nothing else resists are found; the rest is for LowRank::correct.
  /// @throws RunError if it cannot be factorised.
  void setBottom(const Eigen::SparseMatrix<double>& matrix, const LowRank& added = {});

  void setCycle(Cycle cycle) { cycle_ = cycle; }
  Cycle cycle() const { return cycle_; }

  /// z = B r, B symmetric positive definite, close to the inverse of the finest matrix.
  void apply(const Fields<const float>& r, const Fields<float>& z);
  /// The same from and to double precision.
  void apply(const Fields<const double>& r, const Fields<double>& z);
  void apply(std::span<const double> r, std::span<double> z) {
    apply(Fields<const double>{r}, Fields<double>{z});
  }

  std::size_t levelCount() const { return levels_.size() + 1; }

 private:
  struct Workspace {
    FieldStore b, x;
  };
  /// x = cycle from zero, or one more cycle from x.
  void descend(std::size_t level, const Fields<const float>& b, const Fields<float>& x, bool fromZero);
  void solveBottom(std::span<const float> b, std::span<float> x) const;
  /// P^T ... P^T of a vector on the finest level.
  Eigen::VectorXd atBottom(const LowRank::Column& column);

  std::vector<std::unique_ptr<MultigridLevel>> levels_;
  std::vector<std::unique_ptr<MultigridTransfer>> transfers_;
  Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> bottom_;
  Cycle cycle_ = Cycle::v;
  Workspace single_;             // of vectors given in double precision
  std::vector<Workspace> work_;  // of the levels below the finest, the bottom among them
};

}  // namespace barelattice
