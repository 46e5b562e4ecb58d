// A whole design: a cantilever of 2 n x n x n voxels, one case, 60 iterations, with what each part costs.

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cstdlib>

#include "barelattice/optimise/optimiser.hpp"

namespace {

using namespace barelattice;

LayoutProblem<3> cantilever(const Grid<3>& grid, int cases) {
  LayoutProblem<3> problem;
  problem.grid = &grid;
  problem.material = {"aluminium", 70e9, 0.33, 2700, 240e6};
  problem.fill.assign(grid.cellCount(), 1.0);
  problem.keep.assign(grid.cellCount(), 0);
  problem.massFraction = 0.2;
  problem.filterRadius = 3 * grid.frame().size;
  GridCase bent;
  bent.name = "down";
  for (int c = 0; c < 3; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (grid.nodeIndex(n)[0] == 0) bent.held.push_back(gridDof(grid, n, c));
  for (int k = 0; k < cases; ++k) {
    GridCase loaded = bent;
    loaded.force.assign(3 * grid.nodeCount(), 0.0);
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      const Index<3>& at = grid.nodeIndex(n);
      if (at[0] == grid.frame().cells[0] && at[2] < 4) loaded.force[gridDof(grid, n, 2 - k)] = 1;
    }
    problem.cases.push_back(std::move(loaded));
  }
  return problem;
}

void design(benchmark::State& state) {
  GridFrame<3> frame;
  const int n = static_cast<int>(state.range(0));
  frame.cells = {2 * n, n, n};
  frame.size = 1e-3;
  const Grid<3> grid(frame, std::vector<std::uint8_t>(frame.boxCells(), 1));
  const LayoutProblem<3> problem = cantilever(grid, static_cast<int>(state.range(1)));
  OptimiseOptions options;
  options.maxIterations = static_cast<int>(state.range(2));
  options.finalChange = 0;
  int solverIterations = 0;
  double compliance = 0;
  for (auto _ : state) {
    const OptimiseResult result = optimiseLayout<3>(problem, options, [&](const IterationView& view) {
      if (std::getenv("BARELATTICE_BENCH_LOG"))
        fmt::print("{:3} {:8.2f} s  C {:.6g}  change {:.3f}  solver {}\n", view.record.iteration,
                   view.record.seconds, view.record.compliance, view.record.change,
                   view.record.solverIterations);
      return true;
    });
    for (const IterationRecord& record : result.history) solverIterations += record.solverIterations;
    compliance = result.compliance;
  }
  state.counters["solver_iterations"] = solverIterations;
  state.counters["compliance"] = compliance;
  state.counters["voxels"] = static_cast<double>(grid.cellCount());
}
BENCHMARK(design)
    ->ArgNames({"n", "cases", "iterations"})
    ->Args({80, 1, 8})->Args({80, 1, 60})
    ->Args({80, 2, 60})
    ->Iterations(1)
    ->UseRealTime()
    ->Unit(benchmark::kSecond);

}  // namespace
