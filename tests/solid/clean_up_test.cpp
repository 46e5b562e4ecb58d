#include <gtest/gtest.h>

#include <cmath>
#include <functional>

#include "barelattice/shapes/surface_gap.hpp"
#include "barelattice/solid/reinterpret.hpp"

namespace barelattice {
namespace {

/// A block of 40 x 24 x 24 cells read from a function of the cells' places.
struct Block {
  Regions regions;
  Domain<3> domain;
  std::vector<double> level;

  explicit Block(const std::function<bool(const Vec3&)>& solid) {
    regions.space = makeBox({0, 0, 0}, {40, 24, 24});
    domain = sampleRegions<3>(regions, 1);
    for (std::size_t c = 0; c < domain.grid.cellCount(); ++c)
      level.push_back(solid(domain.grid.cellCentre(c)) ? 1 : 0);
  }
  SmoothLayout layout() const { return {domain, level, 2.5}; }
};

TEST(CleanUp, fillsEnclosedVoidsBelowTheSizeOnly) {
  const Block block(
      [](const Vec3& p) { return (p - Vec3(10, 12, 12)).norm() > 2.5 && (p - Vec3(28, 12, 12)).norm() > 5; });
  CleanUpReport report;
  const SmoothLayout layout = block.layout();
  const Implicit f = solidFunction(layout, block.regions, 0.5, {7, 0}, &report);
  EXPECT_EQ(report.voids, 1U);
  EXPECT_GT(report.voidVolume, 20) << "smoothing eats part of the 65 cells of the ball";
  EXPECT_LT(report.voidVolume, 66);
  EXPECT_LT(f({10, 12, 12}), 0);
  EXPECT_GT(f({28, 12, 12}), 0) << "larger than the size";
  EXPECT_GT(solidFunction(layout, block.regions, 0.5)({10, 12, 12}), 0);
}

TEST(CleanUp, leavesVoidsThatOpenOutwardOrIntoAClear) {
  Block block([](const Vec3& p) { return std::hypot(p.y() - 12, p.z() - 12) > 2; });  // a hole right through
  CleanUpReport report;
  const SmoothLayout layout = block.layout();
  solidFunction(layout, block.regions, 0.5, {100, 0}, &report);
  EXPECT_EQ(report.voids, 0U);
  Block inner([](const Vec3& p) { return (p - Vec3(20, 12, 12)).norm() > 3; });
  inner.regions.clears = {makeSphere({20, 12, 12}, 1)};
  const SmoothLayout within = inner.layout();
  solidFunction(within, inner.regions, 0.5, {100, 0}, &report);
  EXPECT_EQ(report.voids, 0U);
}

// Two walls with a gap of three cells on the left and of nine on the right.
TEST(CleanUp, closesGapsBelowTheSizeAndLeavesTheRestAlone) {
  const Block block([](const Vec3& p) {
    const bool lower = p.z() > 3 && p.z() < 9;
    const bool upper = p.z() > (p.x() < 20 ? 12 : 18) && p.z() < 22;
    return lower || upper;
  });
  const SmoothLayout layout = block.layout();
  const Implicit open = solidFunction(layout, block.regions, 0.5);
  const Implicit closed = solidFunction(layout, block.regions, 0.5, {0, 4});
  EXPECT_GT(open({8, 12, 10.5}), 0);
  EXPECT_LT(closed({8, 12, 10.5}), 0);
  EXPECT_GT(closed({32, 12, 13.5}), 0);
  // Where there is no gap the surface stays where it was, to a fraction of a cell.
  double most = 0;
  for (double x = 24; x < 38; x += 0.5)
    for (const double z : {3.0, 9.0, 18.0, 22.0}) {
      double zero = 0;
      for (double d = -0.6; d <= 0.6; d += 0.02)
        if ((closed({x, 12, z + d}) < 0) != (closed({x, 12, z + d + 0.02}) < 0)) zero = d + 0.01;
      most = std::max(most, std::abs(zero));
    }
  EXPECT_LT(most, 0.2);
}

TEST(CleanUp, neverClosesAClear) {
  Block block([](const Vec3& p) { return std::abs(p.z() - 12) > 1.5; });
  block.regions.clears = {makeBox({10, 8, 0}, {14, 16, 24})};
  const SmoothLayout layout = block.layout();
  EXPECT_GT(solidFunction(layout, block.regions, 0.5, {0, 6})({12, 12, 12}), 0);
  EXPECT_LT(solidFunction(layout, block.regions, 0.5, {0, 6})({30, 12, 12}), 0);
}

TEST(Reduction, staysWithinTheDeviationAndSound) {
  const Block block([](const Vec3& p) { return std::hypot(p.y() - 12, p.z() - 12) < 8; });
  SolidOptions options;
  options.spacing = 1;
  const Solid whole = reinterpret(block.layout(), block.regions, 7000, options);
  options.deviation = 0.1;
  const Solid fewer = reinterpret(block.layout(), block.regions, 7000, options);
  EXPECT_EQ(fewer.trianglesBefore, whole.surface.triangles.size());
  EXPECT_LT(3 * fewer.surface.triangles.size(), 2 * whole.surface.triangles.size());
  EXPECT_EQ(fewer.defects.text(), "sound");
  EXPECT_LE(fewer.deviation, 0.1);
  EXPECT_LE(surfaceGap(whole.surface, fewer.surface).largest, 0.1 + 1e-5);
  EXPECT_NEAR(fewer.volume / whole.volume, 1, 5e-3);
}

TEST(Reinterpret, letsTheVolumeGoOnPurpose) {
  const Block block([](const Vec3& p) { return p.x() < 30; });
  SolidOptions options;
  options.spacing = 1;
  options.keepVolume = false;
  options.threshold = 0.5;
  const Solid solid = reinterpret(block.layout(), block.regions, 1, options);
  EXPECT_EQ(solid.threshold, 0.5);
  EXPECT_NEAR(solid.volume / (30 * 24 * 24), 1, 0.01);
}

TEST(FaceCheck, findsTheFacesAndEdgesOfABoxExact) {
  const Block block([](const Vec3&) { return true; });
  SolidOptions options;
  options.spacing = 1.3;
  options.keepVolume = false;
  const Solid solid = reinterpret(block.layout(), block.regions, 1, options);
  EXPECT_EQ(solid.faces.triangles, solid.surface.triangles.size());
  EXPECT_LT(solid.faces.largest, 1e-3);
}

TEST(SheetSolid, isAnExtrudedOutlineOfTheWantedVolume) {
  Regions regions;
  Extrusion plate;
  for (const auto& [x, y] : {std::pair{0.0, 0.0}, {60.0, 0.0}, {60.0, 30.0}, {0.0, 30.0}})
    plate.outline.push_back({{x, y}, {}});
  plate.to = 4;
  plate.endless = true;
  regions.space = makeExtrusion(plate);
  regions.thickness = 4;
  const Domain<2> domain = sampleRegions<2>(regions, 1);
  std::vector<double> level;
  for (std::size_t c = 0; c < domain.grid.cellCount(); ++c) {
    const Point<2> p = domain.grid.cellCentre(c);
    level.push_back(std::clamp(0.5 + 0.2 * (10 - (p - Point<2>(25, 15)).norm()), 0.0, 1.0));
  }
  SolidOptions options;
  options.spacing = 0.5;
  const Solid solid = reinterpret({domain, level, 5}, regions, 1200, options);
  EXPECT_NEAR(solid.volume / 1200, 1, 2e-3);
  EXPECT_EQ(solid.defects.text(), "sound");
  EXPECT_EQ(solid.outline.loops.size(), 1U);
  EXPECT_NEAR(solid.surface.bounds().sizes().z(), 4, 1e-6);
  for (const auto& p : solid.outline.loops[0])
    EXPECT_NEAR((p - Point<2>(25, 15)).norm(), std::sqrt(300 / 3.14159265), 0.1);
}

}  // namespace
}  // namespace barelattice
