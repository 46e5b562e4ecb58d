#include "barelattice/optimise/optimiser.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <optional>
#include <utility>

#include "assessment.hpp"
#include "attempts.hpp"
#include "barelattice/base/error.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/root.hpp"
#include "checks.hpp"
#include "finish.hpp"
#include "lost_members.hpp"
#include "places.hpp"
#include "updater.hpp"

namespace barelattice {
namespace {

/// How closely shifts meet the mass target: in the shift, and in the mass fraction.
constexpr double kMassWidth = 1e-12;
constexpr double kMassAccuracy = 1e-9;

/// The loosest energy error of a solve while designing, and its most iterations: a layout that takes more is
/// about to fall apart, and is taken back.
constexpr double kLoosest = 1e-4;
constexpr int kMostIterations = 200;

/// The goal of the thinner layout over that of the layout, from which on it does not hold; up to 25 in
/// layouts that have settled. Where there is a wider filter left to begin with, designs that come to 20
/// before they are sharp are given up: most would break later.
constexpr double kBroken = 50;
constexpr double kBreaking = 20;

/// The lightest is sought by small changes of mass: by a power of the goal, and a share, at most.
constexpr double kMassPower = 0.35;
constexpr double kMostMassChange = 0.06;
constexpr double kMostFallWhileSoft = 0.15;
constexpr double kLighterStart = 0.85;   // mass of the second way over that of the first
constexpr double kDecides = 0.1;         // of a bound: what is closer decides on the mass
constexpr int kForMass = 60;             // iterations that finding it may take
constexpr double kUniformGoal = 2;       // a first layout has this: material in its place does better
constexpr double kSlower = 0.25;         // gains that make a design go on, of those where the mass is given
constexpr double kSoft = 8;              // sharpness from which members hardly move any more
constexpr double kFarther = 6;           // jumps from one reading to the next that are borne
constexpr double kOnTarget = 0.005;      // of the goal
constexpr double kFullest = 0.97;        // of the full domain
constexpr double kNearlyFullest = 0.94;  // where steps that lead nowhere may leave it
/// Terms of the goal under this share of the worst do not govern a step.
constexpr double kGoverns = 0.85;

template <int D>
const LayoutProblem<D>& checked(const LayoutProblem<D>& problem, const OptimiseOptions& options) {
  validate(options);
  validate(problem);
  return problem;
}

/// The last place of a path before erosion where members can still move.
double softPlace(const Path& path) {
  std::size_t place = path.size() - 1;
  while (place > 0 && (path[place].sharpness > kSoft || path[place].erosion > 0)) --place;
  return static_cast<double>(place);
}

template <int D>
class Loop {
 public:
  Loop(const LayoutProblem<D>& problem, const OptimiseOptions& options, const OptimiseState* resume)
      : problem_(checked(problem, options)),
        options_(options),
        attempts_(attemptsFor(problem, options)),
        assessment_(problem, options.law, options.erodedShare),
        readings_(assessment_.readings()),
        scheme_(schemeFor(assessment_.formulation(), assessment_.analysis())),
        columns_(assessment_.formulation().columns(assessment_.analysis())),
        total_(std::accumulate(problem.fill.begin(), problem.fill.end(), 0.0)) {
    assessment_.analysis().setMostIterations(kMostIterations);
    if (options.progress) assessment_.analysis().setProgress(options.progress);
    if (resume) {
      validate(*resume, problem, attempts_.size());
      state_ = *resume;
      for (int k = 0; k < state_.sharpenings; ++k) sharpenPath();
    } else {
      state_.problem = fingerprintOf(problem);
      state_.massFraction = problem.massFraction;
      state_.states.nominal = state_.states.eroded = assessment_.analysis().rest();
    }
    assessment_.boundMass(state_.massFraction);
    requireThatItCanBe();
    if (needsFull()) measureFull();
    readAt(state_.at.ahead);
    if (!resume && problem.lightest) guessMass();
    full_ = {};  // large jobs need the room
    if (!resume && problem.start.empty()) startUniform();
    if (!resume && !problem.start.empty()) startFrom(problem.start);
  }

