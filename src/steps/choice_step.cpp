// The step that finds out which of several ways of making suits a job best.

#include <cmath>
#include <limits>

#include "barelattice/base/error.hpp"
#include "barelattice/steps/steps.hpp"

namespace barelattice {
namespace {

double triedCompliance(const Job& job, const ProgressCallback& progress) {
  OptimiseOptions options;
  options.path = usualPath(1, 0);
  options.path.resize(4);  // up to sharpness 8: enough to tell ways apart
  options.maxIterations = 60;
  options.progress = progress;
  return job.flat() ? optimiseLayout<2>(job.layoutProblem<2>(), options).nominal
                    : optimiseLayout<3>(job.layoutProblem<3>(), options).nominal;
}

}  // namespace

ChoiceRecord choiceOf(const Job& job, const ProgressCallback& progress) {
  constexpr double kCoarser = 2;
  ChoiceRecord choice;
  const std::vector<MakingRule>& ways = openRule(job).ways;
  double best = std::numeric_limits<double>::infinity();
  std::string why;
  for (std::size_t way = 0; way < ways.size(); ++way) {
    TriedRecord& tried = choice.tried.emplace_back();
    tried.way = wayText(ways[way]);
    tried.compliance = std::numeric_limits<double>::infinity();
    try {
      tried.compliance = triedCompliance(settledOn(job, way, kCoarser), progress);
      if (!std::isfinite(tried.compliance)) tried.failure = "the layout does not hold";
    } catch (const InputError& error) {
      tried.failure = error.what();
    } catch (const RunError& error) {
      tried.failure = error.what();
    }
    if (tried.compliance < best) {
      best = tried.compliance;
      choice.taken = way;
    }
    if (!tried.failure.empty()) why = tried.way + ": " + tried.failure;
  }
  if (!std::isfinite(best))
    throw RunError("none of the ways of making can be designed, the last one: " + why);
  return choice;
}

}  // namespace barelattice
