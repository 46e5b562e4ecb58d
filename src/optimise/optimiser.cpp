#include "barelattice/optimise/optimiser.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <optional>
#include <utility>

#include "attempts.hpp"
#include "barelattice/base/error.hpp"
#include "barelattice/base/parallel.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "base/root.hpp"

namespace barelattice {
namespace {

/// How closely shifts meet the mass target: in the shift, and in the mass fraction.
constexpr double kMassWidth = 1e-12;
constexpr double kMassAccuracy = 1e-9;

/// The loosest energy error of a solve while designing, and its most iterations: a layout that takes more is
/// about to fall apart, and is taken back.
constexpr double kLoosest = 1e-4;
constexpr int kMostIterations = 200;
constexpr int kMostFinalIterations = 600;

/// The goal of the thinner layout over that of the layout, from which on it does not hold; up to 25 in
/// layouts that have settled. Where there is a wider filter left to begin with, designs that come to 20
/// before they are sharp are given up: most would break later.
constexpr double kBroken = 50;
constexpr double kBreaking = 20;

/// Entry by entry; an empty factor counts as ones.
std::vector<double> product(std::vector<double> values, const std::vector<double>& factor) {
  for (std::size_t i = 0; i < factor.size(); ++i) values[i] *= factor[i];
  return values;
}

double interpolated(double from, double to, double share) {
  return from + share * (to - from);
}

template <int D>
double goalOf(CaseGoal goal, const std::vector<GridCase<D>>& cases, const std::vector<double>& compliances) {
  double sum = 0;
  double worst = 0;
  for (std::size_t k = 0; k < compliances.size(); ++k) {
    sum += cases[k].weight * compliances[k];
    worst = std::max(worst, cases[k].weight * compliances[k]);
  }
  return goal == CaseGoal::worst ? worst : sum;
}

/// Cells thick enough to be solid at the threshold 0.5 + erosion, and keeps.
template <int D>
std::vector<std::uint8_t> thickEnough(const LayoutProblem<D>& problem, const std::vector<double>& level,
                                      double erosion) {
  std::vector<std::uint8_t> chosen(level.size());
  for (std::size_t c = 0; c < chosen.size(); ++c) chosen[c] = problem.keep[c] || level[c] >= 0.5 + erosion;
  return chosen;
}

template <int D>
std::string placeText(const Point<D>& at) {
  std::string text;
  for (int i = 0; i < D; ++i) text += fmt::format("{}{:.4g}", i ? ", " : "", 1000 * at[i]);
  return "(" + text + ") mm";
}

template <int D>
class Loop {
 public:
  Loop(const LayoutProblem<D>& problem, const OptimiseOptions& options, const OptimiseState* resume)
      : problem_(problem),
        options_(options),
        attempts_(attemptsFor(problem, options)),
        compliances_(*problem.grid, problem.material, problem.cases, product(problem.fill, problem.modulus),
                     options.law, problem.cellMass),
        mass_(product(problem.fill, problem.mass)),
        total_(std::accumulate(problem.fill.begin(), problem.fill.end(), 0.0)),
        keep_(std::make_shared<KeepSolid>(problem.keep)) {
    compliances_.setMostIterations(kMostIterations);
    if (resume) {
      state_ = *resume;
      for (int k = 0; k < state_.sharpenings; ++k) sharpenPath();
    } else {
      state_.nominal = state_.eroded = compliances_.rest();
    }
    validate();
    readAt(state_.at.ahead);
    if (!resume && problem.start.empty()) startUniform();
    if (!resume && !problem.start.empty()) startFrom(problem.start);
  }

  OptimiseResult run(const IterationCallback& callback) {
    const Stopwatch watch;
    const double before = state_.history.empty() ? 0 : state_.history.back().seconds;
    if (!state_.accepted.empty()) {
      readAt(state_.at.place);
      layout_ = forward(state_.accepted);
    }
    std::optional<OptimiseStop> stop = ended();
    if (!stop && std::exchange(state_.ended, false)) propose();  // more iterations are wished for
    while (!stop) {
      IterationRecord record = analyse();
      record.takenBack = !accepts(record);
      record.seconds = before + watch.seconds();
      state_.history.push_back(record);
      stop = ended();
      state_.ended = stop.has_value();
      if (!stop) propose();
      if (callback && !callback({record, layout_, stop.has_value(), [this] { return state_; }}) && !stop)
        stop = OptimiseStop::cancelled;
    }
    return finish(*stop);
  }

