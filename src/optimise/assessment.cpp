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
// Where the lightest is sought, terms stand for places: how far a face moves, how much of its strength the
// part uses. The thinner layout only has to hold, which its compliance tells, whose derivative needs no
// solve:
//
//   c_k(x) = g_k(n) h,   h = 1 - s + s C(e) / C(n)                                (3)
//   dc_k = h dg_k(n) + g_k(n) s (dC(e) - C(e) / C(n) dC(n)) / C(n)
//
// with C the sum of the cases' compliances by weight. For g = C that is (1).
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
      lightest_(problem.lightest),
      readings_(problem),
      analysis_(problem.grid, problem.material, problem.cases, product(problem.fill, problem.modulus), law,
                problem.cellMass, problem.cellExpansion, problem.mirrors),
      mass_(std::make_shared<MassFraction>(product(problem.fill, problem.mass))),
      formulation_(completed(problem, analysis_), withMass(problem, analysis_, mass_)) {
  for (const GridCase<D>& c : problem.cases) caseWeights_.push_back(c.weight);
}

template <int D>
double Assessment<D>::goalOf(std::vector<double> density, CaseStates& states) {
  analysis_.attempt(std::move(density), states);
  return goalAt(states);
}

template <int D>
double Assessment<D>::holdOf(std::vector<double> density, CaseStates& states) {
  analysis_.attempt(std::move(density), states);
  return holdOf(states);
}

template <int D>
double Assessment<D>::complianceOf(const CaseStates& states) const {
  double sum = 0;
  for (std::size_t k = 0; k < caseWeights_.size(); ++k)
    if (caseWeights_[k] > 0) sum += caseWeights_[k] * states.compliances[k];
  return sum;
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
  assessed.goal = formulation_.goalOf(terms);
  assessed.nominal = assessed.eroded = lightest_ ? complianceOf(states.nominal) : assessed.goal;
  if (share() > 0) {
    assessed.eroded = std::numeric_limits<double>::infinity();
    if (std::isfinite(assessed.goal)) solve(readings_.eroded(), states.eroded, assessed);
    if (std::isfinite(assessed.goal) && lightest_) {
      assessed.eroded = complianceOf(states.eroded);
      for (double& term : terms) term *= thinnerFactor(states);  // (3)
    } else if (std::isfinite(assessed.goal)) {
      const std::vector<double> thin = valuesOf(*formulation_.goal().response, {analysis_, states.eroded});
      assessed.eroded = formulation_.goalOf(thin);
      for (std::size_t k = 0; k < terms.size(); ++k)
        terms[k] = terms[k] + share() * (thin[k] - terms[k]);  // (1)
    }
  }
  assessed.merit = lightest_ ? formulation_.meritOfLightest(assessed.appraisal, assessed.goal,
                                                            assessed.eroded / assessed.nominal)
                             : formulation_.merit(assessed.appraisal);
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

/// h of (3).
template <int D>
double Assessment<D>::thinnerFactor(const ReadingStates& states) const {
  return share() > 0 ? 1 + share() * (complianceOf(states.eroded) / complianceOf(states.nominal) - 1) : 1;
}

/// dC by the variables, of one reading.
template <int D>
std::vector<double> Assessment<D>::complianceGradient(const CaseStates& states, bool eroded) {
  std::vector<double> own(states.density.size());
  std::vector<double> byDensity(own.size(), 0.0);
  for (std::size_t k = 0; k < caseWeights_.size(); ++k) {
    if (caseWeights_[k] == 0) continue;
    analysis_.complianceGradient(states, k, own);
    forEach(own.size(), [&](std::size_t i) { byDensity[i] += caseWeights_[k] * own[i]; });
  }
  return eroded ? readings_.fromEroded(byDensity) : readings_.fromMade(byDensity);
}

/// The adjoint states of some terms, solved together.
template <int D>
void Assessment<D>::findAdjoints(const std::vector<std::size_t>& terms, ReadingStates& states) {
  const Goal& goal = formulation_.goal();
  states.adjoints.resize(goal.weights.size());
  std::vector<std::size_t> solved;
  std::vector<AdjointLoad> loads;
  std::vector<std::vector<double>> starts;
  for (const std::size_t k : terms) {
    std::optional<AdjointLoad> load = goal.response->adjointLoad({analysis_, states.nominal}, k);
    if (!load) {
      states.adjoints[k].clear();
      continue;
    }
    solved.push_back(k);
    loads.push_back(std::move(*load));
    starts.push_back(std::move(states.adjoints[k]));
  }
  std::vector<std::vector<double>> found = analysis_.adjoints(states.nominal, loads, std::move(starts));
  for (std::size_t i = 0; i < solved.size(); ++i) states.adjoints[solved[i]] = std::move(found[i]);
}

/// (3), by weight. Terms of a sum are one gradient.
template <int D>
void Assessment<D>::addGoalOfLightest(ReadingStates& states, double leastShare,
                                      std::vector<std::vector<double>>& gradients) {
  const Goal& goal = formulation_.goal();
  const std::size_t n = states.nominal.density.size();
  const std::vector<double> values = valuesOf(*goal.response, {analysis_, states.nominal});
  double worst = 0;
  for (std::size_t k = 0; k < values.size(); ++k) worst = std::max(worst, goal.weights[k] * values[k]);
  const double h = thinnerFactor(states);
  std::vector<double> dh(n, 0.0);
  if (share() > 0) {
    const double own = complianceOf(states.nominal);
    const double ratio = complianceOf(states.eroded) / own;
    dh = complianceGradient(states.eroded, true);
    const std::vector<double> ofOwn = complianceGradient(states.nominal, false);
    forEach(n, [&](std::size_t i) { dh[i] = share() * (dh[i] - ratio * ofOwn[i]) / own; });
  }
  const Analysed at{analysis_, states.nominal};
  std::vector<std::size_t> governing;
  for (std::size_t k = 0; k < values.size(); ++k) {
    const double value = goal.weights[k] * values[k];
    if (goal.form == GoalForm::weightedSum || value == worst || value > leastShare * worst)
      governing.push_back(k);
  }
  findAdjoints(governing, states);
  std::vector<double> byDensity(n);
  for (const std::size_t k : governing) {
    const double value = goal.weights[k] * values[k];
    goal.response->gradientFrom(at, k, states.adjoints[k], byDensity);
    requireFiniteGradient(*goal.response, at, k, byDensity);
    std::vector<double> byVariable = readings_.fromMade(byDensity);
    std::vector<double>& sum = gradients[goal.form == GoalForm::worst ? k : 0];
    if (sum.empty()) sum.assign(n, 0.0);
    forEach(n, [&](std::size_t i) { sum[i] += goal.weights[k] * h * byVariable[i] + value * dh[i]; });
  }
}

template <int D>
DesignGradients Assessment<D>::differentiate(ReadingStates& states, double leastShare) {
  const Goal& goal = formulation_.goal();
  DesignGradients gradients;
  gradients.goal.resize(goal.form == GoalForm::worst ? goal.weights.size() : 1);
  if (lightest_) {
    addGoalOfLightest(states, leastShare, gradients.goal);
  } else {
    addGoal(false, states.nominal, gradients.goal);
    if (share() > 0) addGoal(true, states.eroded, gradients.goal);
  }
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
