// Figures behind docs/performance.md: the operator per voxel, the set-up of the hierarchy, and a whole solve
// on a uniform block and on a lattice of bars at contrast 1e9.

#include <benchmark/benchmark.h>

#include "barelattice/elasticity/elastic_model.hpp"
#include "layout.hpp"

namespace {

using namespace barelattice;
using namespace barelattice::bench;

template <class Real>
void apply(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  const VoxelOperator<3> a(grid, 0.3, supportsOf<3>(grid, clampedEnd(grid)));
  std::vector<Real> x(a.size(), Real{1}), y(a.size());
  for (auto _ : state) a.apply<Real>(x, y);
  state.counters["voxels"] = benchmark::Counter(static_cast<double>(grid.cellCount()),
                                                benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(apply<float>)->Arg(48)->Arg(80)->UseRealTime();
BENCHMARK(apply<double>)->Arg(48)->Arg(80)->UseRealTime();

void solve(benchmark::State& state) {
  const Grid<3> grid = block(static_cast<int>(state.range(0)));
  ElasticModel<3> model(grid, {"m", 70e9, 0.3, 1, 1}, clampedEnd(grid));
  const std::vector<double> shares =
      state.range(1) ? latticeShares(grid) : std::vector<double>(grid.cellCount(), 1.0);
  const Forces f = pushedEnd(grid, shares);
  std::vector<double> u(model.size());
  int iterations = 0;
  for (auto _ : state) {
    model.setRelativeModuli(shares);
    std::fill(u.begin(), u.end(), 0.0);
    iterations = model.solve(f, u, {1e-6, 200}).iterations;
  }
  state.counters["iterations_needed"] = iterations;
  state.counters["voxels"] = static_cast<double>(grid.cellCount());
}
BENCHMARK(solve)
    ->ArgNames({"n", "lattice"})
    ->Args({24, 0})
    ->Args({48, 0})
    ->Args({80, 0})
    ->Args({24, 1})
    ->Args({48, 1})
    ->Args({80, 1})
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);

}  // namespace
