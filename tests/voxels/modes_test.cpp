#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/voxels/natural_modes.hpp"
#include "support/grids.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;

// Poisson's ratio zero, so that neither clamps nor bending change the section: beam theory is then the limit.
const Material kMaterial{"test", 70e9, 0, 2700, 240e6};

std::vector<double> massOf(const Grid<3>& grid, const std::function<double(const Index<3>&)>& density) {
  std::vector<double> mass(grid.cellCount());
  for (std::size_t c = 0; c < mass.size(); ++c)
    mass[c] = kMaterial.density * std::pow(grid.frame().size, 3) * vibratingShare(density(grid.cellIndex(c)));
  return mass;
}

double full(const Index<3>&) {
  return 1;
}

/// A bar along x, clamped at x = 0, `high` by `high` cells, twenty times as long.
struct Cantilever {
  explicit Cantilever(int high)
      : grid(testing::boxGrid<3>({20 * high, high, high}, 0.02 / high)),
        model(grid, kMaterial, testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; })) {}
  static constexpr double kLength = 0.4;
  static constexpr double kHeight = 0.02;
  Grid<3> grid;
  ElasticModel<3> model;
};

/// Euler and Bernoulli. Shear and rotation take about 2 permille off at this slenderness.
double bendingFrequency() {
  const double inertia = std::pow(Cantilever::kHeight, 4) / 12;
  const double area = Cantilever::kHeight * Cantilever::kHeight;
  const double root = 1.875104;
  return root * root / (2 * kPi) *
         std::sqrt(kMaterial.modulus * inertia /
                   (kMaterial.density * area * std::pow(Cantilever::kLength, 4)));
}

TEST(NaturalModes, cantileverBendsAsBeamTheorySays) {
  std::vector<double> frequencies;
  for (const int high : {4, 8, 16}) {
    Cantilever bar(high);
    const NaturalModes found = findNaturalModes(bar.model, massOf(bar.grid, full), {3, 1e-8, 200});
    ASSERT_TRUE(found.converged);
    EXPECT_LT(found.iterations, 60);
    // Both bending directions are alike.
    EXPECT_NEAR(found.modes[0].frequency / found.modes[1].frequency, 1, 1e-6);
    frequencies.push_back(found.modes[0].frequency);
  }
  EXPECT_NEAR(frequencies[2] / bendingFrequency(), 1, 0.005);
  EXPECT_NEAR(std::log2((frequencies[0] - frequencies[1]) / (frequencies[1] - frequencies[2])), 2, 0.2);
}

// Stretching along x: a quarter wave, f = sqrt(E / rho) / 4 L, the first of that kind.
TEST(NaturalModes, aBarThatMayOnlyStretchHasAQuarterWave) {
  const Grid<3> grid = testing::boxGrid<3>({40, 2, 2}, 0.01);
  std::vector<std::size_t> held;
  for (int c = 0; c < 3; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (c > 0 || grid.nodeIndex(n)[0] == 0) held.push_back(gridDof(grid, n, c));
  ElasticModel<3> model(grid, kMaterial, held);
  const NaturalModes found = findNaturalModes(model, massOf(grid, full), {2, 1e-10, 200});
  ASSERT_TRUE(found.converged);
  const double theory = std::sqrt(kMaterial.modulus / kMaterial.density) / (4 * 0.4);
  EXPECT_NEAR(found.modes[0].frequency / theory, 1, 1e-3);
  EXPECT_NEAR(found.modes[1].frequency / theory, 3, 5e-3);
}

// A square plate whose edges are held across and along themselves but may turn. Navier's waves solve the
// plate with shear (Mindlin 1951) as well: with q = pi^2 (m^2 + n^2) / a^2,
//   (2 pi f)^2 = D q^2 / rho t / (1 + q (D / k G t + t^2 / 12)), k = 5/6, but for terms of higher order.
TEST(NaturalModes, simplySupportedPlateFollowsMindlin) {
  constexpr int kCells = 60;
  constexpr int kThick = 4;
  constexpr double kSide = 0.3;
  const double h = kSide / kCells;
  const Grid<3> grid = testing::boxGrid<3>({kCells, kCells, kThick}, h);
  std::vector<std::size_t> held;
  for (int c = 0; c < 3; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      const Index<3>& i = grid.nodeIndex(n);
      const bool edgeX = i[0] == 0 || i[0] == kCells;
      const bool edgeY = i[1] == 0 || i[1] == kCells;
      // In bending the middle plane stays where it is, but across; held so, it has no other low modes.
      const bool middle = i[2] == kThick / 2;
      if ((c == 0 && (edgeY || middle)) || (c == 1 && (edgeX || middle)) || (c == 2 && (edgeX || edgeY)))
        held.push_back(gridDof(grid, n, c));
    }
  ElasticModel<3> model(grid, kMaterial, held);
  const NaturalModes found = findNaturalModes(model, massOf(grid, full), {3, 1e-6, 300});
  ASSERT_TRUE(found.converged);
  const double t = kThick * h;
  const double bending = kMaterial.modulus * t * t * t / 12;
  const double shear = 5.0 / 6 * kMaterial.modulus / 2 * t;
  const auto theory = [&](int m, int n) {
    const double q = kPi * kPi * (m * m + n * n) / (kSide * kSide);
    return std::sqrt(bending * q * q / (kMaterial.density * t) / (1 + q * (bending / shear + t * t / 12))) /
           (2 * kPi);
  };
  // Four layers of bricks are 3 percent too stiff in bending, 1.5 percent in frequency.
  EXPECT_NEAR(found.modes[0].frequency / theory(1, 1), 1.015, 0.01);
  EXPECT_NEAR(found.modes[1].frequency / theory(1, 2), 1.015, 0.01);
  EXPECT_NEAR(found.modes[2].frequency / theory(1, 2), 1.015, 0.01);
}

bool inBar(const Index<3>& i) {
  return i[1] >= 4 && i[1] < 8 && i[2] >= 4 && i[2] < 8;
}

/// The cantilever of four cells in the middle of a box three times as wide and high.
struct BoxedBar {
  Cantilever bar{4};
  NaturalModes alone = findNaturalModes(bar.model, massOf(bar.grid, full), {3, 1e-8, 200});
  Grid<3> grid = testing::boxGrid<3>({80, 12, 12}, 0.005);
  ElasticModel<3> model{grid, kMaterial,
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; })};
};