  OptimiseResult run(const IterationCallback& callback) {
    const Stopwatch watch;
    const double before = state_.history.empty() ? 0 : state_.history.back().seconds;
    if (!state_.accepted.empty()) layout_ = readAccepted();
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
      const std::function<std::vector<double>()> itsLevel = [this] { return level(); };
      if (callback && !callback({record, columns_, layout_, stop.has_value(), state_, itsLevel, fullValues_}))
        throw Cancelled();
    }
    return finish(*stop);
  }

 private:
  /// Whether the variables to be judged next follow from those accepted last, are a start, or are there.
  enum class Again { no, uniform, asTheyAre };

  const Path& path() const { return attempts_[state_.attempt].path; }
  Continuation continuation() const {
    ContinuationOptions options = options_.continuation;
    // A mass that falls by as little with each step has still far to go.
    if (problem_.lightest && !massGiven()) {
      options.stageGain *= kSlower;
      options.finalGain *= 2 * kSlower;
    }
    if (assessment_.byHold())
      options.mostJump *= kFarther;  // stress jumps more than stiffness, and comes back
    return {options, static_cast<double>(path().size() - 1)};
  }

  /// Before erosion.
  bool soft() const {
    const Path& all = path();
    const auto firm = std::find_if(all.begin(), all.end(), [](const Reading& r) { return r.erosion > 0; });
    return state_.at.place < static_cast<double>(firm - all.begin()) - 1;
  }
  /// Of the lightest: as found by the way before this one, see attempts.cpp.
  bool massGiven() const { return attempts_.front().forMass && state_.attempt > 0 && soft(); }

  /// The readings, and the mass and the space, must allow a layout at all.
  void requireThatItCanBe() {
    const std::vector<double> keep(problem_.keep.begin(), problem_.keep.end());
    const double least = assessment_.mass().value(keep);
    if (!(state_.massFraction > least && state_.massFraction < 1))
      throw InputError(fmt::format(
          "the mass target is {:.3g} of the full design space; it must lie between {:.3g} (the keeps) and 1",
          state_.massFraction, least));
    const auto narrow = path().back().erosion > 0 ? loadsInNarrows(problem_, path().back().erosion)
                                                  : std::vector<LooseLoad<D>>{};
    if (!narrow.empty()) throw InputError(narrowText(problem_, narrow.front()), kNarrowCure);
  }

  /// Sets up the maps for a place of the path. The chains are to go forward anew.
  void readAt(double place) { readings_.set(readingAt(path(), place)); }
  /// The layout accepted last, or the first one.
  std::vector<double> readAccepted() {
    readAt(state_.accepted.empty() ? state_.at.ahead : state_.at.place);
    return readings_.forward(state_.accepted.empty() ? state_.variables : state_.accepted);
  }
  /// Of the layout that is shown. One whose design was given up has lost its variables: it is its own level.
  std::vector<double> level() {
    if (state_.accepted.empty() && !layout_.empty()) return layout_;
    readAccepted();
    return readings_.level();
  }
  bool thinned() const { return readings_.reading().erosion > 0 && options_.erodedShare > 0; }

  /// Why the loop ends here; nothing if it does not.
  std::optional<OptimiseStop> ended() {
    if (state_.history.empty()) return std::nullopt;
    const Continuation judge = continuation();
    const auto done = static_cast<int>(state_.history.size() - state_.begun);
    const bool limit = options_.maxIterations > 0 && done >= options_.maxIterations;
    const bool another = state_.attempt + 1 < attempts_.size();
    if (judge.stuck(state_.at) && !(limit && another) && !getsHeavier() && !tryAgain())
      return OptimiseStop::tooLittleMass;
    const int guard = options_.guard + (attempts_.front().forMass ? kForMass : 0);
    const bool restless = options_.maxIterations == 0 && done >= guard;
    if (judge.settled(state_.at) && thinHolds()) {
      const bool more = !limit && !restless;  // iterations are left for another way
      if (onTarget() && !sharpened(more)) return OptimiseStop::settled;
    }
    if (limit) return OptimiseStop::iterationLimit;
    if (restless) return thinHolds() ? OptimiseStop::restless : OptimiseStop::tooLittleMass;
    return std::nullopt;
  }

