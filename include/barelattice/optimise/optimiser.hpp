/// @file
/// The design loop: analyse, judge, differentiate, update, sharpen, until the layout has settled.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/error.hpp"
#include "barelattice/optimise/continuation.hpp"
#include "barelattice/optimise/layout_problem.hpp"
#include "barelattice/optimise/moving_asymptotes.hpp"
#include "barelattice/optimise/optimality_criteria.hpp"

namespace barelattice BARELATTICE_API {

struct OptimiseOptions {
  int maxIterations = 0;  ///< a wish: the loop ends there as it stands; 0 for none
  int guard = 250;        ///< a design that has not settled by then is called restless
  /// What the design passes. Empty for the usual one, whose filter starts as wide as the mass bids, and
  /// wider again if that fails, see docs/method.md. A given one is followed as it is.
  Path path;
  /// The last layout analysed beside the result is read at the threshold 0.5 + erosion, a thinner one: what
  /// it cannot do without is thick enough in the result (Wang, Lazarov & Sigmund 2011).
  double erosion = 0.25;
  /// The goal is (1 - share) of the result's plus share of that of the thinner layout. The thinner one only
  /// has to hold: with all of the goal on it, members get thicker than asked for and the result up to a fifth
  /// softer; with less than a twentieth some come out too thin.
  double erodedShare = 0.1;
  ContinuationOptions continuation;
  /// A reading black and white differs from the layout by less than this share of the goal, or the layout is
  /// sharpened further, up to twice.
  double agreement = 0.05;
  /// Energy error of the solves while designing; looser, up to 1e-4, while the layout still moves a lot. At
  /// 1e-4 throughout the layout's compliance is the same to 1e-4 after three quarters of the solver's
  /// iterations, at 1e-7 after 1.8 times as many.
  double loopTolerance = 1e-5;
  double finalTolerance = 1e-8;  ///< the same for the final layout
  StiffnessLaw law;
  OptimalityOptions update;
  /// Asked between solves and several times in each iteration of one, on the thread that called: see
  /// ProgressCallback. A design stopped so goes on from the state of its last iteration.
  ProgressCallback progress = {};
};

/// @throws InputError naming the option that is out of range.
void validate(const OptimiseOptions& options);

struct IterationRecord {
  int iteration = 0;  ///< from 1
  double goal = 0;  ///< what is minimised: of both layouts, see OptimiseOptions::erodedShare, and what limits
                    ///< are missed by; where the lightest is sought about the mass at which the goal is one
  double nominal = 0;          ///< the goal of the layout that would be the result; where the lightest is
                               ///< sought, or the goal is of places or modes (Response::heldByCompliance),
                               ///< its compliance, the weighted sum of the cases, as below
  double eroded = 0;           ///< that of the thinner one; infinite where it does not hold
  std::vector<double> values;  ///< of the layout that would be the result: the goal's terms and
                               ///< the limits, in the order of OptimiseResult::columns
  double massFraction = 0;     ///< of the layout that would be the result
  /// What values come to over their bounds: where the lightest is sought the goal's terms by weight, then
  /// the limits behind the mass. In the order of OptimiseResult::columns.
  std::vector<double> overBounds;
  double change = 0;       ///< mass that moved since the layout accepted last over that of the layout, 0 to 2
  double grey = 0;         ///< of the layout that would be the result, Greyness::overMass
  double sharpness = 0;    ///< of the projection; 0 without
  double erosion = 0;      ///< of the thinner layout
  bool takenBack = false;  ///< it made the goal much worse: the next one starts from the one before
  int solverIterations = 0;   ///< over all cases
  double seconds = 0;         ///< wall time since the start
  double solveSeconds = 0;    ///< of this iteration's set-up of the solver and solves, wall time
  bool strengthened = false;  ///< a solve went over to W-cycles; later ones begin so, until one is short
};

enum class OptimiseStop {
  settled,         ///< the layout stands still, holds its loads, and reads the same in black and white
  iterationLimit,  ///< failed to settle: maxIterations were done
  tooLittleMass,   ///< failed: the mass cannot bear members of that size
  restless,        ///< failed: the layout still changes after `guard` iterations
  grey,            ///< failed: the layout does not read the same in black and white
  loose,           ///< failed: read in black and white a load hangs in the air
  missed,  ///< failed: the layout stands still, but a limit does not hold, or no mass makes the goal one
};

/// One sentence for people.
std::string describe(OptimiseStop stop);

/// What a layout is judged by.
struct Appraisal {
  std::vector<double> terms;   ///< values of the goal's response, unweighted: of
                               ///< both readings by their shares
  std::vector<double> limits;  ///< values of what limits bound, the mass first
};

/// A bound that the full domain misses by more than any layout could mend, see Response::mostGain.
class OutOfReach : public RunError {
 public:
  OutOfReach(const std::string& what, const std::string& cure, std::vector<std::string> itsColumns,
             std::vector<double> ofFull)
      : RunError(what, cure), columns(std::move(itsColumns)), full(std::move(ofFull)) {}
  std::vector<std::string> columns;  ///< see OptimiseResult
  std::vector<double> full;          ///< values of the full domain
};

/// Derivatives by the variables.
struct DesignGradients {
  std::vector<std::vector<double>> goal;    ///< of the weighted sum, or of each weighted term of a worst
  std::vector<std::vector<double>> limits;  ///< of the value of each, the mass first
  /// What material costs instead of its mass, where gaps have a least width: the derivative of the mass of a
  /// thicker layout. Empty where they have none.
  std::vector<double> price;
};

/// The answers to both readings of the same variables.
struct ReadingStates {
  CaseStates nominal;
  CaseStates eroded;
  std::vector<std::vector<double>> adjoints =
      {};  ///< found last, by term of the goal: where the next ones start
};

/// Everything the loop remembers between two iterations: continuing from it gives the same bits as never
/// having stopped.
struct OptimiseState {
  std::string problem;            ///< see fingerprintOf
  std::size_t attempt = 0;        ///< number of the path
  int sharpenings = 0;            ///< readings added to its end
  Progression at;                 ///< on the path
  std::vector<double> variables;  ///< one per cell, to be judged next
  bool ended = false;             ///< the loop has ended: those were judged, no others proposed
  double massFraction = 0;        ///< wanted of the next layout: the problem's, or what the lightest may need
  double leastMass = 0;           ///< under which members broke, where the lightest is sought
  std::size_t begun = 0;          ///< iterations done before a design was gone on with under other bounds
  std::vector<double> accepted;   ///< variables accepted last; empty before the first
  Appraisal appraisal;            ///< there
  DesignGradients gradients;      ///< there
  ReadingStates states;           ///< where the next solves start
  AsymptotesState asymptotes;     ///< empty under optimality criteria
  std::vector<IterationRecord> history;
};

/// The state a design has come to, gone on with for another problem that differs from its own by the weights
/// of the goal and bounds of limits: from where the projection is still soft enough for members to move.
template <int D>
OptimiseState reopened(OptimiseState state, const LayoutProblem<D>& problem);

/// What a callback sees after an iteration, as long as it runs: it looks at what the loop works on, and
/// cannot be copied. Copies may be made of what it shows.
struct IterationView {
  const IterationRecord& record;
  const std::vector<std::string>& columns;            ///< heads of the record's values
  const std::vector<double>& density;                 ///< the layout accepted last
  const bool last;                                    ///< no other iteration follows
  const OptimiseState& state;                         ///< to continue from
  const std::function<std::vector<double>()>& level;  ///< of that layout, see OptimiseResult::level
  const std::vector<double>& full;                    ///< see OptimiseResult

