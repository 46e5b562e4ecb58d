#include "barelattice/optimise/gradient_check.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <random>

#include "assessment.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

using Function = std::function<double(const std::vector<double>&)>;

/// (8 (f(x + h) - f(x - h)) - (f(x + 2h) - f(x - 2h))) / 12 h is exact for polynomials up to the fourth
/// degree: steps may be long enough that solves need not be exact.
GradientCheck compared(std::string name, const Function& f, std::vector<double> x,
                       const std::vector<double>& gradient, const GradientCheckOptions& options) {
  double largest = 0;
  for (const double g : gradient) largest = std::max(largest, std::abs(g));
  GradientCheck check;
  check.name = std::move(name);
  const std::size_t stride = std::max<std::size_t>(1, x.size() / options.cells);
  for (std::size_t i = stride / 2; i < x.size(); i += stride) {
    const double old = x[i];
    const auto across = [&](double reach) {
      x[i] = old + reach;
      const double above = f(x);
      x[i] = old - reach;
      const double below = f(x);
      x[i] = old;
      return above - below;
    };
    const double difference = (8 * across(options.step) - across(2 * options.step)) / (12 * options.step);
    const double apart = std::abs(gradient[i] - difference);
    // Where all derivatives are said to be zero any difference counts in full; so does one that is no number.
    double error = apart == 0 ? 0 : apart / (largest > 0 ? largest : apart);
    if (std::isnan(error)) error = std::numeric_limits<double>::infinity();
    if (!(error > check.error)) continue;
    check.error = error;
    check.cell = i;
    check.derivative = gradient[i];
    check.difference = difference;
  }
  return check;
}

}  // namespace

template <int D>
std::vector<GradientCheck> checkGradients(const LayoutProblem<D>& problem,
                                          const GradientCheckOptions& options) {
  validate(problem);
  if (options.cells < 1) throw InputError("no cell is to be looked at", "give 1 or more");
  requirePositive("step", options.step);
  requireWithin("step", options.step, 0, 0.1);
  validate(options.reading);
  const OptimiseOptions usual;
  constexpr double kTightly = 1e-16;
  Assessment<D> chain(problem, usual.law, usual.erodedShare);
  chain.analysis().setTolerance(kTightly);
  chain.readings().set(options.reading);
  ReadingStates states{chain.analysis().rest(), chain.analysis().rest()};
  if (chain.formulation().perFull()) chain.measureFull(states.nominal);
  const auto assessed = [&](const std::vector<double>& x) {
    // From rest: a variable that changes nothing would else have a solve begin at its answer, whose error no
    // iteration can make smaller, which counts as a failure.
    states = {chain.analysis().rest(), chain.analysis().rest()};
    return chain.assess(chain.readings().forward(x), states).appraisal;
  };
  std::mt19937 random(options.seed);
  std::vector<double> x(problem.fill.size());
  for (double& value : x) value = 0.3 + 0.4 * static_cast<double>(random()) * 0x1p-32;
  assessed(x);
  chain.analysis().requireSuccess(states.nominal);
  const DesignGradients gradients = chain.differentiate(states);
  const Formulation& formulation = chain.formulation();
  const std::vector<std::string> columns = formulation.columns(chain.analysis());
  const bool worst = formulation.goal().form == GoalForm::worst;
  const std::size_t terms = formulation.goal().weights.size();
  std::vector<GradientCheck> checks;
  for (std::size_t k = 0; k < gradients.goal.size(); ++k)
    checks.push_back(compared(
        worst || terms == 1 ? columns[k] : "weighted sum",
        [&](const std::vector<double>& at) {
          const Appraisal appraisal = assessed(at);
          return worst ? formulation.goal().weights[k] * appraisal.terms[k]
                       : formulation.goalOf(appraisal.terms);
        },
        x, gradients.goal[k], options));
  for (std::size_t i = 0; i < gradients.limits.size(); ++i)
    checks.push_back(compared(
        columns[terms + i], [&](const std::vector<double>& at) { return assessed(at).limits[i]; }, x,
        gradients.limits[i], options));
  return checks;
}

template BARELATTICE_API std::vector<GradientCheck> checkGradients(const LayoutProblem<2>&,
                                                                   const GradientCheckOptions&);
template BARELATTICE_API std::vector<GradientCheck> checkGradients(const LayoutProblem<3>&,
                                                                   const GradientCheckOptions&);

}  // namespace barelattice