 private:
  const Path& path() const { return attempts_[state_.attempt].path; }
  Continuation continuation() const {
    return {options_.continuation, static_cast<double>(path().size() - 1)};
  }

  /// The readings, and the mass and the space, must allow a layout at all.
  void validate() {
    const std::vector<double> keep(problem_.keep.begin(), problem_.keep.end());
    if (!(problem_.massFraction > mass_.value(keep) && problem_.massFraction < 1))
      throw InputError(fmt::format(
          "the mass target is {:.3g} of the full design space; it must lie between {:.3g} (the keeps) and 1",
          problem_.massFraction, mass_.value(keep)));
    if (problem_.cases.empty()) throw InputError("there is no load case");
    const auto narrow = path().back().erosion > 0 ? loadsInNarrows(problem_, path().back().erosion)
                                                  : std::vector<LooseLoad<D>>{};
    if (!narrow.empty()) throw InputError(narrowText(problem_, narrow.front()), kNarrowCure);
  }

  /// Sets up the maps for a place of the path. The chains are to go forward anew.
  void readAt(double place) {
    reading_ = readingAt(path(), place);
    if (reading_.widening != widening_) {
      widening_ = reading_.widening;
      level_ = {};
      if (!problem_.mirror.empty()) level_.append(std::make_shared<Mirror>(problem_.mirror));
      level_.append(std::make_shared<DensityFilter<D>>(*problem_.grid, problem_.fill,
                                                       widening_ * problem_.filterRadius,
                                                       problem_.filterBoundary, problem_.attached));
    }
    nominal_ = chain(0.5);
    eroded_ = chain(0.5 + reading_.erosion);
  }

  /// From the level to the layout read at a threshold.
  LayoutChain chain(double threshold) const {
    LayoutChain maps;
    if (reading_.sharpness > 0) maps.append(std::make_shared<Projection>(reading_.sharpness, threshold));
    maps.append(keep_);
    return maps;
  }

  const std::vector<double>& forward(std::span<const double> variables) {
    return nominal_.forward(level_.forward(variables));
  }
  double massOf(std::span<const double> variables) { return mass_.value(forward(variables)); }
  double goal(const std::vector<double>& compliances) const {
    return goalOf(problem_.goal, problem_.cases, compliances);
  }
  double erodedShare() const { return reading_.erosion > 0 ? options_.erodedShare : 0; }

  /// Why the loop ends here; nothing if it does not.
  std::optional<OptimiseStop> ended() {
    if (state_.history.empty()) return std::nullopt;
    const Continuation judge = continuation();
    const auto done = static_cast<int>(state_.history.size());
    const bool limit = options_.maxIterations > 0 && done >= options_.maxIterations;
    const bool another = state_.attempt + 1 < attempts_.size();
    if (judge.stuck(state_.at) && !(limit && another) && !tryAgain()) return OptimiseStop::tooLittleMass;
    if (judge.settled(state_.at) && thinHolds() && !sharpened()) return OptimiseStop::settled;
    if (limit) return OptimiseStop::iterationLimit;
    if (options_.maxIterations == 0 && done >= options_.guard)
      return thinHolds() ? OptimiseStop::restless : OptimiseStop::tooLittleMass;
    return std::nullopt;
  }

  /// The thinner of the layouts accepted last holds too: its members are thick enough.
  bool thinHolds() const { return lastAccepted().eroded <= kBroken * lastAccepted().compliance; }

  /// Gives up a design that leaves a reading with members about to break, if there is another way.
  bool breaks() {
    const bool leaves = state_.at.ahead > state_.at.place && erodedShare() > 0;
    return leaves && lastAccepted().eroded > kBreaking * lastAccepted().compliance && tryAgain();
  }

