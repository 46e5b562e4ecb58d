#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/layout/cell_maps.hpp"
#include "barelattice/layout/density_filter.hpp"
#include "barelattice/layout/making.hpp"
#include "barelattice/layout/orbit_average.hpp"
#include "support/difference.hpp"
#include "support/grids.hpp"
#include "support/random_field.hpp"

namespace barelattice {
namespace {

using testing::randomField;

const Grid<3>& holedGrid() {
  static const Grid<3> grid =
      testing::gridWhere<3>({21, 8, 6}, 0.5, [](const Index<3>& i) { return (i[0] + i[1] * i[2]) % 9 != 0; });
  return grid;
}

double weightBetween(const Grid<3>& grid, std::size_t a, std::size_t b, double radius) {
  return std::max(0.0, radius - (grid.cellCentre(a) - grid.cellCentre(b)).norm());
}

TEST(DensityFilter, equalsItsDefinition) {
  const Grid<3>& grid = holedGrid();
  const double radius = 1.4;
  const std::vector<double> fill = randomField(grid.cellCount(), 1);
  const std::vector<double> in = randomField(grid.cellCount(), 2);
  std::vector<double> out(in.size());
  DensityFilter<3>(grid, fill, radius, FilterBoundary::reflecting).forward(in, out);
  for (std::size_t i = 0; i < in.size(); i += 7) {
    double sum = 0;
    double weights = 0;
    for (std::size_t j = 0; j < in.size(); ++j) {
      const double w = weightBetween(grid, i, j, radius) * fill[j];
      sum += w * in[j];
      weights += w;
    }
    EXPECT_NEAR(out[i], sum / weights, 1e-13);
  }
}

// Against the library's hyperbolic tangent, from slopes that leave everything as it is to steps.
TEST(Projection, equalsItsDefinition) {
  std::vector<double> in;
  for (int i = 0; i <= 5000; ++i) in.push_back(i / 5000.0);
  std::vector<double> out(in.size());
  std::vector<double> back(in.size());
  const std::vector<double> ones(in.size(), 1.0);
  for (const double sharpness : {1e-3, 1.0, 8.0, 32.0, 1000.0})
    for (const double threshold : {0.25, 0.5, 0.75}) {
      const Projection map(sharpness, threshold);
      map.forward(in, out);
      map.backward(in, out, ones, back);
      const double low = std::tanh(sharpness * threshold);
      const double range = low + std::tanh(sharpness * (1 - threshold));
      for (std::size_t i = 0; i < in.size(); ++i) {
        const double t = std::tanh(sharpness * (in[i] - threshold));
        EXPECT_NEAR(out[i], (low + t) / range, 1e-15 / range) << sharpness << ", " << in[i];
        EXPECT_NEAR(back[i], sharpness * (1 - t * t) / range, 1e-15 * sharpness / range)
            << sharpness << ", " << in[i];
      }
    }
}

TEST(DensityFilter, treatsTheBoundaryAsAsked) {
  const Grid<2> grid = testing::boxGrid<2>({12, 12});
  const std::vector<double> ones(grid.cellCount(), 1.0);
  std::vector<double> out(ones.size());
  DensityFilter<2>(grid, ones, 3, FilterBoundary::reflecting).forward(ones, out);
  for (const double v : out) EXPECT_NEAR(v, 1, 1e-14);
  DensityFilter<2>(grid, ones, 3, FilterBoundary::empty).forward(ones, out);
  EXPECT_NEAR(out[static_cast<std::size_t>(grid.cellAt({6, 6}))], 1, 1e-14);
  EXPECT_LT(out[static_cast<std::size_t>(grid.cellAt({0, 6}))], 0.75);
  EXPECT_LT(out[static_cast<std::size_t>(grid.cellAt({0, 0}))], 0.5);
}

/// Compares backward with central differences of a random weighted sum of the outputs.
void expectExactGradient(const LayoutMap& map, std::size_t count) {
  const std::vector<double> weight = randomField(count, 5);
  std::vector<double> in = randomField(count, 6);
  std::vector<double> out(count), gradient(count);
  const auto value = [&] {
    map.forward(in, out);
    return std::inner_product(out.begin(), out.end(), weight.begin(), 0.0);
  };
  map.forward(in, out);
  map.backward(in, out, weight, gradient);
  const double step = 1e-5;
  for (std::size_t i = 0; i < count; i += count / 11) {
    const double old = in[i];
    in[i] = old + step;
    const double above = value();
    in[i] = old - step;
    const double below = value();
    in[i] = old;
    EXPECT_NEAR(gradient[i], (above - below) / (2 * step), 1e-7) << "entry " << i << ", seeds 5 and 6";
  }
}

TEST(LayoutMaps, haveExactGradients) {
  const Grid<3>& grid = holedGrid();
  const std::size_t n = grid.cellCount();
  for (const FilterBoundary boundary : {FilterBoundary::reflecting, FilterBoundary::empty})
    expectExactGradient(DensityFilter<3>(grid, randomField(n, 1), 1.4, boundary), n);
  expectExactGradient(Projection(8, 0.4), n);
  const Symmetry mirrors({MirrorPlane{Vec3::UnitY(), 2.0}, MirrorPlane{Vec3::UnitZ(), 1.5}}, 1e-6);
  expectExactGradient(*symmetryMap(grid, mirrors), n);
  std::vector<std::uint8_t> keep(n, 0);
  std::fill_n(keep.begin(), n / 3, 1);
  expectExactGradient(KeepSolid(keep), n);
}

/// A map whose way back reads both what came in and what it made.
class Product final : public LayoutMap {
 public:
  void forward(std::span<const double> in, std::span<double> out) const override {
    for (std::size_t i = 0; i < in.size(); ++i) out[i] = in[i] * in[(i + 1) % in.size()];
  }
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override {
    for (std::size_t i = 0; i < in.size(); ++i) {
      const std::size_t before = (i + in.size() - 1) % in.size();
      gradientIn[i] = gradientOut[i] * out[i] / in[i] + gradientOut[before] * in[before];
    }
  }
};

// A chain keeps no field; wherever in it a map stands that reads some, the derivative is exact.
TEST(LayoutChain, isExactWhateverItsMapsRead) {
  const Grid<3>& grid = holedGrid();
  const std::size_t n = grid.cellCount();
  const auto filter =
      std::make_shared<DensityFilter<3>>(grid, std::vector<double>(n, 1.0), 1.4, FilterBoundary::reflecting);
  const auto project = std::make_shared<Projection>(3);
  const auto product = std::make_shared<Product>();
  const std::vector<std::vector<std::shared_ptr<const LayoutMap>>> chains{
      {},
      {filter},
      {product},
      {filter, product},
      {product, filter},
      {project, product, filter},
      {filter, project, filter, product, project},
      {project, filter}};
  for (const auto& maps : chains) {
    LayoutChain chain;
    for (const auto& map : maps) chain.append(map);
    const std::vector<double> weight = randomField(n, 5);
    const auto value = [&](const std::vector<double>& in) {
      const std::vector<double> out = chain.forward(in);
      return std::inner_product(out.begin(), out.end(), weight.begin(), 0.0);
    };
    const std::vector<double> in = randomField(n, 6);
    const std::vector<double> gradient =
        chain.backward(chain.readsInput() ? std::span<const double>(in) : std::span<const double>(), weight);
    SCOPED_TRACE(std::to_string(maps.size()) + " maps, seeds 5 and 6");
    testing::expectGradient(value, in, gradient, n / 11, 1e-3, 1e-9);
  }
}

TEST(Projection, keepsTheEndsAndSharpens) {
  const std::vector<double> in{0, 0.3, 0.5, 0.7, 1};
  std::vector<double> out(in.size());
  Projection(32).forward(in, out);
  EXPECT_NEAR(out[0], 0, 1e-15);
  EXPECT_LT(out[1], 1e-5);
  EXPECT_NEAR(out[2], 0.5, 1e-12);
  EXPECT_NEAR(out[4], 1, 1e-15);
}

// A quarter turn of a square: orbits of four; an average does not change what is an average already, keeps
// the sum, and is the same turned by a quarter.
TEST(OrbitAverage, servesARotation) {
  const int n = 8;
  const Grid<2> grid = testing::boxGrid<2>({n, n});
  std::vector<int> turn(grid.cellCount());
  for (std::size_t c = 0; c < turn.size(); ++c) {
    const Index<2>& at = grid.cellIndex(c);
    turn[c] = grid.cellAt({n - 1 - at[1], at[0]});
  }
  const std::shared_ptr<const LayoutMap> map =
      symmetryMap(grid, Symmetry({RepeatRound{Vec3::UnitZ(), {0.5 * n, 0.5 * n, 0}, 4}}, 1e-6));
  const LayoutMap& average = *map;
  const std::vector<double> in = randomField(turn.size(), 3);
  std::vector<double> out(in.size()), again(in.size());
  average.forward(in, out);
  average.forward(out, again);
  EXPECT_NEAR(std::accumulate(in.begin(), in.end(), 0.0), std::accumulate(out.begin(), out.end(), 0.0),
              1e-12);
  for (std::size_t c = 0; c < out.size(); ++c) {
    EXPECT_EQ(out[c], out[static_cast<std::size_t>(turn[c])]);
    EXPECT_NEAR(again[c], out[c], 1e-15);
  }
}

TEST(Making, needsOneRuleOnWalls) {
  const Grid<2> grid = testing::boxGrid<2>({4, 4});
  const std::vector<double> fill(grid.cellCount(), 1.0);
  EXPECT_THROW(mapsOf<2>({}, grid, fill, {}, {}), InputError);
  EXPECT_THROW(mapsOf<2>({Walls{2}, Walls{3}}, grid, fill, {}, {}), InputError);
  EXPECT_NO_THROW(mapsOf<2>({MirrorPlane{Vec3::UnitX(), 2}, Walls{2}}, grid, fill, {}, {}));
}

}  // namespace
}  // namespace barelattice
