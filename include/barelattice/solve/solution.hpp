/// @file
/// What a solve is asked for, and what it tells.
#pragma once

#include <functional>
#include <string>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

struct SolveOptions {
  /// Wanted bound of the squared energy norm of the error, relative to f^T u. For a single load this is the
  /// relative error of the compliance. 1e-12 to 1e-2.
  double energyTolerance = 1e-8;
  int maxIterations = 400;  ///< 1 or more
  /// Asked several times an iteration, on the calling thread; false ends the solve by Cancelled. Empty for
  /// never.
  std::function<bool()> goOn = {};
};

/// @throws InputError for options out of range.
void validate(const SolveOptions& options);

enum class SolveStop {
  converged,   ///< the estimated energy error is below the tolerance
  zeroLoad,    ///< there is nothing to solve: the right-hand side is zero
  limit,       ///< failed: the iteration limit was reached
  stagnated,   ///< failed: the error has stopped falling
  indefinite,  ///< failed: a direction of negative energy, so the matrix or preconditioner is not definite
};

/// One sentence for people.
std::string describe(SolveStop stop);

struct SolveReport {
  SolveStop stop = SolveStop::converged;
  int iterations = 0;
  double energyError = 0;  ///< estimated squared energy norm of the error over f^T u; ideal 0
  double residual = 0;     ///< norm of f - A u over the norm of f, computed anew at the end; ideal 0
  double work = 0;         ///< f^T u corrected to second order in the error: 2 f^T u - u^T A u (compliance)
  int strengthenedAt = 0;  ///< iteration from which on the preconditioner was a stronger one; 0 for never

  bool succeeded() const { return stop == SolveStop::converged || stop == SolveStop::zeroLoad; }
};

/// The multigrid cycle of a preconditioner: how often a level asks the next coarser one for a correction.
enum class Cycle {
  v,  ///< once: cheapest
  w,  ///< twice below the finest: for members thinner than a coarse cell
};

}  // namespace barelattice
