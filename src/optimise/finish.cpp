#include "finish.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "places.hpp"

namespace barelattice {
namespace {

constexpr int kMostFinalIterations = 600;

/// The mass at which the layout found would hold with members thick enough: with all variables raised until
/// what is left of it at the eroded threshold joins every load to a support. 0 where that cannot be had.
template <int D>
double neededMass(const LoopEnd<D>& end) {
  constexpr double kFar = 1.5;  // of the wanted mass: farther, what was found says nothing of what is needed
  const double erosion = end.path.back().erosion;
  const auto at = [&](double shift) {
    std::vector<double> x = end.variables;
    for (double& v : x) v = std::clamp(v + shift, 0.0, 1.0);
    return end.assessment.readings().levelOf(x);
  };
  const auto holds = [&](double shift) {
    return looseLoads(end.problem.grid, thickEnough(end.problem.keep, at(shift), erosion), end.problem.cases)
        .empty();
  };
  if (erosion == 0 || !holds(1)) return 0;
  double low = 0;
  double high = 1;
  for (int round = 0; round < 20; ++round) {
    const double middle = 0.5 * (low + high);
    (holds(middle) ? high : low) = middle;
  }
  const std::vector<std::uint8_t> thick = thickEnough(end.problem.keep, at(high), 0);
  const double needed = end.assessment.mass().value(std::vector<double>(thick.begin(), thick.end()));
  return needed < kFar * end.massFraction ? needed : 0;
}

/// Whether a bound besides the mass does not hold; tells the worst of them.
bool missesLimit(const Formulation& formulation, OptimiseResult& result) {
  constexpr double kSlack = 0.005;  // of the bound: what steps at rest leave
  const std::vector<double> over = formulation.overBounds(result.values);
  const auto worst = std::max_element(over.begin(), over.end());
  if (worst == over.end() || !(*worst > 1 + kSlack)) return false;
  result.where =
      formulation.boundText(static_cast<std::size_t>(worst - over.begin()), result.values, result.columns);
  return true;
}

}  // namespace

template <int D>
OptimiseResult finished(const LoopEnd<D>& end, CaseStates states, OptimiseResult result) {
  const LayoutProblem<D>& problem = end.problem;
  Assessment<D>& assessment = end.assessment;
  Readings<D>& readings = assessment.readings();
  result.massFraction = assessment.mass().value(result.density);
  result.grey = greyness(result.density, problem.fill);

  GridAnalysis<D>& analysis = assessment.analysis();
  analysis.setMostIterations(kMostFinalIterations);
  analysis.setTolerance(end.options.finalTolerance);
  assessment.analyse(result.density, states);
  result.nominal = assessment.holdOf(states);
  result.values = assessment.valuesAt(states);
  result.caseCompliance = states.compliances;
  result.displacements = states.displacements;

  if (readings.madeThinner()) {
    CaseStates thin = states;
    result.made =
        MadeWithin{assessment.holdOf(readings.made(), thin), assessment.mass().value(readings.made()),
                   assessment.mass().value(readings.madeThick())};
  }

  const BlackAndWhite read = readBlackAndWhite(result.level, assessment.mass(),
                                               problem.lightest ? result.massFraction : problem.massFraction);
  result.threshold = read.threshold;
  const std::vector<std::uint8_t> solid(read.density.begin(), read.density.end());
  const auto loose = looseLoads(problem.grid, solid, problem.cases);
  result.blackAndWhite = std::numeric_limits<double>::infinity();
  if (loose.empty()) {
    result.blackAndWhite = assessment.holdOf(read.density, states);
    result.caseBlackAndWhite = states.compliances;
  } else {
    result.caseBlackAndWhite.assign(problem.cases.size(), result.blackAndWhite);
    result.where = fmt::format("in case {} the load at {} hangs in the air when read black and white",
                               problem.cases[loose.front().load].name, placeText<D>(loose.front().at));
  }
  OptimiseStop& stop = result.stop;
  for (std::size_t k = 0; k < problem.cases.size(); ++k)
    if (!std::isfinite(result.caseCompliance[k])) {
      stop = OptimiseStop::loose;
      if (result.where.empty())
        result.where =
            fmt::format("case {} cannot be analysed: a piece it loads is hardly joined to a support",
                        problem.cases[k].name);
    }
  const double apart = std::abs(result.blackAndWhite / result.nominal - 1);
  if (stop == OptimiseStop::settled && end.path.back().erosion > 0 && !(apart < end.options.agreement))
    stop = loose.empty() ? OptimiseStop::grey : OptimiseStop::loose;
  // Whatever else keeps it from coming to rest: a limit out of reach is the first thing to know.
  if (stop != OptimiseStop::iterationLimit && stop != OptimiseStop::loose &&
      missesLimit(assessment.formulation(), result))
    stop = OptimiseStop::missed;
  if (stop == OptimiseStop::tooLittleMass || stop == OptimiseStop::restless || stop == OptimiseStop::loose)
    result.neededMass = neededMass(end);
  return result;
}

template OptimiseResult finished<2>(const LoopEnd<2>&, CaseStates, OptimiseResult);
template OptimiseResult finished<3>(const LoopEnd<3>&, CaseStates, OptimiseResult);

}  // namespace barelattice
