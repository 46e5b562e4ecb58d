// Figures behind docs/performance.md: the operator per voxel, the set-up of the hierarchy, and a whole solve
// on a uniform block and on a lattice of bars at contrast 1e9.

#include <benchmark/benchmark.h>

#include "barelattice/elasticity/elastic_model.hpp"

namespace {

using namespace barelattice;

Grid<3> block(int n) {
  GridFrame<3> frame;
  frame.cells = {2 * n, n, n};
  frame.size = 1e-3;
  return Grid<3>(frame, std::vector<std::uint8_t>(frame.boxCells(), 1));
}

std::vector<std::size_t> clampedEnd(const Grid<3>& grid) {
  std::vector<std::size_t> held;
  for (int c = 0; c < 3; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (grid.nodeIndex(n)[0] == 0) held.push_back(gridDof(grid, n, c));
  return held;
}

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
  std::vector<double> shares(grid.cellCount(), 1.0);
  if (state.range(1))
    for (std::size_t c = 0; c < shares.size(); ++c) {
      const Index<3>& i = grid.cellIndex(c);
      shares[c] = (i[0] % 12 < 3) + (i[1] % 12 < 3) + (i[2] % 12 < 3) >= 2 ? 1 : 1e-9;
    }
  std::vector<double> f(model.size(), 0.0), u(model.size());
  for (std::size_t n = 0; n < grid.nodeCount(); ++n)
    if (grid.nodeIndex(n)[0] == grid.frame().cells[0]) f[gridDof(grid, n, 2)] = 1;
  int iterations = 0;
  for (auto _ : state) {
    model.setRelativeModuli(shares);
    std::fill(u.begin(), u.end(), 0.0);
    iterations = model.solve(f, u, {1e-6, 200}).iterations;
  }
  state.counters["iterations"] = iterations;
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
