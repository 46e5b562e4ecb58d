// Bounds that are relative to what another body has.

#include <algorithm>

#include "barelattice/base/error.hpp"
#include "barelattice/steps/steps.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// The worst figures of all limits, of the full design space or of the shape a design would start from.
template <int D>
std::vector<double> figuresOf(const Job& job, const ProgressCallback& progress) {
  const LayoutProblem<D> problem = job.layoutProblem<D>();
  std::vector<double> stiff = problem.fill;
  for (std::size_t c = 0; c < problem.modulus.size(); ++c) stiff[c] *= problem.modulus[c];
  GridAnalysis<D> analysis(problem.grid, problem.material, problem.cases, std::move(stiff), {},
                           problem.cellMass, problem.cellExpansion, problem.mirrors, problem.carried);
  if (progress) analysis.setProgress(progress);
  int modes = 0;
  for (const Limit& limit : problem.limits) modes = std::max(modes, limit.response->modes());
  CaseStates states = analysis.rest();
  std::vector<double> density = problem.start;
  if (density.empty()) density.assign(problem.fill.size(), 1.0);
  for (std::size_t c = 0; c < density.size(); ++c) density[c] = problem.keep[c] ? 1 : density[c];
  analysis.attempt(std::move(density), states, modes);
  analysis.requireSuccess(states);
  std::vector<std::string> columns;
  std::vector<double> values;
  for (const Limit& limit : problem.limits) {
    columns.push_back(limit.response->names(analysis)[limit.which]);
    values.push_back(limit.response->values({analysis, states})[limit.which]);
  }
  std::vector<double> figures;
  for (const BriefLimit& limit : job.brief.limits) {
    double worst = limit.least() ? std::numeric_limits<double>::infinity() : 0;
    for (const LimitColumn& each : columnsOf(job, limit)) {
      const auto column = std::find(columns.begin(), columns.end(), each.name);
      if (column == columns.end()) continue;
      const double figure = each.figure(values[static_cast<std::size_t>(column - columns.begin())]);
      worst = limit.least() ? std::min(worst, figure) : std::max(worst, figure);
    }
    figures.push_back(worst);
  }
  return figures;
}

}  // namespace

std::vector<double> boundsOf(const Job& job, const ProgressCallback& progress) {
  std::vector<double> bounds;
  for (const BriefLimit& limit : job.brief.limits) bounds.push_back(limit.share > 0 ? 0 : limit.bound);
  // All limits are looked at beside a mass, where each is one of its own, whatever their bounds are.
  Job measured = job;
  measured.brief.lightest = false;
  measured.brief.blend.reset();
  measured.corrections.clear();
  for (BriefLimit& limit : measured.brief.limits) limit.bound = 1;
  for (const bool baseline : {false, true}) {
    const auto wanted = [&](const BriefLimit& limit) {
      return limit.share > 0 && limit.ofBaseline == baseline;
    };
    if (std::none_of(job.brief.limits.begin(), job.brief.limits.end(), wanted)) continue;
    measured.brief.start.reset();
    if (baseline) measured.brief.start = job.brief.baseline;
    const std::vector<double> figures =
        job.flat() ? figuresOf<2>(measured, progress) : figuresOf<3>(measured, progress);
    for (std::size_t r = 0; r < bounds.size(); ++r) {
      const BriefLimit& limit = job.brief.limits[r];
      if (!wanted(limit)) continue;
      bounds[r] = limit.share * figures[r];
      if (!(bounds[r] > 0 && std::isfinite(bounds[r])))
        throw RunError("limit " + limit.name + " is relative to what the " +
                           (baseline ? "baseline" : "full design space") + " has, which is nothing",
                       "state its bound as a figure");
    }
  }
  return bounds;
}

Job withBounds(Job job, const std::vector<double>& bounds) {
  requireCount("bounds", bounds.size(), job.brief.limits.size(), "limits");
  for (std::size_t r = 0; r < bounds.size(); ++r) {
    requirePositive("bound of a limit", bounds[r]);
    job.brief.limits[r].bound = bounds[r];
  }
  return job;
}

}  // namespace barelattice
