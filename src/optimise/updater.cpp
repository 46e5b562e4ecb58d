#include "updater.hpp"

#include <algorithm>

namespace barelattice {
namespace {

std::vector<double> scaled(std::vector<double> values, double factor) {
  for (double& value : values) value *= factor;
  return values;
}

/// Goal and limits in the form of moving asymptotes, the goal in units of what it is now: the terms of a
/// worst are the f_i of which the largest is minimised, a sum is f_0.
AsymptotesProblem asymptotesProblem(const DesignPoint& at) {
  AsymptotesProblem problem;
  const Goal& goal = at.formulation.goal();
  const double scale = 1 / at.formulation.goalOf(at.appraisal.terms);
  if (goal.form == GoalForm::weightedSum) problem.goalGradient = scaled(at.gradients.goal.front(), scale);
  for (std::size_t k = 0; k < at.gradients.goal.size() && goal.form == GoalForm::worst; ++k) {
    if (at.gradients.goal[k].empty()) continue;  // it does not govern
    problem.limitGradients.push_back(scaled(at.gradients.goal[k], scale));
    problem.limits.push_back(scale * goal.weights[k] * at.appraisal.terms[k]);
    problem.shares.push_back(1);
  }
  for (std::size_t i = 0; i < at.gradients.limits.size(); ++i) {
    // A limit missed by far is approached in parts: asked for all at once, it would be bought with mass,
    // which the shift that meets the target takes away again.
    constexpr double kPart = 0.1;                  // of the value
    if (at.gradients.limits[i].empty()) continue;  // far from its bound
    const double missed = at.formulation.missed(i, at.appraisal.limits[i]);
    problem.limits.push_back(i == 0 ? missed : std::min(missed, kPart * (1 + missed)));
    const bool priced = i == 0 && !at.gradients.price.empty();
    problem.limitGradients.push_back(priced ? at.gradients.price : at.gradients.limits[i]);
    for (double& value : problem.limitGradients.back()) value /= at.formulation.unitOf(i);
    problem.shares.push_back(0);
  }
  return problem;
}

}  // namespace

std::string describe(UpdateScheme scheme) {
  if (scheme == UpdateScheme::optimalityCriteria)
    return "Stepped by optimality criteria, as more material is better everywhere and the mass is all that "
           "bounds it";
  return "Stepped by moving asymptotes, as there is more than a sum that material makes less of, and a mass";
}

UpdateScheme schemeFor(const Formulation& formulation, const Analysis& analysis) {
  const Goal& goal = formulation.goal();
  const bool plain = goal.form == GoalForm::weightedSum && formulation.limits().size() == 1;
  return plain && goal.response->fallsWithMaterial(analysis) ? UpdateScheme::optimalityCriteria
                                                             : UpdateScheme::movingAsymptotes;
}

std::vector<double> stepFrom(const DesignPoint& at, UpdateScheme scheme, const OptimalityOptions& length,
                             AsymptotesState& remembered) {
  if (scheme == UpdateScheme::optimalityCriteria)
    return updateByOptimality(at.variables, at.gradients.goal.front(),
                              at.gradients.price.empty() ? at.gradients.limits.front() : at.gradients.price,
                              at.massOf, at.massFraction, length);
  return updateByAsymptotes(at.variables, asymptotesProblem(at), {length.move}, remembered);
}

}  // namespace barelattice
