// What the optimise step takes of memory: a cantilever of 3 n / 2 x n x 4 n / 3 voxels, some iterations.
//   bench_memory N CASES ITERATIONS
// One line of JSON an iteration: bytes a voxel at the most so far, the grid included.

#include <fmt/format.h>

#include <cstdlib>

#include "barelattice/base/stopwatch.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "cantilever.hpp"

int main(int count, char** arguments) {
  using namespace barelattice;
  if (count != 4) return 2;
  const double before = bench::peakBytes();
  const Grid<3> grid = bench::block(std::atoi(arguments[1]));
  const LayoutProblem<3> problem = bench::cantilever(grid, std::atoi(arguments[2]));
  OptimiseOptions options;
  options.maxIterations = std::atoi(arguments[3]);
  const Stopwatch watch;
  const auto tell = [&](const char* what, std::size_t number, double goal) {
    fmt::print(R"({{"{}":{},"voxels":{},"seconds":{:.1f},"bytes_per_voxel":{:.0f},"goal":{:.10g}}})"
               "\n",
               what, number, grid.cellCount(), watch.seconds(),
               (bench::peakBytes() - before) / static_cast<double>(grid.cellCount()), goal);
    return true;
  };
  const OptimiseResult result = optimiseLayout<3>(problem, options, [&](const IterationView& view) {
    return tell("iteration", static_cast<std::size_t>(view.record.iteration), view.record.nominal);
  });
  tell("end", result.history.size(), result.nominal);
}
