// One step of the design variables.
#pragma once

#include <functional>
#include <span>
#include <string>
#include <vector>

#include "assessment.hpp"
#include "barelattice/optimise/moving_asymptotes.hpp"
#include "barelattice/optimise/optimality_criteria.hpp"

namespace barelattice {

/// By what a problem's variables are stepped.
enum class UpdateScheme { optimalityCriteria, movingAsymptotes };

/// Optimality criteria where their condition speaks of the whole problem: one sum that falls with material
/// everywhere, and no limit but that on the mass. Moving asymptotes for everything else.
UpdateScheme schemeFor(const Formulation& formulation, const Analysis& analysis);
/// One sentence for people.
std::string describe(UpdateScheme scheme);

/// The problem as it looks at the layout accepted last.
struct DesignPoint {
  std::span<const double> variables;
  const Formulation& formulation;
  const Appraisal& appraisal;
  const DesignGradients& gradients;
  double massFraction;  ///< wanted
  /// Of other variables, through the whole chain.
  std::function<double(std::span<const double>)> massOf;
};

/// The next variables. Those of moving asymptotes meet the mass to first order only.
/// @param length of the step; moving asymptotes have no damping.
std::vector<double> stepFrom(const DesignPoint& at, UpdateScheme scheme, const OptimalityOptions& length,
                             AsymptotesState& remembered);

}  // namespace barelattice
