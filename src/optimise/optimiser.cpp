#include "barelattice/optimise/optimiser.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <numeric>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

template <int D>
void validate(const LayoutProblem<D>& problem) {
  const MassFraction mass(problem.fill);
  const std::vector<double> keep(problem.keep.begin(), problem.keep.end());
  if (!(problem.massFraction > mass.value(keep) && problem.massFraction < 1))
    throw InputError(fmt::format(
        "the mass target is {:.3g} of the full design space; it must lie between {:.3g} (the keeps) and 1",
        problem.massFraction, mass.value(keep)));
  if (problem.cases.empty()) throw InputError("there is no load case");
}

template <int D>
class Loop {
 public:
  Loop(const LayoutProblem<D>& problem, const OptimiseOptions& options)
      : problem_(problem),
        options_(options),
        model_(*problem.grid, problem.material, problem.held),
        goal_(model_, problem.cases, problem.fill, options.law),
        mass_(problem.fill),
        filter_(std::make_shared<DensityFilter<D>>(*problem.grid, problem.fill, problem.filterRadius,
                                                   problem.filterBoundary)) {
    goal_.setTolerance(options.loopTolerance);
    buildChain();
    startUniform();
  }

  OptimiseResult run(const IterationCallback& callback) {
    const auto start = std::chrono::steady_clock::now();
    OptimiseResult result;
    result.stop = OptimiseStop::iterationLimit;
    std::vector<double> density = chain_.forward(variables_);
    for (int iteration = 1; iteration <= options_.maxIterations; ++iteration) {
      IterationRecord record;
      record.iteration = iteration;
      record.sharpness = sharpness();
      record.massFraction = mass_.value(density);
      std::vector<double> goalGradient(density.size());
      record.compliance = goal_.evaluate(density, goalGradient);
      for (const SolveReport& report : goal_.reports()) record.solverIterations += report.iterations;
      std::vector<double> next = update(goalGradient);
      record.change = moved(density, next) / (record.massFraction * total());
      record.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
      density = std::move(next);
      result.history.push_back(record);
      if (callback && !callback(record, density)) {
        result.stop = OptimiseStop::cancelled;
        break;
      }
      if (lastStage() && record.change < options_.finalChange) {
        result.stop = OptimiseStop::settled;
        break;
      }
      if (advance(record.change)) density = rebalanced();
    }
    finish(std::move(density), result);
    return result;
  }

 private:
  void buildChain() {
    chain_ = {};
    if (!problem_.mirror.empty()) chain_.append(std::make_shared<Mirror>(problem_.mirror));
    chain_.append(filter_);
    if (!options_.sharpness.empty()) chain_.append(std::make_shared<Projection>(sharpness()));
    chain_.append(std::make_shared<KeepSolid>(problem_.keep));
  }

  double sharpness() const { return options_.sharpness.empty() ? 0 : options_.sharpness[stage_]; }
  bool lastStage() const { return stage_ + 1 >= options_.sharpness.size(); }
  double total() const { return std::accumulate(problem_.fill.begin(), problem_.fill.end(), 0.0); }
  double massOf(std::span<const double> variables) { return mass_.value(chain_.forward(variables)); }

  /// The uniform start that meets the mass target.
  void startUniform() {
    double low = 0;
    double high = 1;
    while (high - low > 1e-9) {
      const double middle = 0.5 * (low + high);
      variables_.assign(problem_.fill.size(), middle);
      (massOf(variables_) > problem_.massFraction ? high : low) = middle;
    }
  }

  std::vector<double> update(std::span<const double> goalGradient) {
    std::vector<double> limitGradient(variables_.size());
    mass_.evaluate(chain_.forward(variables_), limitGradient);
    // Near the threshold a density follows its variable with the sharpness as factor. Undamped, the
    // correction overshoots by that factor, and boundary cells flip between full and empty for ever.
    OptimalityOptions step = options_.update;
    constexpr double kUndamped = 4;
    if (sharpness() > kUndamped) step.damping *= kUndamped / sharpness();
    variables_ = updateByOptimality(
        variables_, chain_.backward(goalGradient), chain_.backward(limitGradient),
        [&](std::span<const double> x) { return massOf(x); }, problem_.massFraction, step);
    return chain_.forward(variables_);
  }

  double moved(const std::vector<double>& from, const std::vector<double>& to) const {
    double sum = 0;
    for (std::size_t i = 0; i < from.size(); ++i) sum += problem_.fill[i] * std::abs(to[i] - from[i]);
    return sum;
  }

  /// Moves on to the next sharpness when the stage has done its work.
  bool advance(double change) {
    ++inStage_;
    if (lastStage() || (inStage_ < options_.stageIterations && change > options_.stageChange)) return false;
    ++stage_;
    inStage_ = 0;
    buildChain();
    return true;
  }

  /// A sharper projection changes the mass of the same variables: shift them all until the target is met
  /// again.
  std::vector<double> rebalanced() {
    const std::vector<double> base = variables_;
    double low = -1;
    double high = 1;
    while (high - low > 1e-9) {
      const double shift = 0.5 * (low + high);
      for (std::size_t i = 0; i < base.size(); ++i) variables_[i] = std::clamp(base[i] + shift, 0.0, 1.0);
      (massOf(variables_) > problem_.massFraction ? high : low) = shift;
    }
    return chain_.forward(variables_);
  }

  void finish(std::vector<double> density, OptimiseResult& result) {
    goal_.setTolerance(options_.finalTolerance);
    std::vector<double> gradient(density.size());
    result.compliance = goal_.evaluate(density, gradient);
    for (const SolveReport& report : goal_.reports()) result.caseCompliance.push_back(report.work);
    result.massFraction = mass_.value(density);
    result.displacements = goal_.displacements();
    result.density = std::move(density);
  }

  const LayoutProblem<D>& problem_;
  const OptimiseOptions& options_;
  ElasticModel<D> model_;
  WeightedCompliance<D> goal_;
  MassFraction mass_;
  std::shared_ptr<DensityFilter<D>> filter_;
  LayoutChain chain_;
  std::vector<double> variables_;
  std::size_t stage_ = 0;
  int inStage_ = 0;
};

}  // namespace

std::string describe(OptimiseStop stop) {
  switch (stop) {
    case OptimiseStop::settled:
      return "the layout changes no more";
    case OptimiseStop::iterationLimit:
      return "the iteration limit was reached";
    case OptimiseStop::cancelled:
      return "stopped on request";
  }
  return {};
}

template <int D>
OptimiseResult optimiseLayout(const LayoutProblem<D>& problem, const OptimiseOptions& options,
                              const IterationCallback& callback) {
  validate(problem);
  return Loop<D>(problem, options).run(callback);
}

template OptimiseResult optimiseLayout<2>(const LayoutProblem<2>&, const OptimiseOptions&,
                                          const IterationCallback&);
template OptimiseResult optimiseLayout<3>(const LayoutProblem<3>&, const OptimiseOptions&,
                                          const IterationCallback&);

}  // namespace barelattice
