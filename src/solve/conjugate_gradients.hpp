/// @file
/// Preconditioned conjugate gradients that stop on the energy of the error.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "barelattice/solve/solution.hpp"
#include "fields.hpp"

namespace barelattice {

/// The vectors of systems A u = f that share A, and what the iteration does with them. Only u needs to be in
/// double precision: u advances along p whatever p is, r is renewed from u from time to time, and of the
/// others only their direction counts.
class ConjugateSystem {
 public:
  virtual ~ConjugateSystem() = default;

  /// Numbers of right-hand sides: each step is taken for these, in one pass over A, and what it returns is in
  /// their order.
  using Which = std::span<const std::size_t>;
  virtual std::size_t count() const = 0;  ///< of right-hand sides

  struct Residual {
    double squared = 0;  ///< r^T r
    double drift = 0;    ///< squared norm of the change, where r had been carried along
    double work = 0;     ///< (f + r)^T u, the compliance corrected to second order
  };
  /// r = f - A u.
  virtual std::vector<Residual> renewResidual(Which which) = 0;

  struct Preconditioned {
    double withResidual = 0;  ///< r^T z
    double withProduct = 0;   ///< q^T z, q as `advance` left it
  };
  /// z = B r.
  virtual std::vector<Preconditioned> precondition(Which which) = 0;

  struct Direction {
    double energy = 0;    ///< p^T q
    double residual = 0;  ///< r^T p
  };
  /// p = z + beta p, q = A p.
  virtual std::vector<Direction> advance(Which which, std::span<const double> beta) = 0;

  /// u += alpha p, r -= alpha q. @return f^T u.
  virtual std::vector<double> step(Which which, std::span<const double> alpha) = 0;

  virtual double loadSquared(std::size_t k) const = 0;  ///< f^T f
  virtual void rest(std::size_t k) = 0;                 ///< u = 0

  /// r is renewed when r^T B r has fallen by this factor since the last time: before rounding shows in it. 0
  /// for never.
  virtual double renewalDrop() const = 0;
  /// Called when convergence is slow. @return whether B is a stronger preconditioner now.
  virtual bool strengthen() { return false; }
};

/// Solves A u = f, A symmetric positive definite, from the start values in u, for all right-hand sides
/// together; each goes its own way and leaves when it is done. The flexible update of the
/// directions (Notay 2000) tolerates a preconditioner that is symmetric only up to single precision, and one
/// that changes on the way.
///
/// The squared energy norm of the error falls by gamma_k = alpha_k r_k^T p_k in step k (Strakos & Tichy
/// 2002), so the sum over a few steps bounds the error before them from below. What is left after the last
/// few is judged by the worst that was left after any few before them, in multiples of their sum (compare
/// Meurant, Papez & Tichy 2021, Accurate error estimation in CG): the plateaus a solve has shown are expected
/// to come again. This estimate is kept below the tolerance; it knows nothing of motions that have not begun
/// to show.
std::vector<SolveReport> solveConjugateGradients(ConjugateSystem& system, const SolveOptions& options);

/// y = A x for several vectors of one length.
using FieldsMap = std::function<void(const Fields<const double>& x, const Fields<double>& y)>;

/// The same with all vectors in double precision, each right-hand side by its number.
std::vector<SolveReport> solveConjugateGradients(const FieldsMap& matrix, const FieldsMap& preconditioner,
                                                 const Fields<const double>& f, const Fields<double>& u,
                                                 const SolveOptions& options);

/// y = A x for vectors of one length.
using LinearMap = std::function<void(std::span<const double> x, std::span<double> y)>;

/// The same for one right-hand side.
SolveReport solveConjugateGradients(const LinearMap& matrix, const LinearMap& preconditioner,
                                    std::span<const double> f, std::span<double> u,
                                    const SolveOptions& options);

}  // namespace barelattice