  /// Adds a sharper reading to the usual path where black and white still differ from the layout.
  bool sharpened() {
    constexpr int kMost = 2;
    constexpr double kShare = 0.8;  // of what is allowed
    if (!options_.path.empty() || options_.erosion == 0 || state_.sharpenings == kMost) return false;
    readAt(state_.at.place);
    forward(state_.accepted);
    CaseStates states = state_.nominal;
    compliances_.setTolerance(kLoosest);
    compliances_.attempt(readBlackAndWhite(keptLevel(), mass_, problem_.massFraction).density, states);
    const double apart = std::abs(goal(states.compliances) / lastAccepted().compliance - 1);
    if (!std::isfinite(apart) || apart < kShare * options_.agreement) return false;
    ++state_.sharpenings;
    sharpenPath();
    return true;
  }

  const IterationRecord& lastAccepted() const {
    return *std::find_if(state_.history.rbegin(), state_.history.rend(),
                         [](const IterationRecord& record) { return !record.takenBack; });
  }

  /// The level, keeps at one.
  std::vector<double> keptLevel() const {
    std::vector<double> level(level_.result().size());
    keep_->forward(level_.result(), level);
    return level;
  }

  /// Solves the readings of the variables.
  IterationRecord analyse() {
    IterationRecord record;
    record.iteration = static_cast<int>(state_.history.size()) + 1;
    readAt(state_.at.ahead);
    const std::vector<double>& layout = forward(state_.variables);
    record.sharpness = reading_.sharpness;
    record.erosion = reading_.erosion;
    record.massFraction = mass_.value(layout);
    record.grey = greyness(layout, problem_.fill).overMass;
    record.change = state_.accepted.empty() ? 1 : moved(layout_, layout) / (record.massFraction * total_);
    compliances_.setTolerance(tolerance(record.change));
    const Stopwatch solve;
    solveReading(layout, state_.nominal, record);
    record.compliance = record.eroded = goal(state_.nominal.compliances);
    if (erodedShare() > 0) {
      record.eroded = std::numeric_limits<double>::infinity();
      if (std::isfinite(record.compliance)) {
        solveReading(eroded_.forward(level_.result()), state_.eroded, record);
        record.eroded = goal(state_.eroded.compliances);
      }
    }
    record.goal = goal(blended());
    record.solveSeconds = solve.seconds();
    return record;
  }

  void solveReading(const std::vector<double>& density, CaseStates& states, IterationRecord& record) {
    compliances_.attempt(density, states);
    for (const SolveReport& report : states.reports) {
      record.solverIterations += report.iterations;
      record.strengthened = record.strengthened || report.strengthenedAt > 0;
    }
  }

  /// Compliances by case as the goal sees them.
  std::vector<double> blended() const {
    std::vector<double> each = state_.nominal.compliances;
    if (erodedShare() > 0)
      for (std::size_t k = 0; k < each.size(); ++k)
        each[k] = interpolated(each[k], state_.eroded.compliances[k], erodedShare());
    return each;
  }

  /// Judges what was analysed, and takes it over with its derivatives, or goes back.
  bool accepts(const IterationRecord& record) {
    if (state_.accepted.empty()) compliances_.requireSuccess(state_.nominal);
    if (!continuation().judge(state_.at, record.goal, record.compliance, record.change)) return false;
    state_.accepted = state_.variables;
    state_.compliances = blended();
    layout_ = nominal_.result();
    differentiate();
    return true;
  }

  /// What the next update needs of a solve. The sensitivities are as wrong as the displacements, by the root
  /// of the energy error; a tenth of what the last step moved is close enough.
  double tolerance(double moved) const {
    constexpr double kShare = 0.1;
    return std::max(options_.loopTolerance, std::min(kLoosest, kShare * kShare * moved * moved));
  }

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

  /// Begins anew with another filter, where there is one.
  bool begin(std::size_t attempt) {
    if (attempt >= attempts_.size()) return false;
    state_.attempt = attempt;
    state_.at = {};
    state_.accepted.clear();
    state_.asymptotes = {};
    state_.nominal = state_.eroded = compliances_.rest();
    again_ = true;
    return true;
  }
  bool tryAgain() { return begin(state_.attempt + 1); }

