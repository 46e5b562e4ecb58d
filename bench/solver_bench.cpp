// Figures behind docs/performance.md: the operator per voxel, the set-up of the hierarchy, and a whole solve
// on a uniform block and on a lattice of bars at contrast 1e9.

#include <benchmark/benchmark.h>

#include "barelattice/voxels/elastic_model.hpp"
#include "layout.hpp"
#include "voxels/voxel_hierarchy.hpp"
#include "voxels/voxel_operator.hpp"

namespace {

using namespace barelattice;
using namespace barelattice::bench;

template <int D, class Real>
void apply(benchmark::State& state) {
  const Grid<D> grid = block<D>(static_cast<int>(state.range(0)));
  const VoxelOperator<D> a(grid, 0.3, supportsOf<D>(grid, clampedEnd(grid)));
  std::vector<Real> x(a.size(), Real{1}), y(a.size());
  for (auto _ : state) a.template apply<Real>(x, y);
  state.counters["voxels"] = benchmark::Counter(static_cast<double>(grid.cellCount()),
                                                benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(apply<3, float>)->Arg(48)->Arg(80)->UseRealTime();
BENCHMARK(apply<3, double>)->Arg(48)->Arg(80)->UseRealTime();
BENCHMARK(apply<2, float>)->Arg(720)->UseRealTime();
BENCHMARK(apply<2, double>)->Arg(720)->UseRealTime();

/// As many loads as the third argument says, the same one each time, in one pass.
template <int D>
void solve(benchmark::State& state) {
  const Grid<D> grid = block<D>(static_cast<int>(state.range(0)));
  ElasticModel<D> model(grid, {"m", 70e9, 0.3, 1, 1}, clampedEnd(grid));
  const std::vector<double> shares =
      state.range(1) ? latticeShares(grid) : std::vector<double>(grid.cellCount(), 1.0);
  const Forces f = pushedEnd(grid, shares);
  const auto loads = static_cast<std::size_t>(state.range(2));
  std::vector<std::vector<double>> u(loads, std::vector<double>(model.size()));
  std::vector<LoadedField> fields;
  for (auto& field : u) fields.push_back({&f, field});
  int iterations = 0;
  for (auto _ : state) {
    model.setRelativeModuli(shares);
    model.setCycle(Cycle::v);
    for (auto& field : u) std::fill(field.begin(), field.end(), 0.0);
    iterations = model.solve(fields, {1e-6, 200}).front().iterations;
  }
  state.counters["iterations_needed"] = iterations;
  state.counters["voxels"] = static_cast<double>(grid.cellCount());
}
BENCHMARK(solve<3>)
    ->ArgNames({"n", "lattice", "loads"})
    ->Args({24, 0, 1})
    ->Args({48, 0, 1})
    ->Args({80, 0, 1})
    ->Args({24, 1, 1})
    ->Args({48, 1, 1})
    ->Args({80, 1, 1})
    ->Args({80, 1, 2})
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK(solve<2>)
    ->ArgNames({"n", "lattice", "loads"})
    ->Args({720, 0, 1})
    ->Args({720, 1, 1})
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);

}  // namespace
