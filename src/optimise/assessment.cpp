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
// Where the lightest is sought, or the goal is of places or modes, terms are how far a face moves, how much
// of its strength the part uses, how slowly it swings. The thinner layout only has to hold, which its
// compliance tells, whose derivative needs no solve:
//
//   c_k(x) = g_k(n) h q,   h = 1 - s + s C(e) / C(n),   q = (C(n) / C_0)^b         (3)
//   dc_k = h q dg_k(n) + g_k(n) q [ s (dC(e) - C(e) / C(n) dC(n)) / C(n) + h b dC(n) / C(n) ]
//
// with C the sum of the cases' compliances by weight and C_0 that of the full domain. For g = C and b = 0
// that is (1). As long as the layout is grey a peak of stress says little of where material is due, and from
// a uniform one leads to poor optima. So stiffness leads the way at first: b is 1 up to a sharpness of 4, a
// half up to 8, and nothing after that. The least stress of four L-shaped brackets (50 to 100 cells high, 25
// to 40 % of them full) came to 1.03, 0.47, 0.97, 0.98 with that, to 1.17, 0.49, 1.20, 1.28 without, and that
// of their stiffest layouts is 1.35, 0.78, 1.31, 1.33; b = 1 / sharpness gave 1.11, 0.47, 1.05, 1.18.
// Frequencies and displacements find their way without, see Response::ledByStiffness.
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
    : cells_(problem.fill.size()),
      erodedShare_(erodedShare),
      lightest_(problem.lightest),
      readings_(problem),
      analysis_(problem.grid, problem.material, problem.cases, product(problem.fill, problem.modulus), law,
                problem.cellMass, problem.cellExpansion, problem.mirrors, problem.carried),
      mass_(std::make_shared<MassFraction>(product(problem.fill, problem.mass))),
      formulation_(completed(problem, analysis_), withMass(problem, analysis_, mass_), problem.lightest) {
  for (const GridCase<D>& c : problem.cases) caseWeights_.push_back(c.weight);
  byHold_ = lightest_ || formulation_.goal().response->heldByCompliance();
  modes_ = formulation_.goal().response->modes();
  for (const Limit& limit : formulation_.limits()) modes_ = std::max(modes_, limit.response->modes());
}

