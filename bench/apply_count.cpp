// Applies the single-precision operator to a block of voxels a number of times, for counting instructions:
//   apply_count REPETITIONS      prints the number of voxels

#include <fmt/format.h>

#include <cstdlib>

#include "barelattice/base/thread_limit.hpp"
#include "layout.hpp"
#include "voxels/voxel_operator.hpp"

int main(int argc, char** argv) {
  using namespace barelattice;
  const int repetitions = argc > 1 ? std::atoi(argv[1]) : 0;
  const ThreadLimit alone(1);  // idle threads count instructions too
  const Grid<3> grid = bench::block(24);
  const VoxelOperator<3> a(grid, 0.3, {});
  std::vector<float> x(a.size(), 1.0F);
  double sum = 0;
  for (int i = 0; i < repetitions; ++i)
    a.sweep<float>(Fields<const float>{x},
                   [&](const SweptNodes<3, float>& swept) { sum += static_cast<double>(swept.y[0][0]); });
  fmt::print("{}\n", grid.cellCount());
  return sum < 1e30 ? 0 : 1;
}
