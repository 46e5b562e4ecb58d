/// @file
/// The update scheme for a goal that falls with material and one limit on the amount of it.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

struct OptimalityOptions {
  double move = 0.2;     ///< largest change of a variable in one step, above 0 up to 1
  double damping = 0.5;  ///< exponent of the correction, above 0; above 1 it overshoots
};

/// @throws InputError for one out of range.
void validate(const OptimalityOptions& options);

/// New variables x (B)^damping within the move limit and 0 to 1, with B = -goal gradient / (l * limit
/// gradient) and the multiplier l such that `amount(new variables)` equals `target` (Bendsoe & Sigmund 2003,
/// section 1.2). The amount is evaluated through the whole layout chain, so projections need no
/// linearisation.
/// @param goalGradient positive entries count as zero: more material there does no good.
/// @param amount grows with every variable.
std::vector<double> updateByOptimality(std::span<const double> variables,
                                       std::span<const double> goalGradient,
                                       std::span<const double> limitGradient,
                                       const std::function<double(std::span<const double>)>& amount,
                                       double target, const OptimalityOptions& options);

}  // namespace barelattice
