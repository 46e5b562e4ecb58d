// A whole design: a cantilever of 3 n / 2 x n x 4 n / 3 voxels, one case, 60 iterations, and what each part
// of it costs.

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cstdlib>

#include "barelattice/layout/cell_maps.hpp"
#include "barelattice/optimise/optimiser.hpp"
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