  /// Derivatives of what was analysed last, by the variables.
  void differentiate() {
    const std::size_t n = state_.variables.size();
    const bool each = problem_.goal == CaseGoal::worst;
    state_.gradients.assign(each ? problem_.cases.size() : 1, {});
    std::vector<double> byDensity(n);
    const auto add = [&](const LayoutChain& reading, const CaseStates& states, double share) {
      if (share == 0) return;
      std::vector<double> own(n);
      for (std::size_t k = 0; k < problem_.cases.size(); ++k) {
        if (each || k == 0) std::fill(byDensity.begin(), byDensity.end(), 0.0);
        compliances_.gradient(states, k, own);
        const double factor = share * problem_.cases[k].weight;
        forEach(n, [&](std::size_t i) { byDensity[i] += factor * own[i]; });
        if (!each && k + 1 < problem_.cases.size()) continue;
        const std::vector<double> byVariable = byVariables(reading, byDensity);
        std::vector<double>& sum = state_.gradients[each ? k : 0];
        if (sum.empty())
          sum = byVariable;
        else
          forEach(n, [&](std::size_t i) { sum[i] += byVariable[i]; });
      }
    };
    add(nominal_, state_.nominal, 1 - erodedShare());
    add(eroded_, state_.eroded, erodedShare());
    mass_.evaluate(nominal_.result(), byDensity);
    state_.massGradient = byVariables(nominal_, byDensity);
  }

  /// Near the threshold a density follows its variable with the sharpness as factor. Undamped, a step
  /// overshoots by that factor, and boundary cells flip between full and empty for ever.
  double damping() const {
    constexpr double kUndamped = 4;
    return std::min(1.0, kUndamped / std::max(reading_.sharpness, 1.0));
  }

  /// The variables to be judged next, from the layout accepted last, and where they are read.
  void propose() {
    if (again_) {
      again_ = false;
      readAt(0);
      startUniform();
      return;
    }
    const Continuation judge = continuation();
    judge.goOn(state_.at);
    if (beginsWider() || breaks()) return propose();
    readAt(state_.at.place);
    forward(state_.accepted);
    if (problem_.goal == CaseGoal::worst)
      updateWorst();
    else
      updateSum();
    if (state_.at.ahead == state_.at.place) return;
    readAt(state_.at.ahead);
    rebalance();
  }

  /// At the end of the first reading: begins anew with the filter that suits the mass, if it is a wider one.
  bool beginsWider() {
    const bool first = state_.attempt == 0 && state_.at.place == 0 && state_.at.ahead > 0;
    if (!first || !std::isfinite(attempts_.front().mostRatio)) return false;
    readAt(state_.at.place);
    level_.forward(state_.accepted);
    CaseStates thin = state_.nominal;
    compliances_.setTolerance(1e-3);
    compliances_.attempt(chain(0.5 + options_.erosion).forward(level_.result()), thin);
    const double ratio = goal(thin.compliances) / state_.at.goal;
    const auto suits = [&](const Attempt& attempt) { return ratio <= attempt.mostRatio; };
    const auto found = std::find_if(attempts_.begin(), attempts_.end() - 1, suits);
    const auto wanted = static_cast<std::size_t>(found - attempts_.begin());
    return wanted > 0 && begin(wanted);
  }

  void updateSum() {
    OptimalityOptions step = options_.update;
    step.damping *= damping() * state_.at.pace;
    step.move *= std::min(1.0, 2 * state_.at.pace);
    state_.variables = updateByOptimality(
        state_.accepted, state_.gradients.front(), state_.massGradient,
        [&](std::span<const double> x) { return massOf(x); }, problem_.massFraction, step);
  }

  /// Minimises the largest w_k C_k, in units of the largest one now, under the mass limit. The approximation
  /// of the mass is good to second order in the step; a shift of all variables makes up the rest.
  void updateWorst() {
    AsymptotesProblem problem;
    const double scale = 1 / state_.at.goal;
    for (std::size_t k = 0; k < problem_.cases.size(); ++k) {
      problem.limitGradients.push_back(state_.gradients[k]);
      for (double& value : problem.limitGradients.back()) value *= scale;
      problem.limits.push_back(scale * problem_.cases[k].weight * state_.compliances[k]);
      problem.shares.push_back(1);
    }
    std::vector<double> byMass = state_.massGradient;
    for (double& value : byMass) value /= problem_.massFraction;
    problem.limits.push_back(mass_.value(nominal_.result()) / problem_.massFraction - 1);
    problem.limitGradients.push_back(std::move(byMass));
    problem.shares.push_back(0);
    state_.variables = updateByAsymptotes(
        state_.accepted, problem, {options_.update.move * damping() * state_.at.pace}, state_.asymptotes);
    rebalance();
  }

