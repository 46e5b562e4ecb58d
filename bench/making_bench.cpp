// What making rules cost at a million voxels, forward and back, beside the filter and one solve in the same
// run.

#include <benchmark/benchmark.h>

#include <cmath>
#include <memory>
#include <numbers>
#include <random>
#include <vector>

#include "barelattice/layout/density_filter.hpp"
#include "barelattice/layout/directed_maps.hpp"
#include "barelattice/layout/open_voids_map.hpp"
#include "barelattice/layout/symmetry.hpp"
#include "barelattice/optimise/local_fill.hpp"

namespace {

using namespace barelattice;

constexpr double kDegree = std::numbers::pi / 180;

const Grid<3>& million() {
  static const Grid<3> grid = [] {
    GridFrame<3> frame;
    frame.cells = {150, 100, 67};
    return Grid<3>(frame, std::vector<std::uint8_t>(frame.boxCells(), 1));
  }();
  return grid;
}

/// A level as a filter leaves it.
const std::vector<double>& level() {
  static const std::vector<double> field = [] {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> value(0, 1);
    std::vector<double> rough(million().cellCount());
    for (double& v : rough) v = value(random) > 0.7;
    std::vector<double> smooth(rough.size());
    DensityFilter<3>(million(), std::vector<double>(rough.size(), 1.0), 3.4, FilterBoundary::empty)
        .forward(rough, smooth);
    return smooth;
  }();
  return field;
}

std::shared_ptr<const LayoutMap> mapOf(int which) {
  const Grid<3>& grid = million();
  const Point<3> x = Point<3>::UnitX(), y = Point<3>::UnitY(), z = Point<3>::UnitZ();
  const auto access = [&](std::vector<Point<3>> sides, double draft) {
    return std::make_shared<AccessMap<3>>(grid, AccessMap<3>::Options{std::move(sides), draft, {}});
  };
  switch (which) {
    case 0:
      return std::make_shared<DensityFilter<3>>(grid, std::vector<double>(grid.cellCount(), 1.0), 3.4,
                                                FilterBoundary::empty);
    case 1:
      return symmetryMap(grid, Symmetry({MirrorPlane{y, 50}}, 1e-5));
    case 2:
      return symmetryMap(grid, Symmetry({RepeatRound{z, {75, 50, 0}, 6}}, 1e-5));
    case 3:
      return access({z}, 0);
    case 4:
      return access({z, -z}, 2 * kDegree);
    case 5:
      return access({z, x, -x, y, -y}, 0);
    case 6:
      return std::make_shared<PrintMap<3>>(grid, z, 45 * kDegree);
    case 7:
      return std::make_shared<AccessMap<3>>(grid,
                                            AccessMap<3>::Options{{z, -z}, 0, {}, Tool{6, 1, 0, 30, 20}});
    case 8:
      return std::make_shared<OpenVoidsMap<3>>(grid, 0);
    default:
      return std::make_shared<OpenVoidsMap<3>>(grid, 4);
  }
}
constexpr const char* kNames[] = {"filter, 3.4 cells",
                                  "mirror",
                                  "six round an axis, off the grid",
                                  "cast, one side",
                                  "cast, two sides, 2 deg",
                                  "mill, five sides",
                                  "print, 45 deg",
                                  "mill, two sides, a tool of 6 cells and its holder of 20",
                                  "drain, any way",
                                  "drain, a ball of 4 cells"};

void makingForward(benchmark::State& state) {
  const auto map = mapOf(static_cast<int>(state.range(0)));
  std::vector<double> out(level().size());
  for (auto _ : state) map->forward(level(), out);
  state.SetLabel(kNames[state.range(0)]);
}
BENCHMARK(makingForward)->DenseRange(0, 9)->UseRealTime()->Unit(benchmark::kMillisecond);

void makingBackward(benchmark::State& state) {
  const auto map = mapOf(static_cast<int>(state.range(0)));
  std::vector<double> out(level().size()), back(level().size());
  map->forward(level(), out);
  for (auto _ : state) map->backward(level(), out, level(), back);
  state.SetLabel(kNames[state.range(0)]);
}
BENCHMARK(makingBackward)->DenseRange(0, 9)->UseRealTime()->Unit(benchmark::kMillisecond);

void localShare(benchmark::State& state) {
  const LocalFill<3> fill(million(), std::vector<double>(million().cellCount(), 1.0), {}, 12);
  for (auto _ : state) benchmark::DoNotOptimize(fill.value(level()));
}
BENCHMARK(localShare)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace
