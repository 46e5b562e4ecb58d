/// @file
/// The design loop: analyse, judge, differentiate, update, sharpen, until the layout has settled.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "barelattice/layout/density_filter.hpp"
#include "barelattice/layout/simple_maps.hpp"
#include "barelattice/optimise/black_and_white.hpp"
#include "barelattice/optimise/continuation.hpp"
#include "barelattice/optimise/moving_asymptotes.hpp"
#include "barelattice/optimise/optimality_criteria.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice {

/// How the compliances of several cases become one goal.
enum class CaseGoal {
  weightedSum,  ///< sum_k w_k C_k, updated by optimality criteria
  worst,        ///< max_k w_k C_k, updated by the method of moving asymptotes
};

/// A layout problem on a grid: the stiffest layout of a given mass.
template <int D>
struct LayoutProblem {
  const Grid<D>* grid = nullptr;
  Material material;               ///< in two dimensions that of a sheet, see sheetMaterial
  std::vector<double> fill;        ///< share of each cell that exists
  std::vector<std::uint8_t> keep;  ///< cells that stay solid
  std::vector<double> modulus;     ///< of each cell relative to the material's, above 0 up to 1; empty for 1
  std::vector<double> mass;        ///< of each full cell in any unit, 0 where it does not count towards the
                                   ///< target; empty if all count alike
  std::vector<double> cellMass;    ///< of each full cell, kg; only where a case has a force on all mass
  std::vector<GridCase<D>> cases;  ///< one or more, with weights that are not all zero
  CaseGoal goal = CaseGoal::weightedSum;
  double massFraction = 0.5;  ///< of the full domain, above the share of the keeps, below 1
  double filterRadius = 0;    ///< m
  FilterBoundary filterBoundary = FilterBoundary::reflecting;
  std::vector<std::uint8_t> attached;  ///< cells next to held or loaded faces, which see a reflecting
                                       ///< boundary; empty for none
  std::vector<int> mirror;             ///< partner of each cell (see mirrorPartners); empty for none
  std::vector<double> start;           ///< density the design starts from, 0 to 1; empty for a uniform one
};

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
};

/// The filter radius (m) for a smallest member (m): that of the wall which just vanishes at the threshold
/// 0.75, measured at 0.5.
///
/// The filter's weight falls linearly with distance; seen across a wall it is the density f of the offset s
/// of a cone in D dimensions, in radii: f = 1 - s for D = 1, (sqrt(1 - s^2) - s^2 arcosh(1/s)) 4 / pi for D =
/// 2, 2 - 6 s^2 + 4 s^3 for D = 3 (each for s > 0, with half the weight). A wall of variables of half width a
/// shows at its middle the share of the weight within a; that is 3/4 for a = 0.5, 0.4718, 0.4425. Its edge
/// shows the share within 2a on one side, 0.500, 0.498, 0.498: the wall is 2a radii wide at the threshold 0.5
/// too.
inline double filterRadiusFor(double smallestMember, int dimension) {
  return smallestMember / (dimension == 2 ? 0.944 : 0.885);
}

struct IterationRecord {
  int iteration = 0;        ///< from 1
  double goal = 0;          ///< what is minimised, J: see OptimiseOptions::erodedShare
  double compliance = 0;    ///< weighted sum or worst case of the layout that would be the result, J
  double eroded = 0;        ///< the same of the thinner one, J; infinite where it does not hold
  double massFraction = 0;  ///< of the layout that would be the result
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
  cancelled,       ///< failed to settle: the callback asked to stop
  tooLittleMass,   ///< failed: the mass cannot bear members of that size
  restless,        ///< failed: the layout still changes after `guard` iterations
  grey,            ///< failed: the layout does not read the same in black and white
  loose,           ///< failed: read in black and white a load hangs in the air
};

/// One sentence for people.
std::string describe(OptimiseStop stop);

/// Everything the loop remembers between two iterations: continuing from it gives the same bits as never
/// having stopped.
struct OptimiseState {
  std::size_t attempt = 0;                     ///< number of the path
  int sharpenings = 0;                         ///< readings added to its end
  Progression at;                              ///< on the path
  std::vector<double> variables;               ///< one per cell, to be judged next
  bool ended = false;                          ///< the loop has ended: those were judged, no others proposed
  std::vector<double> accepted;                ///< variables accepted last; empty before the first
  std::vector<double> compliances;             ///< goal of each case there, unweighted
  std::vector<std::vector<double>> gradients;  ///< of the goal there, by the variables: one, or by case
  std::vector<double> massGradient;
  CaseStates nominal, eroded;  ///< where the next solves start
  AsymptotesState asymptotes;  ///< empty unless the worst case governs
  std::vector<IterationRecord> history;
};

/// What a callback sees after an iteration.
struct IterationView {
  const IterationRecord& record;
  const std::vector<double>& density;    ///< the layout accepted last
  bool last;                             ///< no other iteration follows
  std::function<OptimiseState()> state;  ///< a copy to continue from; costs time and memory
};

/// Called after every iteration; returning false stops the loop there.
using IterationCallback = std::function<bool(const IterationView&)>;

struct OptimiseResult {
  OptimiseStop stop = OptimiseStop::settled;
  std::vector<double> density;  ///< the final layout, one entry per cell
  std::vector<double> level;    ///< the same before projection: it crosses 0.5 where the density does, but
                                ///< gently, so its contours show no cells; keeps are one
  std::vector<IterationRecord> history;
  double compliance = 0;  ///< the goal at the final layout, solved tightly, J
  double eroded = 0;      ///< the same of the thinner layout as analysed last, J
  double massFraction = 0;
  Greyness grey;
  double threshold = 0.5;    ///< of the level, at which cells read solid or empty have the wanted mass
  double blackAndWhite = 0;  ///< the goal of that reading, solved tightly, J; infinite where it does not hold
  double neededMass = 0;     ///< where there was too little mass: the fraction at which what was found would
                          ///< have members thick enough; 0 if that is unknown or more than half as much again
  std::string where;                      ///< of a failure: what fails and where, for people; else empty
  std::vector<double> caseCompliance;     ///< unweighted, J
  std::vector<double> caseBlackAndWhite;  ///< of the reading, J
  std::vector<std::vector<double>> displacements;  ///< by case, m
};

/// The loads from which no way leads to a support on which a member of the smallest size finds room: with all
/// of the space full, no such way is left at the threshold 0.5 + erosion. One entry per case at most.
template <int D>
std::vector<LooseLoad<D>> loadsInNarrows(const LayoutProblem<D>& problem, double erosion);

/// One sentence for people, and what helps.
template <int D>
std::string narrowText(const LayoutProblem<D>& problem, const LooseLoad<D>& load);
inline constexpr const char* kNarrowCure =
    "take a smaller smallest_member, widen the space there, or let the filter reflect at its walls";

/// Runs the loop. Deterministic: the same bits on any number of threads.
/// @param resume a state of the same problem with the same options; nullptr starts from the uniform layout.
/// @throws InputError if the problem contradicts itself, or its space cannot hold members of the filter's
/// size; RunError if the start or the final layout cannot be analysed, naming the case and the place.
template <int D>
OptimiseResult optimiseLayout(const LayoutProblem<D>& problem, const OptimiseOptions& options,
                              const IterationCallback& callback = {}, const OptimiseState* resume = nullptr);

}  // namespace barelattice
