// A whole design: a cantilever of 3 n / 2 x n x 4 n / 3 voxels, one case, 60 iterations, and what each part
// of it costs.

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>
#include <cstdlib>

#include "barelattice/layout/cell_maps.hpp"
#include "barelattice/optimise/face_motions.hpp"
#include "barelattice/optimise/moving_asymptotes.hpp"
#include "barelattice/optimise/natural_periods.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/optimise/stress_share.hpp"
#include "cantilever.hpp"
#include "voxels/voxel_hierarchy.hpp"
#include "voxels/voxel_operator.hpp"

namespace {

using namespace barelattice;
using bench::block;
using bench::cantilever;

/// A lattice of bars, softened: what the maps and the update see late in a design.
std::vector<double> latticeDensity(const Grid<3>& grid) {
  std::vector<double> density(grid.cellCount());
  for (std::size_t c = 0; c < density.size(); ++c) {
    const Index<3>& i = grid.cellIndex(c);
    density[c] = (i[0] % 12 < 4) + (i[1] % 12 < 4) + (i[2] % 12 < 4) >= 2 ? 0.9 : 0.05;
  }
  return density;
}

// The parts of an iteration of the design loop.

void setUp(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const LayoutProblem<3> problem = cantilever(grid, 1);
  VoxelOperator<3> stiffness(grid, problem.material.poisson, problem.cases[0].supports);
  VoxelHierarchy<3> hierarchy(stiffness);
  const std::vector<double> density = latticeDensity(grid);
  for (auto _ : state) {
    stiffness.setScales(density);
    hierarchy.renew();
  }
}
BENCHMARK(setUp)->Arg(80)->UseRealTime()->Unit(benchmark::kMillisecond);

void energies(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const LayoutProblem<3> problem = cantilever(grid, 1);
  const ElasticModel<3> model(grid, problem.material, problem.cases[0].supports);
  const std::vector<double> u(model.size(), 1.0);
  std::vector<double> energy(grid.cellCount());
  for (auto _ : state) model.fullCellEnergies(u, energy);
}
BENCHMARK(energies)->Arg(80)->UseRealTime()->Unit(benchmark::kMillisecond);

void filter(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const DensityFilter<3> map(grid, std::vector<double>(grid.cellCount(), 1.0), 3e-3,
                             FilterBoundary::reflecting, {});
  const std::vector<double> density = latticeDensity(grid);
  std::vector<double> out(density.size());
  for (auto _ : state) map.forward(density, out);
}
BENCHMARK(filter)->Arg(80)->UseRealTime()->Unit(benchmark::kMillisecond);

void projection(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const Projection map(8, 0.5);
  const std::vector<double> density = latticeDensity(grid);
  std::vector<double> out(density.size());
  for (auto _ : state) map.forward(density, out);
}
BENCHMARK(projection)->Arg(80)->UseRealTime()->Unit(benchmark::kMillisecond);

/// One step by moving asymptotes: a goal that falls with material, the mass, and limits that fall with it
/// too.
void asymptotes(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const auto limits = static_cast<std::size_t>(state.range(1));
  const std::size_t n = grid.cellCount();
  const double each = 1 / static_cast<double>(n);
  const std::vector<double> x = latticeDensity(grid);
  AsymptotesProblem problem;
  for (std::size_t i = 0; i <= limits; ++i) {
    std::vector<double> gradient(n, each);
    for (std::size_t c = 0; c < n && i < limits; ++c)
      gradient[c] = -each * (1.1 + std::sin(static_cast<double>(c * (i + 1)) * 1e-3));
    problem.limitGradients.push_back(std::move(gradient));
    problem.limits.push_back(i < limits ? 1 - 0.01 * static_cast<double>(i) : 0.01);
    problem.shares.push_back(i < limits ? 1 : 0);
  }
  for (auto _ : state) {
    AsymptotesState remembered;
    benchmark::DoNotOptimize(updateByAsymptotes(x, problem, {0.2}, remembered));
  }
}
BENCHMARK(asymptotes)
    ->ArgNames({"n", "limits"})
    ->Args({80, 1})
    ->Args({80, 3})
    ->Args({80, 10})
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);

enum Wanted { stiffest, displacement, stress, frequency, tenLimits };

