#include "assessment.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "asked.hpp"
#include "barelattice/base/error.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

// Two layouts are read from the variables x: level v = V x (making maps, filter), nominal layout
// n(v), projected at 0.5, and a thinner one e(v), projected at 0.5 + erosion. What is minimised is
//
//   c(x) = (1 - s) g(n) + s g(e)                                                  (1)
//
// with g the goal, s = `erodedShare`, one tenth; limits belong to n, which is the result. So that terms of a
// worst case blend like those of a sum, (1) is taken term by term.
//
// Why one tenth. What e cannot do without is thick enough in n (Wang, Lazarov & Sigmund 2011). With all of
// the goal on it, as the robust form has it, members come out thicker than asked, because a wall of one
// smallest member leaves next to nothing in e: the wheel of bench/convergence (15 % of its space, members of
// 4) had 50 units of compliance; with a half 48, a quarter 46, a tenth 44, three hundredths 43, all with
// members as thick as asked, while with less some in other problems were too thin. The thin layout only has
// to hold; how stiff it is nobody asked.
//
// The gradient is the chain backwards, each map's own transpose (layout/layout_map.hpp):
//
//   dc/dx = V^T [ (1 - s) (dn/dv)^T dg/dn + s (de/dv)^T dg/de ]                   (2)
//
// Narrow gaps are made dear (Wang, Lazarov & Sigmund 2011): in a thicker layout d(v), read at a threshold
// below 0.5, they are closed, so that its mass counts what no stiffness comes from. Steps are taken with
// dm(d)/dx as the price of material, while the mass that is met is that of n. Nothing more is solved.
//
// Where what is made lies within some distance of what is drawn, the goal and the limits are those of the
// layout that much thinner, r(v), in the place of n: of all that may be made it is the softest, since
// compliance falls with material, so the thicker ones need not be solved. Limits on the density, as that on
// the mass, are those of n all the same.
//
// dg/dn comes from the response, with adjoint solves where it needs them. tests/optimise/assessment_test
// holds (2) against differences of (1), both as the loop calls them.

/// Entry by entry; an empty factor counts as ones, and `values` are looked at then, so they must stay.
HeldField product(const std::vector<double>& values, const std::vector<double>& factor) {
  if (factor.empty()) return HeldField::lent(values);
  std::vector<double> result = values;
  for (std::size_t i = 0; i < factor.size(); ++i) result[i] *= factor[i];
  return result;
}

/// With what the problem leaves open filled in.
template <int D>
Goal completed(const LayoutProblem<D>& problem, const Analysis& analysis) {
  Goal goal = problem.goal;
  if (!goal.response) {
    goal.response = std::make_shared<Compliances>();
    if (goal.weights.empty())
      for (const GridCase<D>& c : problem.cases) goal.weights.push_back(c.weight);
  }
  const std::size_t count = goal.response->names(analysis).size();
  if (goal.weights.empty()) goal.weights.assign(count, 1.0);
  if (goal.weights.size() != count)
    throw InputError(fmt::format("the goal has {} values, but {} weights", count, goal.weights.size()));
  return goal;
}

template <int D>
std::vector<Limit> withMass(const LayoutProblem<D>& problem, const Analysis& analysis,
                            std::shared_ptr<const Response> mass) {
  std::vector<Limit> limits{{std::move(mass), 0, LimitSense::atMost, problem.massFraction}};
  for (const Limit& limit : limitsOf(problem)) {
    const std::size_t count = limit.response ? limit.response->names(analysis).size() : 0;
    if (limit.which >= count || limit.bound == 0 || !std::isfinite(limit.bound))
      throw InputError(
          fmt::format("limit {} bounds value {} of {} by {}", limits.size(), limit.which, count, limit.bound),
          "give it a response, one of its values, and a bound other than zero");
    limits.push_back(limit);
  }
  return limits;
}

}  // namespace

template <int D>
Assessment<D>::Assessment(const LayoutProblem<D>& problem, const StiffnessLaw& law, double erodedShare)
    : erodedShare_(erodedShare),
      readings_(problem),
      analysis_(problem.grid, problem.material, problem.cases, product(problem.fill, problem.modulus), law,
                problem.cellMass, problem.cellExpansion, problem.mirrors),
      mass_(std::make_shared<MassFraction>(product(problem.fill, problem.mass))),
      formulation_(completed(problem, analysis_), withMass(problem, analysis_, mass_)) {}

template <int D>
double Assessment<D>::goalOf(std::vector<double> density, CaseStates& states) {
  analysis_.attempt(std::move(density), states);
  return goalAt(states);
}

