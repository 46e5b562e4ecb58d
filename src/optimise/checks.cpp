#include "checks.hpp"

#include "base/check.hpp"

namespace barelattice {
namespace {

template <int D>
void validate(const CaseStates& states, const LayoutProblem<D>& problem) {
  const std::size_t cases = problem.cases.size();
  requireCount("displacements of the state", states.displacements.size(), cases, "cases");
  requireCount("compliances of the state", states.compliances.size(), cases, "cases");
  requireCount("reports of the state", states.reports.size(), cases, "cases");
  for (const std::vector<double>& u : states.displacements)
    requireCount("a displacement of the state", u.size(), D * problem.grid.nodeCount(), "degrees of freedom");
  requireCountOrNone("density of the state", states.density.size(), problem.fill.size(), "cells");
}

void validate(const ContinuationOptions& options) {
  if (options.stageIterations < 1)
    throw InputError(fmt::format("stageIterations is {}", options.stageIterations), "give 1 or more");
  requireNotNegative("stageGain", options.stageGain);
  requireNotNegative("finalGain", options.finalGain);
  requireNotNegative("finalChange", options.finalChange);
  requireNotNegative("finalDrift", options.finalDrift);
  requireNotNegative("mostRise", options.mostRise);
  requireNotNegative("mostJump", options.mostJump);
  requirePositive("leastStride", options.leastStride);
  requirePositive("leastPace", options.leastPace);
}

}  // namespace

void validate(const OptimiseOptions& options) {
  if (options.maxIterations < 0)
    throw InputError(fmt::format("maxIterations is {}", options.maxIterations), "give 0 for none, or more");
  if (options.guard < 1) throw InputError(fmt::format("guard is {}", options.guard), "give 1 or more");
  for (const Reading& reading : options.path) validate(reading);
  if (!(options.erosion >= 0 && options.erosion < 0.5))
    throw InputError(fmt::format("erosion is {}", options.erosion), "give 0 up to below 0.5");
  requireWithin("erodedShare", options.erodedShare, 0, 1);
  validate(options.continuation);
  requirePositive("agreement", options.agreement);
  for (const double tolerance : {options.loopTolerance, options.finalTolerance})
    if (!(tolerance > 0 && tolerance < 1))
      throw InputError(fmt::format("a tolerance is {}", tolerance), "give above 0, below 1");
  validate(options.law);
  validate(options.update);
}

template <int D>
void validate(const OptimiseState& state, const LayoutProblem<D>& problem, std::size_t attempts) {
  if (state.problem != fingerprintOf(problem))
    throw InputError("the state to continue from is of another problem", "give one of this problem, or none");
  const std::size_t cells = problem.fill.size();
  requireIndex("attempt of the state", state.attempt, attempts, "attempts");
  if (state.sharpenings < 0)
    throw InputError(fmt::format("sharpenings of the state are {}", state.sharpenings));
  requireCount("variables of the state", state.variables.size(), cells, "cells");
  requireCountOrNone("accepted variables of the state", state.accepted.size(), cells, "cells");
  for (const auto* gradients : {&state.gradients.goal, &state.gradients.limits})
    for (const std::vector<double>& gradient : *gradients)
      requireCountOrNone("a gradient of the state", gradient.size(), cells, "cells");
  requireEach("variables of the state", state.variables, 0, 1);
  requireEach("accepted variables of the state", state.accepted, 0, 1);
  if (!state.accepted.empty()) {
    if (state.gradients.goal.empty() || state.appraisal.terms.empty())
      throw InputError("the state has accepted variables, but no derivatives there");
    const std::size_t limits = 1 + limitsOf(problem).size();
    requireCount("derivatives of limits of the state", state.gradients.limits.size(), limits,
                 "limits, the mass first");
    requireCount("limits of the state", state.appraisal.limits.size(), limits, "limits, the mass first");
    requireCountOrNone("the price of the state", state.gradients.price.size(), cells, "cells");
    requireCount("derivative of the mass of the state", state.gradients.limits.front().size(), cells,
                 "cells");
    requireWithin("wanted mass fraction of the state", state.massFraction, 0, 1);
    requireWithin("least mass fraction of the state", state.leastMass, 0, 1);
  }
  for (const std::vector<double>& adjoint : state.states.adjoints)
    requireCountOrNone("an adjoint of the state", adjoint.size(), D * problem.grid.nodeCount(),
                       "degrees of freedom");
  for (const ModeStates& modes : state.states.nominal.modes)
    for (const std::vector<double>& shape : modes.shapes)
      requireCount("a mode of the state", shape.size(), D * problem.grid.nodeCount(), "degrees of freedom");
  validate<D>(state.states.nominal, problem);
  validate<D>(state.states.eroded, problem);
}

template void validate(const OptimiseState&, const LayoutProblem<2>&, std::size_t);
template void validate(const OptimiseState&, const LayoutProblem<3>&, std::size_t);

}  // namespace barelattice