template <int D>
Appraisal Assessment<D>::measureFull(CaseStates& states) {
  analyse(std::vector<double>(cells_, 1.0), states);
  analysis_.requireSuccess(states);
  const Analysed at{analysis_, states};
  fullCompliance_ = complianceOf(states);
  Appraisal full{valuesOf(*formulation_.goal().response, at), formulation_.limitsAt(at, at)};
  for (const std::vector<double>* values : {&full.terms, &full.limits})
    for (const double value : *values)
      if (!std::isfinite(value))
        throw RunError("of the full domain goal or limits cannot be told",
                       "where it is held by little, hold it by more");
  formulation_.settle(full);
  return full;
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
void Assessment<D>::solve(std::vector<double> density, CaseStates& states, int modes, Assessed& assessed) {
  analysis_.attempt(std::move(density), states, modes);
  for (const SolveReport& report : states.reports) {
    assessed.solverIterations += report.iterations;
    assessed.strengthened = assessed.strengthened || report.strengthenedAt > 0;
  }
}

template <int D>
Assessed Assessment<D>::assess(std::vector<double> layout, ReadingStates& states) {
  Assessed assessed;
  if (readings_.madeThinner()) drawn_.density = std::exchange(layout, readings_.made());
  solve(std::move(layout), states.nominal, modes_, assessed);
  const Analysed at{analysis_, states.nominal};
  assessed.appraisal = {valuesOf(*formulation_.goal().response, at),
                        formulation_.limitsAt(at, {analysis_, drawnOf(states.nominal)})};
  assessed.values = assessed.appraisal.terms;
  assessed.values.insert(assessed.values.end(), assessed.appraisal.limits.begin(),
                         assessed.appraisal.limits.end());
  std::vector<double>& terms = assessed.appraisal.terms;
  assessed.goal = formulation_.goalOf(terms);
  assessed.nominal = assessed.eroded = byHold_ ? complianceOf(states.nominal) : assessed.goal;
  if (share() > 0) {
    assessed.eroded = std::numeric_limits<double>::infinity();
    if (std::isfinite(assessed.goal)) solve(readings_.eroded(), states.eroded, 0, assessed);
    if (std::isfinite(assessed.goal) && byHold_) {
      assessed.eroded = complianceOf(states.eroded);
    } else if (std::isfinite(assessed.goal)) {
      const std::vector<double> thin = valuesOf(*formulation_.goal().response, {analysis_, states.eroded});
      assessed.eroded = formulation_.goalOf(thin);
      for (std::size_t k = 0; k < terms.size(); ++k)
        terms[k] = terms[k] + share() * (thin[k] - terms[k]);  // (1)
    }
  }
  if (byHold_ && std::isfinite(assessed.eroded))
    for (double& term : terms) term *= heldFactor(states);  // (3)
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

/// b of (3).
template <int D>
double Assessment<D>::steering() const {
  constexpr double kGrey = 4;
  constexpr double kSoft = 8;
  const double sharpness = readings_.reading().sharpness;
  if (!formulation_.goal().response->ledByStiffness() || sharpness == 0 || sharpness > kSoft) return 0;
  return sharpness > kGrey ? 0.5 : 1;
}

/// h q of (3).
template <int D>
double Assessment<D>::heldFactor(const ReadingStates& states) const {
  const double own = complianceOf(states.nominal);
  const double h = share() > 0 ? 1 + share() * (complianceOf(states.eroded) / own - 1) : 1;
  return h * std::pow(own / fullCompliance_, steering());
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

template <int D>
std::pair<const Response*, std::size_t> Assessment<D>::valueAt(std::size_t number) const {
  const std::size_t terms = formulation_.goal().weights.size();
  if (number < terms) return {formulation_.goal().response.get(), number};
  const Limit& limit = formulation_.limits()[number - terms];
  return {limit.response.get(), limit.which};
}

template <int D>
std::vector<std::size_t> Assessment<D>::governing(const CaseStates& states, double leastShare) {
  constexpr double kFar = 0.3;  // of a bound: no step takes a limit there
  const Goal& goal = formulation_.goal();
  const Analysed at{analysis_, states};
  std::vector<std::size_t> numbers;
  if (byHold_) {
    const std::vector<double> values = valuesOf(*goal.response, at);
    double worst = 0;
    for (std::size_t k = 0; k < values.size(); ++k) worst = std::max(worst, goal.weights[k] * values[k]);
    for (std::size_t k = 0; k < values.size(); ++k) {
      const double value = goal.weights[k] * values[k];
      if (goal.form == GoalForm::weightedSum || value == worst || value > leastShare * worst)
        numbers.push_back(k);
    }
  }
  const std::vector<double> limits = formulation_.limitsAt(at, {analysis_, drawnOf(states)});
  for (std::size_t i = 0; i < limits.size(); ++i)
    if (leastShare == 0 || !formulation_.limits()[i].response->heldByCompliance() ||
        formulation_.missed(i, limits[i]) > -kFar)
      numbers.push_back(goal.weights.size() + i);
  return numbers;
}

/// The adjoint states that are needed, solved together.
template <int D>
void Assessment<D>::findAdjoints(const std::vector<std::size_t>& numbers, ReadingStates& states) {
  states.adjoints.resize(formulation_.goal().weights.size() + formulation_.limits().size());
  std::vector<std::size_t> solved;
  std::vector<AdjointLoad> loads;
  std::vector<std::vector<double>> starts;
  for (const std::size_t number : numbers) {
    const auto [response, which] = valueAt(number);
    std::optional<AdjointLoad> load = response->adjointLoad({analysis_, states.nominal}, which);
    if (!load) {
      states.adjoints[number].clear();
      continue;
    }
    solved.push_back(number);
    loads.push_back(std::move(*load));
    starts.push_back(std::move(states.adjoints[number]));
  }
  if (solved.empty()) return;
  std::vector<std::vector<double>> found = analysis_.adjoints(states.nominal, loads, std::move(starts));
  for (std::size_t i = 0; i < solved.size(); ++i) states.adjoints[solved[i]] = std::move(found[i]);
}

/// (3), by weight. Terms of a sum are one gradient.
template <int D>
void Assessment<D>::addGoalByHold(const ReadingStates& states, const std::vector<std::size_t>& numbers,
                                  std::vector<std::vector<double>>& gradients) {
  const Goal& goal = formulation_.goal();
  const std::size_t n = states.nominal.density.size();
  const std::vector<double> values = valuesOf(*goal.response, {analysis_, states.nominal});
  const double held = heldFactor(states);
  std::vector<double> byHold(n, 0.0);  // its derivative
  if (const double b = steering(); share() > 0 || b > 0) {
    const double own = complianceOf(states.nominal);
    const double q = std::pow(own / fullCompliance_, b);
    const std::vector<double> ofOwn = complianceGradient(states.nominal, false);
    double byOwn = b * held / own;
    if (share() > 0) {
      byHold = complianceGradient(states.eroded, true);
      byOwn -= q * share() * complianceOf(states.eroded) / (own * own);
    }
    forEach(n, [&](std::size_t i) { byHold[i] = q * share() / own * byHold[i] + byOwn * ofOwn[i]; });
  }
  const Analysed at{analysis_, states.nominal};
  std::vector<double> byDensity(n);
  for (const std::size_t k : numbers) {
    if (k >= values.size()) break;
    const double value = goal.weights[k] * values[k];
    goal.response->gradientFrom(at, k, states.adjoints[k], byDensity);
    requireFiniteGradient(*goal.response, at, k, byDensity);
    std::vector<double> byVariable = readings_.fromMade(byDensity);
    std::vector<double>& sum = gradients[goal.form == GoalForm::worst ? k : 0];
    if (sum.empty()) sum.assign(n, 0.0);
    forEach(n, [&](std::size_t i) { sum[i] += goal.weights[k] * held * byVariable[i] + value * byHold[i]; });
  }
}

template <int D>
DesignGradients Assessment<D>::differentiate(ReadingStates& states, double leastShare) {
  const Goal& goal = formulation_.goal();
  DesignGradients gradients;
  gradients.goal.resize(goal.form == GoalForm::worst ? goal.weights.size() : 1);
  const std::vector<std::size_t> numbers = governing(states.nominal, leastShare);
  findAdjoints(numbers, states);
  if (byHold_) {
    addGoalByHold(states, numbers, gradients.goal);
  } else {
    addGoal(false, states.nominal, gradients.goal);
    if (share() > 0) addGoal(true, states.eroded, gradients.goal);
  }
  std::vector<double> byDensity(states.nominal.density.size());
  gradients.limits.resize(formulation_.limits().size());
  for (const std::size_t number : numbers) {
    if (number < goal.weights.size()) continue;
    const std::size_t i = number - goal.weights.size();
    const Limit& limit = formulation_.limits()[i];
    const bool drawn = limit.response->ofDensityAlone();
    const Analysed at{analysis_, drawn ? drawnOf(states.nominal) : states.nominal};
    limit.response->gradientFrom(at, limit.which, states.adjoints[number], byDensity);
    requireFiniteGradient(*limit.response, at, limit.which, byDensity);
    if (i == 0 && readings_.hasDilated()) gradients.price = readings_.fromDilated(byDensity);
    gradients.limits[i] = drawn ? readings_.fromNominal(byDensity) : readings_.fromMade(byDensity);
  }
  return gradients;
}

template class Assessment<2>;
template class Assessment<3>;

}  // namespace barelattice