template <int D>
std::vector<double> Assessment<D>::valuesAt(const CaseStates& states) {
  const Analysed at{analysis_, states};
  std::vector<double> values = valuesOf(*formulation_.goal().response, at);
  const std::vector<double> limits = formulation_.limitsAt(at, at);
  values.insert(values.end(), limits.begin(), limits.end());
  return values;
}

template <int D>
void Assessment<D>::solve(std::vector<double> density, CaseStates& states, Assessed& assessed) {
  analysis_.attempt(std::move(density), states);
  for (const SolveReport& report : states.reports) {
    assessed.solverIterations += report.iterations;
    assessed.strengthened = assessed.strengthened || report.strengthenedAt > 0;
  }
}

template <int D>
Assessed Assessment<D>::assess(std::vector<double> layout, ReadingStates& states) {
  Assessed assessed;
  const bool thinner = readings_.madeThinner();
  if (thinner) drawn_.density = std::move(layout);
  solve(thinner ? readings_.made() : std::move(layout), states.nominal, assessed);
  const Analysed at{analysis_, states.nominal};
  assessed.appraisal = {valuesOf(*formulation_.goal().response, at),
                        formulation_.limitsAt(at, {analysis_, drawnOf(states.nominal)})};
  assessed.values = assessed.appraisal.terms;
  assessed.values.insert(assessed.values.end(), assessed.appraisal.limits.begin(),
                         assessed.appraisal.limits.end());
  std::vector<double>& terms = assessed.appraisal.terms;
  assessed.nominal = assessed.eroded = formulation_.goalOf(terms);
  if (share() > 0) {
    assessed.eroded = std::numeric_limits<double>::infinity();
    if (std::isfinite(assessed.nominal)) {
      solve(readings_.eroded(), states.eroded, assessed);
      const std::vector<double> thin = valuesOf(*formulation_.goal().response, {analysis_, states.eroded});
      assessed.eroded = formulation_.goalOf(thin);
      for (std::size_t k = 0; k < terms.size(); ++k)
        terms[k] = terms[k] + share() * (thin[k] - terms[k]);  // (1)
    }
  }
  assessed.merit = formulation_.merit(assessed.appraisal);
  return assessed;
}

/// (2): adds what one reading gives to the goal's gradients. The terms of a sum go back through the maps
/// together.
template <int D>
void Assessment<D>::addGoal(bool eroded, const CaseStates& states,
                            std::vector<std::vector<double>>& gradients) {
  const Goal& goal = formulation_.goal();
  const bool each = goal.form == GoalForm::worst;
  const std::size_t n = states.density.size();
  std::vector<double> own(n);
  std::vector<double> byDensity(n);
  for (std::size_t k = 0; k < goal.weights.size(); ++k) {
    if (each || k == 0) std::fill(byDensity.begin(), byDensity.end(), 0.0);
    gradientOf(*goal.response, {analysis_, states}, k, own);
    const double factor = (eroded ? share() : 1 - share()) * goal.weights[k];
    forEach(n, [&](std::size_t i) { byDensity[i] += factor * own[i]; });
    if (!each && k + 1 < goal.weights.size()) continue;
    std::vector<double> byVariable = eroded ? readings_.fromEroded(byDensity) : readings_.fromMade(byDensity);
    std::vector<double>& sum = gradients[each ? k : 0];
    if (sum.empty())
      sum = std::move(byVariable);
    else
      forEach(n, [&](std::size_t i) { sum[i] += byVariable[i]; });
  }
}

template <int D>
DesignGradients Assessment<D>::differentiate(const ReadingStates& states) {
  const Goal& goal = formulation_.goal();
  DesignGradients gradients;
  gradients.goal.resize(goal.form == GoalForm::worst ? goal.weights.size() : 1);
  addGoal(false, states.nominal, gradients.goal);
  if (share() > 0) addGoal(true, states.eroded, gradients.goal);
  std::vector<double> byDensity(states.nominal.density.size());
  for (const Limit& limit : formulation_.limits()) {
    const bool drawn = limit.response->ofDensityAlone();
    gradientOf(*limit.response, {analysis_, drawn ? drawnOf(states.nominal) : states.nominal}, limit.which,
               byDensity);
    if (gradients.limits.empty() && readings_.hasDilated())
      gradients.price = readings_.fromDilated(byDensity);
    gradients.limits.push_back(drawn ? readings_.fromNominal(byDensity) : readings_.fromMade(byDensity));
  }
  return gradients;
}

template class Assessment<2>;
template class Assessment<3>;

}  // namespace barelattice
