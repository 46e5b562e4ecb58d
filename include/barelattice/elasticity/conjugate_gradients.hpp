/// @file
/// Preconditioned conjugate gradients that stop on the energy of the error.
#pragma once

#include <functional>
#include <span>
#include <string>

namespace barelattice {

struct SolveOptions {
  /// Wanted bound of the squared energy norm of the error, relative to f^T u. For a single load this is the
  /// relative error of the compliance. 1e-12 to 1e-2.
  double energyTolerance = 1e-8;
  int maxIterations = 400;  ///< 1 or more
};

enum class SolveStop {
  converged,   ///< the estimated energy error is below the tolerance
  zeroLoad,    ///< there is nothing to solve: the right-hand side is zero
  limit,       ///< failed: the iteration limit was reached
  indefinite,  ///< failed: a direction of negative energy, so the matrix or preconditioner is not definite
};

/// One sentence for people.
std::string describe(SolveStop stop);

struct SolveReport {
  SolveStop stop = SolveStop::converged;
  int iterations = 0;
  double energyError = 0;  ///< estimated squared energy norm of the error over f^T u; ideal 0
  double residual = 0;     ///< norm of f - A u over the norm of f; ideal 0
  double work = 0;         ///< f^T u corrected to second order in the error: 2 f^T u - u^T A u (compliance)

  bool succeeded() const { return stop == SolveStop::converged || stop == SolveStop::zeroLoad; }
};

/// y = A x for vectors of one length.
using LinearMap = std::function<void(std::span<const double> x, std::span<double> y)>;

/// Solves A u = f, A symmetric positive definite, from the start value in `u`. The flexible update of the
/// directions (Notay 2000) tolerates a preconditioner that is symmetric only up to single precision. The
/// squared energy norm of the error falls by gamma_k = alpha_k r_k^T z_k in step k (Strakos & Tichy 2002), so
/// the sum over the last few steps bounds the error before them from below and, while the squared error at
/// least halves in that span, the error after them from above. It is kept below the tolerance.
SolveReport solveConjugateGradients(const LinearMap& matrix, const LinearMap& preconditioner,
                                    std::span<const double> f, std::span<double> u,
                                    const SolveOptions& options);

}  // namespace barelattice
