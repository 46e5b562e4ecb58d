#include "barelattice/optimise/optimiser.hpp"

#include <fmt/format.h>

#include <cmath>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "barelattice/base/parallel.hpp"
#include "barelattice/base/root.hpp"
#include "barelattice/base/stopwatch.hpp"

namespace barelattice {
namespace {

/// How closely shifts meet the mass target: in the shift, and in the mass fraction.
constexpr double kMassWidth = 1e-12;
constexpr double kMassAccuracy = 1e-9;

/// The loosest energy error of a solve while designing.
constexpr double kLoosest = 1e-4;

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
        total_(std::accumulate(problem.fill.begin(), problem.fill.end(), 0.0)),
        keep_(std::make_shared<KeepSolid>(problem.keep)) {
    if (!problem.mirror.empty()) level_.append(std::make_shared<Mirror>(problem.mirror));
    level_.append(std::make_shared<DensityFilter<D>>(*problem.grid, problem.fill, problem.filterRadius,
                                                     problem.filterBoundary, problem.attached));
    if (resume) {
      state_ = *resume;
      compliances_.setDisplacements(std::move(state_.displacements));
      compliances_.setCycles(state_.cycles);
    }
    sharpen();
    if (!resume && problem.start.empty()) startUniform();
    if (!resume && !problem.start.empty()) startFrom(problem.start);
  }

  OptimiseResult run(const IterationCallback& callback) {
    const Stopwatch watch;
    const double before = state_.history.empty() ? 0 : state_.history.back().seconds;
    OptimiseStop stop = OptimiseStop::iterationLimit;
    std::vector<double> density = forward(state_.variables);
    if (ended(state_)) stop = OptimiseStop::settled;
    while (stop == OptimiseStop::iterationLimit &&
           state_.history.size() < static_cast<std::size_t>(options_.maxIterations)) {
      IterationRecord record;
      record.iteration = static_cast<int>(state_.history.size()) + 1;
      record.sharpness = sharpness();
      record.massFraction = mass_.value(density);
      compliances_.setTolerance(tolerance());
      const std::vector<double>& thin = eroded_.forward(level_.result());
      const Stopwatch solve;
      record.compliance = goal(compliances_.evaluate(thin));
      record.solveSeconds = solve.seconds();
      for (const SolveReport& report : compliances_.reports()) {
        record.solverIterations += report.iterations;
        record.strengthened = record.strengthened || report.strengthenedAt > 0;
      }
      std::vector<double> next = update();
      record.change = moved(density, next) / (record.massFraction * total_);
      record.seconds = before + watch.seconds();
      density = std::move(next);
      state_.history.push_back(record);
      if (ended(state_))
        stop = OptimiseStop::settled;
      else if (advance(record.change))
        density = rebalance();
      if (callback && !callback({record, density, [this] { return snapshot(); }}) &&
          stop == OptimiseStop::iterationLimit)
        stop = OptimiseStop::cancelled;
    }
    return finish(std::move(density), stop);
  }

 private:
  /// From the level to the layout read at a threshold.
  LayoutChain reading(double threshold) const {
    LayoutChain chain;
    if (!options_.sharpness.empty()) chain.append(std::make_shared<Projection>(sharpness(), threshold));
    chain.append(keep_);
    return chain;
  }

  /// Takes over the sharpness of the stage. The chains are to go forward anew.
  void sharpen() {
    nominal_ = reading(0.5);
    eroded_ = reading(0.5 + options_.erosion);
  }

  /// The layout of given variables. Outside a search for a shift or a step, level_ and nominal_ hold what
  /// belongs to state_.variables.
  const std::vector<double>& forward(std::span<const double> variables) {
    return nominal_.forward(level_.forward(variables));
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

  /// What the next update needs of a solve. The sensitivities are as wrong as the displacements, by the root
  /// of the energy error; a tenth of what the last step moved is close enough.
  double tolerance() const {
    constexpr double kShare = 0.1;
    const double moved = state_.history.empty() ? 1 : state_.history.back().change;
    return std::max(options_.loopTolerance, std::min(kLoosest, kShare * kShare * moved * moved));
  }

  double sharpness() const { return options_.sharpness.empty() ? 0 : options_.sharpness[state_.stage]; }
  bool lastStage() const { return state_.stage + 1 >= options_.sharpness.size(); }
  double massOf(std::span<const double> variables) { return mass_.value(forward(variables)); }

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
    rebalance();
  }