  /// Derivative by the variables from that by the density one of the readings gave.
  std::vector<double> byVariables(const LayoutChain& reading, std::span<const double> gradient) const {
    return level_.backward(reading.backward(gradient));
  }

  double moved(const std::vector<double>& from, const std::vector<double>& to) const {
    return sumBlocks(from.size(), [&](std::size_t begin, std::size_t end) {
      double sum = 0;
      for (std::size_t i = begin; i < end; ++i) sum += problem_.fill[i] * std::abs(to[i] - from[i]);
      return sum;
    });
  }

  /// Another reading changes the mass of the same variables: shift them all until the target is met again.
  void rebalance() {
    const std::vector<double> base = state_.variables;
    growingRoot(
        [&](double shift) {
          forEach(base.size(),
                  [&](std::size_t i) { state_.variables[i] = std::clamp(base[i] + shift, 0.0, 1.0); });
          return massOf(state_.variables) - problem_.massFraction;
        },
        {0, 0.01, -1, 1, kMassWidth}, kMassAccuracy);
  }

  void sharpenPath() {
    Path& path = attempts_[state_.attempt].path;
    path.push_back(path.back());
    path.back().sharpness *= 2;
  }

  /// The mass at which the layout found would hold with members thick enough: with all variables raised until
  /// what is left of it at the eroded threshold joins every load to a support. 0 where that cannot be had.
  double neededMass() {
    const double erosion = path().back().erosion;
    const auto at = [&](double shift) {
      std::vector<double> x = state_.accepted;
      for (double& v : x) v = std::clamp(v + shift, 0.0, 1.0);
      return level_.forward(x);
    };
    const auto holds = [&](double shift) {
      return looseLoads(*problem_.grid, thickEnough(problem_, at(shift), erosion), problem_.cases).empty();
    };
    constexpr double kFar =
        1.5;  // of the wanted mass: farther, what was found says nothing of what is needed
    if (erosion == 0 || !holds(1)) return 0;
    double low = 0;
    double high = 1;
    for (int round = 0; round < 20; ++round) {
      const double middle = 0.5 * (low + high);
      (holds(middle) ? high : low) = middle;
    }
    const std::vector<std::uint8_t> thick = thickEnough(problem_, at(high), 0);
    const double needed = mass_.value(std::vector<double>(thick.begin(), thick.end()));
    return needed < kFar * problem_.massFraction ? needed : 0;
  }

  OptimiseResult finish(OptimiseStop stop) {
    OptimiseResult result;
    result.history = state_.history;
    readAt(state_.accepted.empty() ? state_.at.ahead : state_.at.place);
    result.density = forward(state_.accepted.empty() ? state_.variables : state_.accepted);
    result.level = keptLevel();
    result.massFraction = mass_.value(result.density);
    result.grey = greyness(result.density, problem_.fill);
    if (!state_.history.empty()) result.eroded = lastAccepted().eroded;

    compliances_.setMostIterations(kMostFinalIterations);
    compliances_.setTolerance(options_.finalTolerance);
    CaseStates states = state_.nominal;
    compliances_.attempt(result.density, states);
    result.caseCompliance = states.compliances;
    result.compliance = goal(states.compliances);
    result.displacements = states.displacements;

    const BlackAndWhite read = readBlackAndWhite(result.level, mass_, problem_.massFraction);
    result.threshold = read.threshold;
    const std::vector<std::uint8_t> solid(read.density.begin(), read.density.end());
    const auto loose = looseLoads(*problem_.grid, solid, problem_.cases);
    result.blackAndWhite = std::numeric_limits<double>::infinity();
    if (loose.empty()) {
      compliances_.attempt(read.density, states);
      result.caseBlackAndWhite = states.compliances;
      result.blackAndWhite = goal(states.compliances);
    } else {
      result.caseBlackAndWhite.assign(problem_.cases.size(), result.blackAndWhite);
      result.where = fmt::format("in case {} the load at {} hangs in the air when read black and white",
                                 problem_.cases[loose.front().load].name, placeText<D>(loose.front().at));
    }
    // Whatever the end, a layout that cannot be analysed is none.
    for (std::size_t k = 0; k < problem_.cases.size() && stop != OptimiseStop::cancelled; ++k)
      if (!std::isfinite(result.caseCompliance[k])) {
        stop = OptimiseStop::loose;
        if (result.where.empty())
          result.where =
              fmt::format("case {} cannot be analysed: a piece it loads is hardly joined to a support",
                          problem_.cases[k].name);
      }
    const double apart = std::abs(result.blackAndWhite / result.compliance - 1);
    if (stop == OptimiseStop::settled && path().back().erosion > 0 && !(apart < options_.agreement))
      stop = loose.empty() ? OptimiseStop::grey : OptimiseStop::loose;
    if (stop == OptimiseStop::tooLittleMass || stop == OptimiseStop::restless || stop == OptimiseStop::loose)
      result.neededMass = neededMass();
    result.stop = stop;
    return result;
  }