/// What an iteration costs where the lightest is sought, beside one of the stiffest.
void boundedDesign(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const auto wanted = static_cast<Wanted>(state.range(1));
  LayoutProblem<3> problem = cantilever(grid, wanted == tenLimits ? 3 : 1);
  const std::size_t cases = problem.cases.size();
  std::vector<std::shared_ptr<const Response>> parts;
  const auto bound = [&](std::shared_ptr<const Response> part, std::size_t count) {
    parts.push_back(std::move(part));
    problem.goal.weights.insert(problem.goal.weights.end(), count, 1.0);
  };
  const auto tip = [&](int high) {
    FaceTies ties;
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      if (grid.nodeIndex(n)[0] != grid.frame().cells[0] || grid.nodeIndex(n)[2] > high) continue;
      ties.weights.push_back({n, 1});
      ties.close({Vec3::Zero(), Vec3::UnitX(), 1});
    }
    return std::make_shared<FaceMotions>("tip", FaceMotion{ties}, dofOrder(grid));
  };
  if (wanted == displacement || wanted == tenLimits) bound(tip(3), cases);
  if (wanted == tenLimits) bound(tip(20), cases);  // with the mass: ten
  if (wanted == stress || wanted == tenLimits) {
    const std::vector<double> ones(grid.cellCount(), 1.0);
    StressLimits limits{std::vector<double>(grid.cellCount(), problem.material.modulus),
                        std::vector<double>(grid.cellCount(), problem.material.strength), ones,
                        problem.material.poisson};
    bound(std::make_shared<StressShare<3>>(grid, std::move(limits)), cases);
  }
  if (wanted == frequency) {
    problem.cellMass.assign(grid.cellCount(), problem.material.density * std::pow(grid.frame().size, 3));
    bound(std::make_shared<NaturalPeriods>("f"), 1);
  }
  if (!parts.empty()) {
    problem.goal.form = GoalForm::worst;
    problem.goal.response = std::make_shared<Joined>(parts);
    // Bounds at what a block of a third of its density comes to, so that all govern.
    GridAnalysis<3> analysis(grid, problem.material, problem.cases, problem.fill, {}, problem.cellMass);
    CaseStates states = analysis.rest();
    analysis.attempt(std::vector<double>(grid.cellCount(), 0.6), states, problem.goal.response->modes());
    const std::vector<double> values = problem.goal.response->values({analysis, states});
    for (std::size_t k = 0; k < values.size(); ++k) problem.goal.weights[k] = 1 / values[k];
    problem.lightest = true;
  }
  OptimiseOptions options;
  options.maxIterations = 12;
  double seconds = 0;
  double solveSeconds = 0;
  for (auto _ : state) {
    const OptimiseResult result = optimiseLayout<3>(problem, options);
    seconds = result.history.back().seconds - result.history.front().seconds;
    for (const IterationRecord& record : result.history) solveSeconds += record.solveSeconds;
  }
  state.counters["iteration_s"] = seconds / (options.maxIterations - 1);
  state.counters["solve_s"] = solveSeconds / options.maxIterations;
  state.counters["voxels"] = static_cast<double>(grid.cellCount());
}
BENCHMARK(boundedDesign)
    ->ArgNames({"n", "wanted"})
    ->Args({48, stiffest})
    ->Args({48, displacement})
    ->Args({48, stress})
    ->Args({48, frequency})
    ->Args({48, tenLimits})
    ->Iterations(1)
    ->UseRealTime()
    ->Unit(benchmark::kSecond);

void design(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const LayoutProblem<3> problem = cantilever(grid, static_cast<int>(state.range(1)));
  OptimiseOptions options;
  options.maxIterations = static_cast<int>(state.range(2));
  options.continuation.finalChange = 0;
  int solverIterations = 0;
  double compliance = 0;
  double solveSeconds = 0;
  double iterationSeconds = 0;
  for (auto _ : state) {
    const OptimiseResult result = optimiseLayout<3>(problem, options, [&](const IterationView& view) {
      if (std::getenv("BARELATTICE_BENCH_LOG"))
        fmt::print("{:3} {:8.2f} s  C {:.6g}  change {:.3f}  solver {}\n", view.record.iteration,
                   view.record.seconds, view.record.nominal, view.record.change,
                   view.record.solverIterations);
      return true;
    });
    for (const IterationRecord& record : result.history) {
      solverIterations += record.solverIterations;
      solveSeconds += record.solveSeconds;
    }
    iterationSeconds = result.history.back().seconds;
    compliance = result.nominal;
  }
  state.counters["solver_iterations"] = solverIterations;
  state.counters["compliance"] = compliance;
  state.counters["other_share"] = 1 - solveSeconds / iterationSeconds;  // filters, update, sensitivities
  state.counters["voxels"] = static_cast<double>(grid.cellCount());
}
BENCHMARK(design)
    ->ArgNames({"n", "cases", "iterations"})
    ->Args({80, 1, 60})
    ->Args({80, 2, 60})
    ->Iterations(1)
    ->UseRealTime()
    ->Unit(benchmark::kSecond);

}  // namespace
