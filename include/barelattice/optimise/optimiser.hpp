/// @file
/// The design loop: analyse, differentiate, update, sharpen, until nothing changes.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "barelattice/layout/density_filter.hpp"
#include "barelattice/layout/simple_maps.hpp"
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
  std::vector<GridCase> cases;     ///< one or more, with weights that are not all zero
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
  int maxIterations = 80;  ///< 1 or more
  /// Sharpness of the projection, stage by stage; empty leaves the projection out.
  std::vector<double> sharpness{1, 2, 4, 8, 16, 32};
  /// The stiffness is that of the layout read at the threshold 0.5 + erosion, a thinner one; the mass is that
  /// of the layout read at 0.5, which is the result. What the thin one cannot do without is thick enough in
  /// the result: in theory no member ends up slimmer than the smallest one (Wang, Lazarov & Sigmund 2011; for
  /// compliance the thinnest layout is always the worst, so it alone is analysed). Without projection there
  /// is no erosion.
  double erosion = 0.25;
  int stageIterations = 12;    ///< a stage lasts at most this many iterations (the last one until the end)
  double stageChange = 0.01;   ///< a stage but the last ends early when `change` falls below this
  double finalChange = 0.005;  ///< the loop ends when `change` falls below this in the last stage
  /// Energy error of the solves while designing; looser, up to 1e-4, while the layout still moves a lot. At
  /// 1e-4 throughout the layout's compliance is the same to 1e-4 after three quarters of the solver's
  /// iterations, at 1e-7 after 1.8 times as many.
  double loopTolerance = 1e-5;
  double finalTolerance = 1e-8;  ///< the same for the final layout
  StiffnessLaw law;
  OptimalityOptions update;
};

/// The filter radius (m) for a smallest member (m). A straight wall reads as w wide at the threshold 0.5 and
/// just vanishes at 0.75 when the strip of variables behind it is one radius wide (for the linear decay,
/// 1 - (1 - s)^2 = 3/4 at s = 1/2 radius of half width); that wall is one radius wide at 0.5 too.
inline double filterRadiusFor(double smallestMember) {
  return smallestMember;
}

struct IterationRecord {
  int iteration = 0;          ///< from 1
  double compliance = 0;      ///< the goal, weighted sum or worst case, of the eroded layout, J
  double massFraction = 0;    ///< of the layout that was analysed
  double change = 0;          ///< mass that moved in the update over the mass of the layout, 0 to 2
  double sharpness = 0;       ///< of the projection; 0 without
  int solverIterations = 0;   ///< over all cases
  double seconds = 0;         ///< wall time since the start
  double solveSeconds = 0;    ///< of this iteration's set-up of the solver and solves, wall time
  bool strengthened = false;  ///< a solve went over to W-cycles; later ones begin so, until one is short
};

enum class OptimiseStop {
  settled,         ///< the layout changes no more
  iterationLimit,  ///< maxIterations were done
  cancelled,       ///< the callback asked to stop
};

/// One sentence for people.
std::string describe(OptimiseStop stop);

/// Everything the loop remembers between two iterations: continuing from it gives the same bits as never
/// having stopped.
struct OptimiseState {
  std::size_t stage = 0;                           ///< of the projection's sharpness
  int inStage = 0;                                 ///< iterations done in it
  std::vector<double> variables;                   ///< one per cell
  std::vector<std::vector<double>> displacements;  ///< by case: where the next solves start
  std::vector<Cycle> cycles;                       ///< the multigrid cycle of each set of supports
  AsymptotesState asymptotes;                      ///< empty unless the worst case governs
  std::vector<IterationRecord> history;
};

/// What a callback sees after an iteration.
struct IterationView {
  const IterationRecord& record;
  const std::vector<double>& density;    ///< the layout the next iteration will analyse
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
  double massFraction = 0;
  std::vector<double> caseCompliance;              ///< unweighted, J
  std::vector<std::vector<double>> displacements;  ///< by case, m
};

/// Runs the loop. Deterministic: the same bits on any number of threads.
/// @param resume a state of the same problem with the same options; nullptr starts from the uniform layout.
/// @throws InputError if the problem contradicts itself; RunError if a solve fails.
template <int D>
OptimiseResult optimiseLayout(const LayoutProblem<D>& problem, const OptimiseOptions& options,
                              const IterationCallback& callback = {}, const OptimiseState* resume = nullptr);

}  // namespace barelattice