  /// The thinner of the layouts accepted last holds too: its members are thick enough.
  bool thinHolds() const { return lastAccepted().eroded <= kBroken * lastAccepted().nominal; }

  /// Gives up a design that leaves a reading with members about to break, if there is another way.
  bool breaks() {
    const double softer = thinned() ? lastAccepted().eroded / lastAccepted().nominal : 1;
    const bool leaves = state_.at.ahead > state_.at.place;
    return !problem_.lightest && leaves && softer > kBreaking && tryAgain();
  }

  /// Where black and white still differ from the layout: adds a sharper reading to the usual path. Where that
  /// does not help and a load hangs in the air, the lightest gets heavier.
  /// @param more iterations are left for members that are gone to be done without.
  bool sharpened(bool more) {
    constexpr int kMost = 2;
    constexpr double kShare = 0.8;  // of what is allowed
    const bool sharpest = state_.sharpenings == kMost;
    if (!options_.path.empty() || options_.erosion == 0 || (sharpest && !problem_.lightest)) return false;
    readAt(state_.at.place);
    std::vector<double> layout = readings_.forward(state_.accepted);
    CaseStates states = state_.states.nominal;
    assessment_.analysis().setTolerance(kLoosest);
    const double own =
        readings_.madeThinner() ? assessment_.holdOf(std::move(layout), states) : lastAccepted().nominal;
    const BlackAndWhite read =
        readBlackAndWhite(readings_.level(), assessment_.mass(), lastAccepted().massFraction);
    const double apart = std::abs(assessment_.holdOf(read.density, states) / own - 1);
    const std::vector<std::uint8_t> solid(read.density.begin(), read.density.end());
    const bool holds = looseLoads(problem_.grid, solid, problem_.cases).empty();
    if (more && holds && !(apart < kShare * options_.agreement) && dropsLost(read)) return true;
    if (sharpest || !std::isfinite(apart) || apart < kShare * options_.agreement) {
      return !holds && getsHeavier();
    }
    ++state_.sharpenings;
    sharpenPath();
    return true;
  }

  /// The lightest without members that are lost in black and white, which no sharper reading would bring
  /// back.
  bool dropsLost(const BlackAndWhite& read) {
    if (!problem_.lightest) return false;
    const std::vector<std::uint8_t> lost = lostMembers(problem_, layout_, read.density);
    if (lost.empty()) return false;
    state_.variables = state_.accepted;
    for (std::size_t c = 0; c < lost.size(); ++c)
      if (lost[c]) state_.variables[c] = 0;
    wantMass(assessment_.massOf(state_.variables));
    // From where members can still move.
    state_.at = {};
    state_.at.place = state_.at.ahead = softPlace(path());
    state_.accepted.clear();
    state_.asymptotes = {};
    again_ = Again::asTheyAre;
    return true;
  }

  const IterationRecord& lastAccepted() const {
    return *std::find_if(state_.history.rbegin(), state_.history.rend(),
                         [](const IterationRecord& record) { return !record.takenBack; });
  }

