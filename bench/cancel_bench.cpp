// How soon a step stops when it is asked to: the longest time between two questions whether to go on.
//   bench_cancel N    on a cantilever of 3 n / 2 x n x 4 n / 3 voxels

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <string>

#include "barelattice/base/error.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "cantilever.hpp"

int main(int count, char** arguments) {
  using namespace barelattice;
  if (count != 2) return 2;
  const Grid<3> grid = bench::block(std::atoi(arguments[1]));
  const LayoutProblem<3> problem = bench::cantilever(grid, 1);
  OptimiseOptions options;
  Stopwatch since;
  double longest = 0;
  double sum = 0;
  int asked = 0;
  std::string before = "start", where;
  options.progress = [&](const Progress& progress) {
    const double passed = asked > 0 ? since.seconds() : 0;
    if (passed > longest) where = before + " to " + progress.stage;
    longest = std::max(longest, passed);
    sum += passed;
    before = progress.stage;
    ++asked;
    since = Stopwatch();
    return asked < 300;
  };
  try {
    optimiseLayout<3>(problem, options);
  } catch (const Cancelled&) {
  }
  fmt::print(R"({{"voxels":{},"questions":{},"mean_seconds":{:.3f},"longest_seconds":{:.3f},"where":"{}"}})"
             "\n",
             grid.cellCount(), asked, sum / asked, longest, where);
}
