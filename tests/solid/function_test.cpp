#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "barelattice/solid/solid_function.hpp"

namespace barelattice {
namespace {

Domain<3> blockDomain(const Regions& regions) {
  return sampleRegions<3>(regions, 0.5);
}

Regions block() {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {12, 6, 6});
  return regions;
}

TEST(SmoothLayout, keepsConstantsEverywhereAndBeyondTheDomain) {
  const Domain<3> domain = blockDomain(block());
  const SmoothLayout layout(domain, std::vector<double>(domain.grid.cellCount(), 0.7), 1.25, 3);
  for (const Vec3& p : {Vec3(6, 3, 3), Vec3(0, 0, 0), Vec3(12, 6, 6), Vec3(-0.4, 3, 6.4)})
    EXPECT_NEAR(layout(p), 0.7, 1e-6);
}

TEST(SmoothLayout, aStepCrossesOneHalfWhereTheCellsMeet) {
  const Domain<3> domain = blockDomain(block());
  std::vector<double> density;
  for (std::size_t c = 0; c < domain.grid.cellCount(); ++c)
    density.push_back(domain.grid.cellCentre(c).x() < 5 ? 1 : 0);
  for (const int passes : {0, 1, 3}) {
    const SmoothLayout layout(domain, density, 1.25, passes);
    EXPECT_NEAR(layout({5, 3, 3}), 0.5, 1e-6) << passes;
    EXPECT_GT(layout({4.5, 3, 3}), layout({5.5, 3, 3}));
    // The binomial kernel of n passes has the variance n / 2 cells; check by the first moment of the step's
    // slope.
    double mean = 0;
    double square = 0;
    for (double x = 0.05; x < 12; x += 0.1) {
      const double slope = layout({x - 0.05, 3, 3}) - layout({x + 0.05, 3, 3});
      mean += slope * (x - 5);
      square += slope * (x - 5) * (x - 5);
    }
    EXPECT_NEAR(mean, 0, 1e-3);
    const double trilinear = 0.25 / 12;  // a box one cell wide
    EXPECT_NEAR(square, passes * 0.5 * 0.25 + trilinear, 0.01) << passes;
  }
}

// A wall that stands on a plate: where they meet the fillet is a quarter of a circle; elsewhere, beyond the
// space, and on a plate that nothing stands on, there is none.
TEST(SolidFunction, roundsWhereMembersEndAtKeeps) {
  Regions regions = block();
  regions.keeps = {makeBox({0, 0, 0}, {12, 6, 1})};
  const Domain<3> domain = blockDomain(regions);
  constexpr double kReach = 6;
  std::vector<double> level;  // falls by one over the reach, in step with the distance from the wall at x = 5
  for (std::size_t c = 0; c < domain.grid.cellCount(); ++c)
    level.push_back(
        domain.keep[c] ? 1 : std::clamp(0.5 - (domain.grid.cellCentre(c).x() - 5) / kReach, 0.0, 1.0));
  const SmoothLayout layout(domain, level, kReach);
  for (const double radius : {0.6, 1.0, 1.5}) {
    const Implicit round = solidFunction(layout, regions, 0.5, {0, 0, radius});
    for (const double degrees : {10.0, 45.0, 80.0}) {
      const double a = degrees * M_PI / 180;
      const Vec3 on(5 + radius * (1 - std::cos(a)), 3, 1 + radius * (1 - std::sin(a)));
      EXPECT_NEAR(round(on), 0, 1e-3 * radius) << radius << ", " << degrees;
      EXPECT_GT(round(on + Vec3(0.05, 0, 0.05)), 0);
      EXPECT_LT(round(on - Vec3(0.05, 0, 0.05)), 0);
      EXPECT_GT(round({on.x(), 6.01, on.z()}), 0) << "beyond the space";
    }
    EXPECT_NEAR(round({9, 3, 1.02}), 0.02, 1e-12) << "a bare plate";
    EXPECT_NEAR(round({9, 3, 0.98}), -0.02, 1e-12);
    EXPECT_NEAR(round({4.9, 3, 4}), -0.1, 1e-3) << "the wall above";
  }
  EXPECT_GT(solidFunction(layout, regions, 0.5)({5.1, 3, 1.75}), 0) << "without";
  EXPECT_LT(solidFunction(layout, regions, 0.5, {0, 0, 1.5})({5.1, 3, 1.75}), 0);
}

TEST(SolidFunction, ordersItsParts) {
  Regions regions = block();
  regions.keeps = {makeBox({11, 2, 2}, {14, 4, 4})};
  regions.clears = {makeCylinder({6, 3, -1}, {6, 3, 7}, 1), makeBox({13, 0, 0}, {15, 6, 6})};
  const Domain<3> domain = blockDomain(regions);
  const SmoothLayout full(domain, std::vector<double>(domain.grid.cellCount(), 1.0), 1.25);
  const SmoothLayout none(domain, std::vector<double>(domain.grid.cellCount(), 0.0), 1.25);
  const Implicit solid = solidFunction(full, regions, 0.5);
  const Implicit empty = solidFunction(none, regions, 0.5);
  EXPECT_LT(solid({3, 3, 3}), 0);
  EXPECT_GT(empty({3, 3, 3}), 0) << "no density, no material";
  EXPECT_LT(empty({11.5, 3, 3}), 0) << "a keep stays whatever the layout says";
  EXPECT_LT(solid({12.5, 3, 3}), 0) << "a keep may reach out of the space";
  EXPECT_GT(solid({12.5, 5, 3}), 0) << "the rest may not";
  EXPECT_GT(solid({6, 3, 3}), 0) << "a clear wins over the space";
  EXPECT_GT(solid({13.5, 3, 3}), 0) << "and over a keep";
  EXPECT_NEAR(solid({6.9, 3, 3}), 0.1, 1e-9) << "exact distance to an exact shape";
}

}  // namespace
}  // namespace barelattice