  IterationView(const IterationRecord& ofRecord, const std::vector<std::string>& itsColumns,
                const std::vector<double>& layout, bool isLast, const OptimiseState& toContinueFrom,
                const std::function<std::vector<double>()>& itsLevel, const std::vector<double>& ofFull)
      : record(ofRecord),
        columns(itsColumns),
        density(layout),
        last(isLast),
        state(toContinueFrom),
        level(itsLevel),
        full(ofFull) {}
  IterationView(const IterationView&) = delete;
  IterationView& operator=(const IterationView&) = delete;
};

/// Called after every iteration, on the thread that called; false ends the design by Cancelled, there and
/// without its final solve.
using IterationCallback = std::function<bool(const IterationView&)>;

/// A layout whose surface lies as far in and out as Walls::madeWithin says.
struct MadeWithin {
  double goal = 0;             ///< of the thinner one, solved tightly
  double thin = 0, thick = 0;  ///< mass fractions
};

struct OptimiseResult {
  OptimiseStop stop = OptimiseStop::settled;
  std::vector<double> density;  ///< the final layout, one entry per cell
  std::vector<double> level;    ///< the same before projection: it crosses 0.5 where the density does, but
                                ///< gently, so its contours show no cells; keeps are one
  std::vector<IterationRecord> history;
  std::vector<std::string> columns;  ///< heads of the values in the history
  double nominal = 0;                ///< the goal at the final layout, solved tightly; its compliance where
                                     ///< IterationRecord::nominal is that, as the next and the black and
                                     ///< white one's
  std::vector<double> full;          ///< values of the full domain, in the order of `columns`; empty where
                                     ///< neither goal nor limits needed them
  std::string steps;                 ///< how the layout was bettered and why so, in a sentence
  double eroded = 0;                 ///< the same of the thinner layout as analysed last
  std::vector<double> values;        ///< of the final layout, solved tightly, in the
                                     ///< order of `columns`
  double massFraction = 0;
  std::optional<MadeWithin> made;  ///< where the process leaves something
  Greyness grey;
  double threshold = 0.5;    ///< of the level, at which cells read solid or empty have the wanted mass
  double blackAndWhite = 0;  ///< the goal of that reading, solved tightly; infinite where it does not hold
  double neededMass = 0;     ///< where there was too little mass: the fraction at which what was found would
                          ///< have members thick enough; 0 if that is unknown or more than half as much again
  std::string where;                      ///< of a failure: what fails and where, for people; else empty
  std::vector<double> caseCompliance;     ///< unweighted, J
  std::vector<double> caseBlackAndWhite;  ///< of the reading, J
  std::vector<std::vector<double>> displacements;  ///< by case, m
};

/// Runs the loop. Deterministic: the same bits on any number of threads.
/// @param resume a state of the same problem with the same options; nullptr starts from the uniform layout.
/// @throws InputError if problem or options contradict themselves, the state is of another problem, or the
/// space cannot hold members of the filter's size; Cancelled where a callback asked for it; RunError if the
/// start or the final layout cannot be analysed, naming the case and the place, OutOfReach before the first
/// iteration. What callbacks throw passes.
template <int D>
OptimiseResult optimiseLayout(const LayoutProblem<D>& problem, const OptimiseOptions& options,
                              const IterationCallback& callback = {}, const OptimiseState* resume = nullptr);

}  // namespace barelattice