  const LayoutProblem<D>& problem_;
  const OptimiseOptions& options_;
  std::vector<Attempt> attempts_;
  CaseCompliances<D> compliances_;
  MassFraction mass_;
  double total_;  // of the fill
  std::shared_ptr<KeepSolid> keep_;
  Reading reading_;             // the maps are set up for it
  double widening_ = 0;         // of the filter in level_
  LayoutChain level_;           // from the variables to the level the layouts are read from
  LayoutChain nominal_;         // from there to the layout that is the result
  LayoutChain eroded_;          // and to the thinner one
  std::vector<double> layout_;  // accepted last
  bool again_ = false;          // the next variables are a start
  OptimiseState state_;
};

}  // namespace

std::string describe(OptimiseStop stop) {
  switch (stop) {
    case OptimiseStop::settled:
      return "settled";
    case OptimiseStop::iterationLimit:
      return "not settled: the wanted number of iterations was reached";
    case OptimiseStop::cancelled:
      return "not settled: stopped on request";
    case OptimiseStop::tooLittleMass:
      return "too little mass for members of the smallest size";
    case OptimiseStop::restless:
      return "not settled: the layout still changes";
    case OptimiseStop::grey:
      return "not settled: the layout is grey";
    case OptimiseStop::loose:
      return "not settled: a load hangs in the air";
  }
  return {};
}

template <int D>
std::vector<LooseLoad<D>> loadsInNarrows(const LayoutProblem<D>& problem, double erosion) {
  const DensityFilter<D> filter(*problem.grid, problem.fill, problem.filterRadius, problem.filterBoundary,
                                problem.attached);
  std::vector<double> level(problem.fill.size());
  filter.forward(std::vector<double>(level.size(), 1.0), level);  // nothing can be thicker
  return looseLoads(*problem.grid, thickEnough(problem, level, erosion), problem.cases);
}

template <int D>
std::string narrowText(const LayoutProblem<D>& problem, const LooseLoad<D>& load) {
  return fmt::format(
      "case {}: on every way from the load at {} to a support the design space is too narrow for a "
      "member of the smallest size",
      problem.cases[load.load].name, placeText<D>(load.at));
}

template <int D>
OptimiseResult optimiseLayout(const LayoutProblem<D>& problem, const OptimiseOptions& options,
                              const IterationCallback& callback, const OptimiseState* resume) {
  return Loop<D>(problem, options, resume).run(callback);
}

template std::vector<LooseLoad<2>> loadsInNarrows(const LayoutProblem<2>&, double);
template std::vector<LooseLoad<3>> loadsInNarrows(const LayoutProblem<3>&, double);
template std::string narrowText(const LayoutProblem<2>&, const LooseLoad<2>&);
template std::string narrowText(const LayoutProblem<3>&, const LooseLoad<3>&);
template OptimiseResult optimiseLayout<2>(const LayoutProblem<2>&, const OptimiseOptions&,
                                          const IterationCallback&, const OptimiseState*);
template OptimiseResult optimiseLayout<3>(const LayoutProblem<3>&, const OptimiseOptions&,
                                          const IterationCallback&, const OptimiseState*);

}  // namespace barelattice