  /// Near the threshold a density follows its variable with the sharpness as factor. Undamped, a step
  /// overshoots by that factor, and boundary cells flip between full and empty for ever.
  double damping() const {
    constexpr double kUndamped = 4;
    return std::min(1.0, kUndamped / std::max(sharpness(), 1.0));
  }

  /// Updates the variables from the compliances evaluated last and returns the new layout.
  std::vector<double> update() {
    if (problem_.goal == CaseGoal::worst)
      updateWorst();
    else
      updateSum();
    return nominal_.result();
  }

  void updateSum() {
    std::vector<double> goalGradient(state_.variables.size(), 0.0);
    std::vector<double> own(goalGradient.size());
    for (std::size_t k = 0; k < problem_.cases.size(); ++k) {
      compliances_.gradient(k, own);
      forEach(own.size(), [&](std::size_t i) { goalGradient[i] += problem_.cases[k].weight * own[i]; });
    }
    OptimalityOptions step = options_.update;
    step.damping *= damping();
    state_.variables = updateByOptimality(
        state_.variables, byVariables(eroded_, goalGradient), massByVariables(),
        [&](std::span<const double> x) { return massOf(x); }, problem_.massFraction, step);
  }

  /// Minimises the largest w_k C_k, in units of the largest one now, under the mass limit. The approximation
  /// of the mass is good to second order in the step; a shift of all variables makes up the rest.
  void updateWorst() {
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
      problem.limitGradients.push_back(byVariables(eroded_, own));
      problem.shares.push_back(1);
    }
    std::vector<double> byMass = massByVariables();
    for (double& value : byMass) value /= problem_.massFraction;
    problem.limits.push_back(mass_.value(nominal_.result()) / problem_.massFraction - 1);
    problem.limitGradients.push_back(std::move(byMass));
    problem.shares.push_back(0);
    state_.variables =
        updateByAsymptotes(state_.variables, problem, {options_.update.move * damping()}, state_.asymptotes);
    rebalance();
  }

  /// Derivative by the variables from that by the density one of the readings gave.
  std::vector<double> byVariables(const LayoutChain& reading, std::span<const double> gradient) const {
    return level_.backward(reading.backward(gradient));
  }

  std::vector<double> massByVariables() {
    std::vector<double> gradient(state_.variables.size());
    mass_.evaluate(nominal_.result(), gradient);
    return byVariables(nominal_, gradient);
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
    sharpen();
    return true;
  }

  /// A sharper projection changes the mass of the same variables: shift them all until the target is met
  /// again.
  const std::vector<double>& rebalance() {
    const std::vector<double> base = state_.variables;
    growingRoot(
        [&](double shift) {
          forEach(base.size(),
                  [&](std::size_t i) { state_.variables[i] = std::clamp(base[i] + shift, 0.0, 1.0); });
          return massOf(state_.variables) - problem_.massFraction;
        },
        {0, 0.01, -1, 1, kMassWidth}, kMassAccuracy);
    return nominal_.result();
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
    result.level.resize(density.size());
    keep_->forward(level_.result(), result.level);
    result.density = std::move(density);
    return result;
  }

  const LayoutProblem<D>& problem_;
  const OptimiseOptions& options_;
  CaseCompliances<D> compliances_;
  MassFraction mass_;
  double total_;  // of the fill
  std::shared_ptr<KeepSolid> keep_;
  LayoutChain level_;    // from the variables to the level the layouts are read from
  LayoutChain nominal_;  // from there to the layout that is the result
  LayoutChain eroded_;   // and to the thinner one that is analysed
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