  /// Solves the readings of the variables.
  IterationRecord analyse() {
    IterationRecord record;
    record.iteration = static_cast<int>(state_.history.size()) + 1;
    readAt(state_.at.ahead);
    std::vector<double> layout = readings_.forward(state_.variables);
    record.sharpness = readings_.reading().sharpness;
    record.erosion = readings_.reading().erosion;
    record.massFraction = assessment_.mass().value(layout);
    record.grey = greyness(layout, problem_.fill).overMass;
    record.change = state_.accepted.empty() ? 1 : moved(layout_, layout) / (record.massFraction * total_);
    assessment_.analysis().setTolerance(tolerance(record.change));
    if (readings_.madeThinner()) nominal_ = layout;
    const Stopwatch solve;
    Assessed assessed = assessment_.assess(std::move(layout), state_.states);
    record.solveSeconds = solve.seconds();
    record.goal = assessed.merit;
    record.nominal = assessed.nominal;
    record.eroded = assessed.eroded;
    record.values = std::move(assessed.values);
    record.overBounds = assessment_.formulation().overBounds(record.values);
    record.solverIterations = assessed.solverIterations;
    record.strengthened = assessed.strengthened;
    appraisal_ = std::move(assessed.appraisal);
    return record;
  }

  /// Judges what was analysed, and takes it over with its derivatives, or goes back.
  bool accepts(const IterationRecord& record) {
    if (state_.accepted.empty()) assessment_.analysis().requireSuccess(state_.states.nominal);
    if (!continuation().judge(state_.at, record.goal, record.nominal, record.change)) return false;
    state_.accepted = state_.variables;
    state_.appraisal = appraisal_;
    layout_ = readings_.madeThinner() ? std::move(nominal_) : state_.states.nominal.density;
    report(options_.progress, "differentiating", 0);
    state_.gradients = assessment_.differentiate(state_.states, kGoverns);
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
          return assessment_.massOf(state_.variables) - state_.massFraction;
        },
        {state_.massFraction, 0.05, 0, 1, kMassWidth}, kMassAccuracy);
  }

  /// The goal of a layout alone, as solved when it was judged.
  double goalOf(const IterationRecord& record) const {
    const Formulation& formulation = assessment_.formulation();
    const auto terms = static_cast<std::ptrdiff_t>(formulation.goal().weights.size());
    return formulation.goalOf({record.values.begin(), record.values.begin() + terms});
  }

  double leastMass() const {
    constexpr double kAbove = 0.02;  // the keeps, of what is beside them
    const std::vector<double> keep(problem_.keep.begin(), problem_.keep.end());
    const double kept = assessment_.mass().value(keep);
    return std::max(kept + kAbove * (1 - kept), state_.leastMass);
  }
  void wantMass(double fraction) {
    state_.massFraction = std::min(std::max(fraction, leastMass()), kFullest);
    assessment_.boundMass(state_.massFraction);
  }

  /// Whether goal or limits are such that the full domain has something to say of them.
  bool needsFull() const {
    const std::vector<Limit>& limits = assessment_.formulation().limits();
    return assessment_.byHold() || assessment_.formulation().perFull() ||
           std::any_of(limits.begin(), limits.end(),
                       [](const Limit& limit) { return !limit.response->ofDensityAlone(); });
  }

  /// What weights and bounds may be relative to, and whether the full domain meets them, before the first
  /// step.
  /// @throws RunError if it does not, and less material cannot.
  void measureFull() {
    constexpr double kRough = 1e-4;
    assessment_.analysis().setTolerance(kRough);
    full_ = assessment_.analysis().rest();
    const Appraisal full = assessment_.measureFull(full_);
    fullValues_ = full.terms;
    fullValues_.insert(fullValues_.end(), full.limits.begin(), full.limits.end());
    const Formulation& formulation = assessment_.formulation();
    if (const auto worst = formulation.outOfReach(fullValues_, assessment_.analysis()))
      throw OutOfReach("a limit is out of reach: with all of the space full " +
                           formulation.boundText(*worst, fullValues_, columns_),
                       "allow more, enlarge the design space, or take another material", columns_,
                       fullValues_);
  }

  /// A mass to begin the search of the lightest with: of a uniform layout whose goal is about twice what it
  /// may be.
  void guessMass() {
    constexpr int kMostGuesses = 8;
    constexpr double kNear = 1.3;
    constexpr double kUniform = 1.0 / 3;  // stiffness of a uniform layout is the cube of its mass
    CaseStates states = std::move(full_);
    for (int guess = 0; guess < kMostGuesses; ++guess) {
      startUniform();
      assessment_.analyse(readings_.forward(state_.variables), states);
      assessment_.analysis().requireSuccess(states);
      const double goal = assessment_.goalAt(states) / kUniformGoal;
      if (goal < kNear && goal > 1 / kNear) break;
      wantMass(state_.massFraction * std::clamp(std::pow(goal, kUniform), 0.25, 4.0));
    }
    state_.states.nominal = std::move(states);
  }

  /// Where the lightest is sought: the mass the next layout is to have.
  void aim() {
    if (!problem_.lightest || massGiven()) return;
    const IterationRecord& last = lastAccepted();
    const double bearable = goalOf(last) < kNextToNothing ? kLeastThin : kThin;
    const double thin = thinned() ? last.eroded / last.nominal / bearable : 0;
    const double pace = std::min(1.0, state_.at.pace);
    const double fall = soft() ? kMostFallWhileSoft : kMostMassChange;
    // After a step that was taken back the layout is made better at its mass before it gets lighter.
    const double least = state_.at.blocked ? 1 : 1 / (1 + fall * pace);
    wantMass(last.massFraction * std::clamp(std::pow(std::max(goalOf(last), thin), kMassPower * pace), least,
                                            1 + kMostMassChange * pace));
  }

  /// Where the lightest is sought: the goal is one, or nothing lighter or heavier can be had.
  bool onTarget() const {
    if (!problem_.lightest) return true;
    const IterationRecord& last = lastAccepted();
    const double goal = goalOf(last);
    if (goal > 1 + kOnTarget) return last.massFraction > kNearlyFullest;
    if (state_.at.pace < options_.continuation.leastPace) return true;  // no step however short is any better
    const bool lightestThere = last.massFraction < (1 + kOnTarget) * leastMass();
    const bool thin = thinned() && last.eroded > (1 - kOnTarget) * kThin * last.nominal;
    return goal > 1 - kOnTarget || lightestThere || thin;
  }

  /// A sharper reading only makes it harder to hold a limit that is missed: it waits, for as long as a stage.
  bool missesMuch() const {
    constexpr double kMuch = 0.02;
    return goalOf(lastAccepted()) > 1 + kMuch && lastAccepted().massFraction < (1 - kOnTarget) * kFullest;
  }
  bool atLongLast() const {
    constexpr std::size_t kLong = 12;
    return state_.at.goals.size() > kLong || state_.at.blocked;
  }

  /// Where members are about to break: more mass from the next step on, and no less again.
  bool getsHeavier() {
    constexpr double kHeavier = 1.04;
    constexpr double kStride = 0.25;
    const double heavier = problem_.lightest && !state_.accepted.empty()
                               ? kHeavier * lastAccepted().massFraction
                               : std::numeric_limits<double>::infinity();
    if (heavier > kFullest) return false;
    state_.leastMass = std::max(state_.leastMass, heavier);
    state_.at.stride = std::max(state_.at.stride, kStride);
    // What is as heavy is not compared with what was lighter.
    state_.at.goal = std::numeric_limits<double>::max() / 4;
    return true;
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
    state_.states.nominal = state_.states.eroded = assessment_.analysis().rest();
    state_.states.adjoints.clear();
    again_ = Again::uniform;
    return true;
  }
  bool tryAgain() { return begin(state_.attempt + 1); }

  /// Near the threshold a density follows its variable with the sharpness as factor. Undamped, a step
  /// overshoots by that factor, and boundary cells flip between full and empty for ever.
  double damping() const {
    constexpr double kUndamped = 4;
    return std::min(1.0, kUndamped / std::max(readings_.reading().sharpness, 1.0));
  }

  /// The variables to be judged next, from the layout accepted last, and where they are read.
  void propose() {
    const Again again = std::exchange(again_, Again::no);
    if (again == Again::asTheyAre) return;
    if (again == Again::uniform) {
      readAt(0);
      startUniform();
      return;
    }
    const Continuation judge = continuation();
    judge.goOn(state_.at);
    if (problem_.lightest && !massGiven() && missesMuch() && !atLongLast()) state_.at.ahead = state_.at.place;
    if (knowsMass() || beginsWider() || breaks()) return propose();
    aim();
    readAt(state_.at.place);
    report(options_.progress, "stepping", 0);
    step();
    if (state_.at.ahead == state_.at.place) return;
    if (problem_.lightest) wantMass(assessment_.massOf(state_.variables));
    readAt(state_.at.ahead);
    rebalance();
  }

  /// At the end of the way for the mass: begins anew with a little less than that. Where limits ask for less
  /// than members weigh, their mass says nothing, and the way is gone to its end.
  bool knowsMass() {
    if (!attempts_[state_.attempt].forMass || soft() || state_.at.ahead == state_.at.place) return false;
    if (goalOf(lastAccepted()) < 1 - kDecides) return false;
    const double mass = lastAccepted().massFraction;
    begin(state_.attempt + 1);
    wantMass(kLighterStart * mass);
    return true;
  }

  /// At the end of the first reading: begins anew with the filter that suits the mass, if it is a wider one.
  bool beginsWider() {
    const auto usual =
        std::find_if(attempts_.begin(), attempts_.end(), [](const Attempt& a) { return !a.forMass; });
    const auto first = static_cast<std::size_t>(usual - attempts_.begin());
    if (state_.attempt != first || state_.at.place != 0 || state_.at.ahead == 0 ||
        !std::isfinite(usual->mostRatio))
      return false;
    readAt(state_.at.place);
    readings_.forward(state_.accepted);
    CaseStates thin = state_.states.nominal;
    assessment_.analysis().setTolerance(1e-3);
    const double own = assessment_.byHold() ? lastAccepted().nominal : state_.at.goal;
    const double ratio = assessment_.holdOf(readings_.thinner(options_.erosion), thin) / own;
    const auto suits = [&](const Attempt& attempt) { return ratio <= attempt.mostRatio; };
    const auto found = std::find_if(usual, attempts_.end() - 1, suits);
    const auto wanted = static_cast<std::size_t>(found - attempts_.begin());
    return wanted > first && begin(wanted);
  }

  /// Steps the variables at the reading the maps are set up for. Moving asymptotes take the mass as linear,
  /// which is good to second order in the step; a shift of all variables makes up the rest.

  void step() {
    const bool criteria = scheme_ == UpdateScheme::optimalityCriteria;
    OptimalityOptions length = options_.update;
    length.damping *= damping() * state_.at.pace;
    length.move = criteria ? length.move * std::min(1.0, 2 * state_.at.pace)
                           : std::min(1.0, length.move * damping() * state_.at.pace);
    const DesignPoint at{
        state_.accepted,     assessment_.formulation(),
        state_.appraisal,    state_.gradients,
        state_.massFraction, [&](std::span<const double> x) { return assessment_.massOf(x); }};
    state_.variables = stepFrom(at, scheme_, length, state_.asymptotes);
    // The lightest may be lighter than it was to be: mass that does no good is not forced on it. While soft
    // all of it does.
    const bool free = problem_.lightest && (!missesMuch() || readings_.reading().sharpness > kSoft);
    if (!criteria && !(free && assessment_.massOf(state_.variables) <= state_.massFraction)) rebalance();
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
          return assessment_.massOf(state_.variables) - state_.massFraction;
        },
        {0, 0.01, -1, 1, kMassWidth}, kMassAccuracy);
  }

  void sharpenPath() {
    Path& path = attempts_[state_.attempt].path;
    path.push_back(path.back());
    path.back().sharpness *= 2;
  }

  OptimiseResult finish(OptimiseStop stop) {
    OptimiseResult result;
    result.stop = stop;
    result.history = state_.history;
    result.density = readAccepted();
    result.level = readings_.level();
    result.columns = columns_;
    result.full = fullValues_;
    result.steps = describe(scheme_);
    if (!state_.history.empty()) result.eroded = lastAccepted().eroded;
    CaseStates states = std::move(state_.states.nominal);
    state_.states.eroded = {};  // no other step follows: large jobs need the room
    state_.states.adjoints = {};
    state_.gradients = {};
    return finished<D>({problem_, options_, assessment_, path(), state_.accepted, state_.massFraction},
                       std::move(states), std::move(result));
  }

  const LayoutProblem<D>& problem_;
  const OptimiseOptions& options_;
  std::vector<Attempt> attempts_;
  Assessment<D> assessment_;
  Readings<D>& readings_;
  UpdateScheme scheme_;
  std::vector<std::string> columns_;
  double total_;     // of the fill
  CaseStates full_;  // of the full domain, where it was analysed, until they are gone on with
  std::vector<double> fullValues_;
  Appraisal appraisal_;          // of what was analysed last
  std::vector<double> layout_;   // accepted last
  std::vector<double> nominal_;  // of what was analysed last, where that was thinner
  Again again_ = Again::no;
  OptimiseState state_;
};

}  // namespace