// The same bar in a box of empty material: its frequencies, not the box's.
TEST(NaturalModes, emptyMaterialAddsNoneOfItsOwn) {
  BoxedBar box;
  const Grid<3>& grid = box.grid;
  std::vector<double> shares(grid.cellCount());
  for (std::size_t c = 0; c < shares.size(); ++c) shares[c] = inBar(grid.cellIndex(c)) ? 1 : 1e-9;
  box.model.setRelativeModuli(shares);
  const NaturalModes boxed = findNaturalModes(
      box.model, massOf(grid, [&](const Index<3>& i) { return inBar(i) ? 1.0 : 0.001; }), {3, 1e-8, 300});
  ASSERT_TRUE(boxed.converged);
  for (std::size_t i = 0; i < 3; ++i)
    EXPECT_NEAR(boxed.modes[i].frequency / box.alone.modes[i].frequency, 1, 1e-4) << "mode " << i;
}

// The bar in a box of light material: whatever its density, the box has no lower frequencies than a full one,
// three times those of the bar, and adds its stiffness and mass to the bar's: at most 8.1 and 0.9 % of it.
TEST(NaturalModes, lightMaterialAddsNoneOfItsOwn) {
  BoxedBar box;
  const Grid<3>& grid = box.grid;
  for (const double density : {0.02, 0.05, 0.075, 0.1}) {
    std::vector<double> shares(grid.cellCount());
    for (std::size_t c = 0; c < shares.size(); ++c)
      shares[c] = inBar(grid.cellIndex(c)) ? 1 : std::pow(density, 3);
    box.model.setRelativeModuli(shares);
    const NaturalModes boxed = findNaturalModes(
        box.model, massOf(grid, [&](const Index<3>& i) { return inBar(i) ? 1.0 : density; }), {3, 1e-8, 300});
    ASSERT_TRUE(boxed.converged) << density;
    for (std::size_t i = 0; i < 3; ++i) {
      EXPECT_NEAR(boxed.modes[i].frequency / box.alone.modes[i].frequency, 1,
                  1e-3 + 45 * std::pow(density, 3))
          << "mode " << i << " at " << density;
      EXPECT_EQ(boxed.modes[i].loose, 0);
    }
  }
}

TEST(NaturalModes, tellOfIslands) {
  const auto inIsland = [](const Index<3>& i) { return i[0] >= 60 && i[0] < 66 && i[1] < 2 && i[2] < 3; };
  BoxedBar box;
  const Grid<3>& grid = box.grid;
  std::vector<double> shares(grid.cellCount());
  for (std::size_t c = 0; c < shares.size(); ++c)
    shares[c] = inBar(grid.cellIndex(c)) || inIsland(grid.cellIndex(c)) ? 1 : 1e-9;
  box.model.setRelativeModuli(shares);
  const NaturalModes found = findNaturalModes(
      box.model, massOf(grid, [&](const Index<3>& i) { return inBar(i) || inIsland(i) ? 1.0 : 0.001; }),
      {8, 1e-6, 600});
  ASSERT_TRUE(found.converged);
  for (std::size_t i = 0; i < 6; ++i) {
    EXPECT_GT(found.modes[i].loose, 0.99) << "the island's six motions, mode " << i;
    EXPECT_LT(found.modes[i].frequency, 0.2 * box.alone.modes[0].frequency);
  }
  for (std::size_t i = 0; i < 2; ++i) {
    EXPECT_LT(found.modes[6 + i].loose, 0.01);
    EXPECT_NEAR(found.modes[6 + i].frequency / box.alone.modes[i].frequency, 1, 1e-3);
  }
}

TEST(VibratingShare, isTheDensityOfWhatIsSolidAndTheStiffnessOfWhatIsLight) {
  for (const double d : {0.5, 0.8, 1.0}) EXPECT_DOUBLE_EQ(vibratingShare(d), d);
  for (const double d : {1e-3, 0.05, 0.1}) EXPECT_NEAR(vibratingShare(d) / std::pow(d, 3), 1, 1e-12);
  for (double d = 0.01; d < 1; d += 0.01) EXPECT_GT(vibratingShare(d + 0.01), vibratingShare(d)) << d;
}

TEST(NaturalModes, refuseWhatHasNone) {
  const Grid<3> grid = testing::boxGrid<3>({2, 1, 1});
  ElasticModel<3> model(grid, kMaterial,
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  EXPECT_THROW(findNaturalModes(model, std::vector<double>(2, 0.0), {}), InputError);
  EXPECT_THROW(findNaturalModes(model, std::vector<double>(2, 1.0), {30, 1e-6, 10}), InputError);
}

}  // namespace
}  // namespace barelattice
