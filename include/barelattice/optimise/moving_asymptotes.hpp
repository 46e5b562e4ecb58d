/// @file
/// The update scheme for any goal and any number of limits: the method of moving asymptotes.
#pragma once

#include <span>
#include <vector>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// One point of a problem in the form of Svanberg 1987:
///   minimise f_0(x) + z   subject to   f_i(x) - a_i z <= 0,  z >= 0,  0 <= x <= 1.
/// With f_0 = 0 and a_i = 1 the largest f_i is minimised; with a_i = 0, f_i is a limit.
struct AsymptotesProblem {
  std::vector<double> goalGradient;                 ///< of f_0; empty when f_0 is zero
  std::vector<double> limits;                       ///< f_i at x
  std::vector<std::vector<double>> limitGradients;  ///< of each f_i
  std::vector<double> shares;                       ///< a_i, 0 or 1
};

struct AsymptotesOptions {
  double move = 0.2;  ///< largest change of a variable in one step, above 0 up to 1
};

/// The asymptotes and the last two points, which is all the method remembers.
struct AsymptotesState {
  std::vector<double> low, high;          ///< empty before the first step
  std::vector<double> previous, earlier;  ///< variables one and two steps back; empty before they exist
};

/// The next variables: the optimum of the convex separable approximation round `x` (Svanberg 1987, The method
/// of moving asymptotes; asymptotes and move limits as in Svanberg 2007, MMA and GCMMA, sections 3 and 5),
/// found through its dual, which has as many unknowns as there are limits. Limits are scaled by the caller so
/// that f_i is of order one. O(variables * limits^2) for each of some 30 steps. Deterministic on any number
/// of threads.
std::vector<double> updateByAsymptotes(std::span<const double> x, const AsymptotesProblem& problem,
                                       const AsymptotesOptions& options, AsymptotesState& state);

}  // namespace barelattice
