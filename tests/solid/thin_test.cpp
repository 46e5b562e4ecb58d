// Gaps and walls of space, keeps and clears that are thinner than the lattice of the surface.

#include <gtest/gtest.h>

#include <cmath>

#include "barelattice/solid/reinterpret.hpp"

namespace barelattice {
namespace {

/// A block of 12 x 6 x 6 cells, all of it solid but for what its regions leave out.
struct Full {
  Regions regions;
  Domain<3> domain;

  Full() {
    regions.space = makeBox({0, 0, 0}, {12, 6, 6});
    for (const double x : {0.0, 11.0}) regions.keeps.push_back(makeBox({x, 2, 2}, {x + 1, 4, 4}));
  }
  Solid solid(double level = 1, double mostCells = 1e6) {
    domain = sampleRegions<3>(regions, 1);
    const std::vector<double> all(domain.grid.cellCount(), level);
    SolidOptions options;
    options.spacing = 1;
    options.keepVolume = false;
    options.chord = 0.002;
    options.mostCells = mostCells;
    return reinterpret(SmoothLayout(domain, all, 2.5), regions, 1, options);
  }
};

ShapePtr turned(ShapePtr shape, const Vec3& about, double angle, const Vec3& axis) {
  return makeTransformed(std::move(shape), Eigen::Isometry3d(Eigen::Translation3d(about) *
                                                             Eigen::AngleAxisd(angle, axis.normalized()) *
                                                             Eigen::Translation3d(-about)));
}

TEST(ThinClear, cutsTheBlockInTwoWhateverItsWidthPlaceAndDirection) {
  for (const double width : {0.4, 1.1, 1.45})
    for (const double at : {5.77, 6.0})
      for (const double angle : {0.0, 0.3, 0.785}) {
        Full block;
        block.regions.clears = {turned(makeBox({at - width / 2, -9, -9}, {at + width / 2, 15, 15}),
                                       {at, 3, 3}, angle, {0.2, 1, 0.4})};
        const Solid solid = block.solid();
        const std::string which = "width " + std::to_string(width) + " at " + std::to_string(at) +
                                  " turned by " + std::to_string(angle);
        EXPECT_EQ(shellVolumes(solid.surface).size(), 2U) << which;
        EXPECT_EQ(solid.defects.text(), "sound") << which;
        // The slit is a sheared box as wide as the block is high and deep.
        const double slit =
            width * 36 /
            std::abs(Eigen::AngleAxisd(angle, Vec3(0.2, 1, 0.4).normalized()).toRotationMatrix()(0, 0));
        EXPECT_NEAR((12 * 36 - solid.volume) / slit, 1, 0.08) << which;
      }
}

TEST(ThinClear, isAHoleWhateverItsDiameter) {
  for (const double radius : {0.2, 0.4, 0.6, 0.75}) {
    Full block;
    block.regions.clears = {makeCylinder({6.2, 3.1, -1}, {6.5, 2.9, 7}, radius)};
    const Solid solid = block.solid();
    const int euler = static_cast<int>(solid.surface.vertices.size()) -
                      static_cast<int>(solid.surface.triangles.size() / 2);
    EXPECT_EQ(euler, 0) << "a block with one hole is a ring; radius " << radius;
    EXPECT_NEAR((12 * 36 - solid.volume) / (M_PI * radius * radius * 6), 1, 0.03) << radius;
  }
}

TEST(ThinKeep, standsWhereTheLayoutIsEmpty) {
  for (const double width : {0.15, 0.4, 0.9}) {
    Full block;
    block.regions.keeps = {makeBox({0, 0, 2.63}, {12, 6, 2.63 + width})};
    const Solid solid = block.solid(0);
    EXPECT_NEAR(solid.volume / (width * 12 * 6), 1, 0.03) << width;
    EXPECT_EQ(solid.defects.text(), "sound") << width;
    EXPECT_EQ(shellVolumes(solid.surface).size(), 1U) << width;
  }
}

TEST(FarFromTheOrigin, aSolidIsWhatItIsNearIt) {
  // A plate with a round and a narrow hole, 24 mm long. Single precision tells places apart to 0.016 mm
  // there.
  const auto read = [](const Vec3& place, double deviation) {
    Regions regions;
    regions.space = makeBox(place, place + Vec3(0.024, 0.012, 0.006));
    regions.keeps = {makeBox(place, place + Vec3(0.002, 0.012, 0.006))};
    regions.clears = {makeCylinder(place + Vec3(0.016, 0.006, -1), place + Vec3(0.016, 0.006, 1), 0.004),
                      makeCylinder(place + Vec3(0.007, 0.006, -1), place + Vec3(0.007, 0.006, 1), 0.0004)};
    const Domain<3> domain = sampleRegions<3>(regions, 0.001);
    SolidOptions options;
    options.spacing = 0.001;
    options.keepVolume = false;
    options.chord = 2e-5;
    options.deviation = deviation;
    return reinterpret(SmoothLayout(domain, std::vector<double>(domain.grid.cellCount(), 1.0), 0.0025),
                       regions, 1, options);
  };
  for (const double deviation : {0.0, 2e-5}) {
    const Solid near = read(Vec3::Zero(), deviation);
    EXPECT_LT(near.surface.triangles.size(), near.trianglesBefore / 5) << "left out round the holes only";
    for (const Vec3& place : {Vec3(17, 0, -3), Vec3(-100, 100, 100), Vec3(240, -120, 240)}) {
      const Solid far = read(place, deviation);
      EXPECT_EQ(far.origin, place);
      EXPECT_EQ(far.defects.text(), "sound");
      EXPECT_NEAR(far.volume / near.volume, 1, 1e-4);
      EXPECT_LT(far.faces.largest, 2e-5);
      EXPECT_NEAR(static_cast<double>(far.surface.triangles.size()) /
                      static_cast<double>(near.surface.triangles.size()),
                  1, 0.2);
    }
  }
}

TEST(ThinSheet, keepsASlitOfItsClears) {
  Regions regions;
  Extrusion plate;
  for (const auto& [x, y] : {std::pair{0.0, 0.0}, {40.0, 0.0}, {40.0, 20.0}, {0.0, 20.0}})
    plate.outline.push_back({{x, y}, {}});
  plate.to = 2;
  plate.endless = true;
  regions.space = makeExtrusion(plate);
  regions.thickness = 2;
  Extrusion slit = plate;
  slit.outline = {{{20.1, -1}, {}}, {{20.25, -1}, {}}, {{21.25, 21}, {}}, {{21.1, 21}, {}}};
  regions.clears = {makeExtrusion(slit)};
  Extrusion ends = plate;
  ends.outline = {{{0, 8}, {}}, {{2, 8}, {}}, {{2, 12}, {}}, {{0, 12}, {}}};
  regions.keeps = {makeExtrusion(ends)};
  for (OutlineCorner& corner : ends.outline) corner.point.x() += 38;
  regions.keeps.push_back(makeExtrusion(ends));
  const Domain<2> domain = sampleRegions<2>(regions, 1);
  const std::vector<double> all(domain.grid.cellCount(), 1.0);
  SolidOptions options;
  options.spacing = 0.5;
  options.keepVolume = false;
  const Solid solid = reinterpret(SmoothLayout(domain, all, 2.5), regions, 1, options);
  EXPECT_EQ(solid.outline.loops.size(), 2U);
  EXPECT_NEAR(1600 - solid.volume, 0.15 * 20 * 2, 0.1);
}

// A lattice for this would have 4e12 cubes: what it misses is told instead.
TEST(ThinClear, tooThinForAnyLatticeIsTold) {
  Full block;
  block.regions.space = makeBox({0, 0, 0}, {12, 3, 3});
  block.regions.clears = {makeBox({6, -1, -1}, {6.002, 7, 7})};
  const Solid solid = block.solid(1, 2e4);
  EXPECT_GT(solid.faces.missing, 0.5 * 2 * 9) << "both sides, but for a spacing along their edges";
  EXPECT_LT(solid.faces.missing, 2 * 9);
  EXPECT_NEAR(solid.faces.largest, 1.5, 0.2) << "the middle of the slit is that far from any surface";
  EXPECT_NEAR(solid.faces.largestAt.x(), 6, 0.01);
}

// The same block without thin places is read on the lattice that was asked for, sharp edges or not.
TEST(ThinPlaces, areNotSeenWhereThereAreNone) {
  Full block;
  block.regions.clears = {turned(makeBox({6, 3, -5}, {30, 20, 20}), {6, 3, 3}, 0.4, {1, 2, 3})};
  EXPECT_EQ(block.solid().spacing, 1);
}

// What is left of a layout beside a bonded part is a film that no lattice holds, and no wall of the brief.
TEST(ThinPlaces, areNoneWhereTheLayoutEndsThem) {
  Full block;
  const ShapePtr insert = makeCylinder({6, 3, -1}, {6, 3, 7}, 1.5);
  block.regions.materials = {{insert, 1, true}};
  block.domain = sampleRegions<3>(block.regions, 1);
  std::vector<double> level;
  for (std::size_t c = 0; c < block.domain.grid.cellCount(); ++c)
    level.push_back(insert->distance(block.domain.grid.cellCentre(c)) < 0.45 ? 1 : 0);
  SolidOptions options;
  options.spacing = 1;
  options.keepVolume = false;
  const Solid solid = reinterpret(SmoothLayout(block.domain, level, 2.5), block.regions, 1, options);
  EXPECT_EQ(solid.faces.missing, 0);
}

}  // namespace
}  // namespace barelattice
