#include "barelattice/optimise/optimiser.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "barelattice/base/parallel.hpp"
#include "barelattice/base/root.hpp"

namespace barelattice {
namespace {

/// How closely shifts meet the mass target: in the shift, and in the mass fraction.
constexpr double kMassWidth = 1e-12;
constexpr double kMassAccuracy = 1e-9;

/// Entry by entry; an empty factor counts as ones.
std::vector<double> product(std::vector<double> values, const std::vector<double>& factor) {
  for (std::size_t i = 0; i < factor.size(); ++i) values[i] *= factor[i];
  return values;
}

template <int D>
void validate(const LayoutProblem<D>& problem) {
  const MassFraction mass(product(problem.fill, problem.mass));
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
  Loop(const LayoutProblem<D>& problem, const OptimiseOptions& options, const OptimiseState* resume)
      : problem_(problem),
        options_(options),
        compliances_(*problem.grid, problem.material, problem.cases, product(problem.fill, problem.modulus),
                     options.law),
        mass_(product(problem.fill, problem.mass)),
        filter_(std::make_shared<DensityFilter<D>>(*problem.grid, problem.fill, problem.filterRadius,
                                                   problem.filterBoundary, problem.attached)) {
    compliances_.setTolerance(options.loopTolerance);
    if (resume) {
      state_ = *resume;
      compliances_.setDisplacements(std::move(state_.displacements));
      compliances_.setCycles(state_.cycles);
    }
    buildChain();
    if (!resume && problem.start.empty()) startUniform();
    if (!resume && !problem.start.empty()) startFrom(problem.start);
  }

  OptimiseResult run(const IterationCallback& callback) {
    const auto start = std::chrono::steady_clock::now();
    const double before = state_.history.empty() ? 0 : state_.history.back().seconds;
    OptimiseStop stop = OptimiseStop::iterationLimit;
    std::vector<double> density = chain_.forward(state_.variables);
    if (ended(state_)) stop = OptimiseStop::settled;
    while (stop == OptimiseStop::iterationLimit &&
           state_.history.size() < static_cast<std::size_t>(options_.maxIterations)) {
      IterationRecord record;
      record.iteration = static_cast<int>(state_.history.size()) + 1;
      record.sharpness = sharpness();
      record.massFraction = mass_.value(density);
      record.compliance = goal(compliances_.evaluate(eroded_.forward(state_.variables)));
      for (const SolveReport& report : compliances_.reports()) {
        record.solverIterations += report.iterations;
        record.strengthened = record.strengthened || report.strengthenedAt > 0;
      }
      std::vector<double> next = update();
      record.change = moved(density, next) / (record.massFraction * total());
      record.seconds =
          before + std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
      density = std::move(next);
      state_.history.push_back(record);
      if (ended(state_))
        stop = OptimiseStop::settled;
      else if (advance(record.change))
        density = rebalanced();
      if (callback && !callback({record, density, [this] { return snapshot(); }}) &&
          stop == OptimiseStop::iterationLimit)
        stop = OptimiseStop::cancelled;
    }
    return finish(std::move(density), stop);
  }

 private:
  /// From variables to the layout read at a threshold; without one, to the level it is read from.
  LayoutChain chainAt(std::optional<double> threshold) const {
    LayoutChain chain;
    if (!problem_.mirror.empty()) chain.append(std::make_shared<Mirror>(problem_.mirror));
    chain.append(filter_);
    if (threshold && !options_.sharpness.empty())
      chain.append(std::make_shared<Projection>(sharpness(), *threshold));
    chain.append(std::make_shared<KeepSolid>(problem_.keep));
    return chain;
  }

  void buildChain() {
    chain_ = chainAt(0.5);
    eroded_ = chainAt(0.5 + options_.erosion);
  }

  OptimiseState snapshot() const {
    OptimiseState copy = state_;
    copy.displacements = compliances_.displacements();
    copy.cycles = compliances_.cycles();
    return copy;
  }

  /// True when the last stage has settled.
  bool ended(const OptimiseState& state) const {
    return !state.history.empty() && lastStage() && state.inStage > 0 &&
           state.history.back().change < options_.finalChange;
  }

  double goal(const std::vector<double>& compliances) const {
    double sum = 0;
    double worst = 0;
    for (std::size_t k = 0; k < compliances.size(); ++k) {
      sum += problem_.cases[k].weight * compliances[k];
      worst = std::max(worst, problem_.cases[k].weight * compliances[k]);
    }
    return problem_.goal == CaseGoal::worst ? worst : sum;
  }

  double sharpness() const { return options_.sharpness.empty() ? 0 : options_.sharpness[state_.stage]; }
  bool lastStage() const { return state_.stage + 1 >= options_.sharpness.size(); }
  double total() const { return std::accumulate(problem_.fill.begin(), problem_.fill.end(), 0.0); }
  double massOf(std::span<const double> variables) { return mass_.value(chain_.forward(variables)); }

  /// The uniform start that meets the mass target.
  void startUniform() {
    growingRoot(
        [&](double all) {
          state_.variables.assign(problem_.fill.size(), all);
          return massOf(state_.variables) - problem_.massFraction;
        },
        {problem_.massFraction, 0.05, 0, 1, kMassWidth}, kMassAccuracy);
  }

  /// The given start, shifted to meet the mass target. Neither quite empty nor quite full: an empty cell has
  /// no stiffness whose growth the update could see, and could not come back.
  void startFrom(const std::vector<double>& density) {
    constexpr double kEmpty = 0.1;
    constexpr double kFull = 0.9;
    state_.variables.resize(density.size());
    for (std::size_t i = 0; i < density.size(); ++i)
      state_.variables[i] = kEmpty + (kFull - kEmpty) * density[i];
    rebalanced();
  }

  /// Near the threshold a density follows its variable with the sharpness as factor. Undamped, a step
  /// overshoots by that factor, and boundary cells flip between full and empty for ever.
  double damping() const {
    constexpr double kUndamped = 4;
    return std::min(1.0, kUndamped / std::max(sharpness(), 1.0));
  }

  /// Updates the variables from the compliances evaluated last and returns the new layout.
  std::vector<double> update() { return problem_.goal == CaseGoal::worst ? updateWorst() : updateSum(); }

  std::vector<double> updateSum() {
    std::vector<double> goalGradient(state_.variables.size(), 0.0);
    std::vector<double> own(goalGradient.size());
    for (std::size_t k = 0; k < problem_.cases.size(); ++k) {
      compliances_.gradient(k, own);
      forEach(own.size(), [&](std::size_t i) { goalGradient[i] += problem_.cases[k].weight * own[i]; });
    }
    OptimalityOptions step = options_.update;
    step.damping *= damping();
    state_.variables = updateByOptimality(
        state_.variables, eroded_.backward(goalGradient), chain_.backward(massGradient()),
        [&](std::span<const double> x) { return massOf(x); }, problem_.massFraction, step);
    return chain_.forward(state_.variables);
  }

  /// Minimises the largest w_k C_k, in units of the largest one now, under the mass limit. The approximation
  /// of the mass is good to second order in the step; a shift of all variables makes up the rest.
  std::vector<double> updateWorst() {
    AsymptotesProblem problem;
    std::vector<double> compliances;
    for (const SolveReport& report : compliances_.reports()) compliances.push_back(report.work);
    const double scale = 1 / goal(compliances);
    std::vector<double> own(state_.variables.size());
    for (std::size_t k = 0; k < problem_.cases.size(); ++k) {
      const double factor = scale * problem_.cases[k].weight;
      compliances_.gradient(k, own);
      for (double& value : own) value *= factor;
      problem.limits.push_back(factor * compliances[k]);
      problem.limitGradients.push_back(eroded_.backward(own));
      problem.shares.push_back(1);
    }
    std::vector<double> byMass = chain_.backward(massGradient());
    for (double& value : byMass) value /= problem_.massFraction;
    problem.limits.push_back(massOf(state_.variables) / problem_.massFraction - 1);
    problem.limitGradients.push_back(std::move(byMass));
    problem.shares.push_back(0);
    state_.variables =
        updateByAsymptotes(state_.variables, problem, {options_.update.move * damping()}, state_.asymptotes);
    return rebalanced();
  }

  std::vector<double> massGradient() {
    std::vector<double> gradient(state_.variables.size());
    mass_.evaluate(chain_.forward(state_.variables), gradient);
    return gradient;
  }

  double moved(const std::vector<double>& from, const std::vector<double>& to) const {
    return sumBlocks(from.size(), [&](std::size_t begin, std::size_t end) {
      double sum = 0;
      for (std::size_t i = begin; i < end; ++i) sum += problem_.fill[i] * std::abs(to[i] - from[i]);
      return sum;
    });
  }

  /// Moves on to the next sharpness when the stage has done its work.
  bool advance(double change) {
    ++state_.inStage;
    if (lastStage() || (state_.inStage < options_.stageIterations && change > options_.stageChange))
      return false;
    ++state_.stage;
    state_.inStage = 0;
    buildChain();
    return true;
  }

  /// A sharper projection changes the mass of the same variables: shift them all until the target is met
  /// again.
  std::vector<double> rebalanced() {
    const std::vector<double> base = state_.variables;
    growingRoot(
        [&](double shift) {
          forEach(base.size(),
                  [&](std::size_t i) { state_.variables[i] = std::clamp(base[i] + shift, 0.0, 1.0); });
          return massOf(state_.variables) - problem_.massFraction;
        },
        {0, 0.01, -1, 1, kMassWidth}, kMassAccuracy);
    return chain_.forward(state_.variables);
  }

  OptimiseResult finish(std::vector<double> density, OptimiseStop stop) {
    OptimiseResult result;
    result.stop = stop;
    result.history = state_.history;
    compliances_.setTolerance(options_.finalTolerance);
    result.caseCompliance = compliances_.evaluate(density);
    result.compliance = goal(result.caseCompliance);
    result.massFraction = mass_.value(density);
    result.displacements = compliances_.displacements();
    result.level = chainAt(std::nullopt).forward(state_.variables);
    result.density = std::move(density);
    return result;
  }

  const LayoutProblem<D>& problem_;
  const OptimiseOptions& options_;
  CaseCompliances<D> compliances_;
  MassFraction mass_;
  std::shared_ptr<DensityFilter<D>> filter_;
  LayoutChain chain_;    // to the layout that is the result
  LayoutChain eroded_;   // to the thinner one that is analysed
  OptimiseState state_;  // without its displacements, which live in compliances_
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
                              const IterationCallback& callback, const OptimiseState* resume) {
  validate(problem);
  return Loop<D>(problem, options, resume).run(callback);
}

template OptimiseResult optimiseLayout<2>(const LayoutProblem<2>&, const OptimiseOptions&,
                                          const IterationCallback&, const OptimiseState*);
template OptimiseResult optimiseLayout<3>(const LayoutProblem<3>&, const OptimiseOptions&,
                                          const IterationCallback&, const OptimiseState*);

}  // namespace barelattice