std::string describe(OptimiseStop stop) {
  switch (stop) {
    case OptimiseStop::settled:
      return "settled";
    case OptimiseStop::iterationLimit:
      return "not settled: the wanted number of iterations was reached";
    case OptimiseStop::tooLittleMass:
      return "too little mass for members of the smallest size";
    case OptimiseStop::restless:
      return "not settled: the layout still changes";
    case OptimiseStop::grey:
      return "not settled: the layout is grey";
    case OptimiseStop::loose:
      return "not settled: a load hangs in the air";
    case OptimiseStop::missed:
      return "not settled: a limit does not hold";
  }
  return {};
}

template <int D>
OptimiseState reopened(OptimiseState state, const LayoutProblem<D>& problem) {
  if (state.accepted.empty()) throw InputError("the state to go on with has no layout", "give one that has");
  OptimiseOptions usual;
  const std::vector<Attempt> attempts = attemptsFor(problem, usual);
  requireIndex("attempt of the state", state.attempt, attempts.size(), "attempts");
  state.problem = fingerprintOf(problem);
  state.sharpenings = 0;
  state.at = {};
  state.at.place = state.at.ahead = softPlace(attempts[state.attempt].path);
  state.variables = std::move(state.accepted);
  state.accepted.clear();
  state.asymptotes = {};
  state.gradients = {};
  state.appraisal = {};
  state.ended = false;
  state.begun = state.history.size();
  return state;
}
template BARELATTICE_API OptimiseState reopened<2>(OptimiseState, const LayoutProblem<2>&);
template BARELATTICE_API OptimiseState reopened<3>(OptimiseState, const LayoutProblem<3>&);

template <int D>
OptimiseResult optimiseLayout(const LayoutProblem<D>& problem, const OptimiseOptions& options,
                              const IterationCallback& callback, const OptimiseState* resume) {
  return Loop<D>(problem, options, resume).run(callback);
}
template BARELATTICE_API OptimiseResult optimiseLayout<2>(const LayoutProblem<2>&, const OptimiseOptions&,
                                                          const IterationCallback&, const OptimiseState*);
template BARELATTICE_API OptimiseResult optimiseLayout<3>(const LayoutProblem<3>&, const OptimiseOptions&,
                                                          const IterationCallback&, const OptimiseState*);

}  // namespace barelattice
