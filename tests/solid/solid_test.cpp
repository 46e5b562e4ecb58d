#include <gtest/gtest.h>

#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/shapes/face.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "barelattice/solid/reinterpret.hpp"
#include "solid/sharpen.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

TEST(Sharpen, restoresEdgesAndCornersOfABoxExactly) {
  const ShapePtr box = makeBox({0.03, 0.05, 0.02}, {2.07, 1.52, 1.11});
  const Implicit f = [&](const Vec3& p) { return box->distance(p); };
  const double spacing = 0.21;
  const TriangleMesh blunt = stuff(f, box->bounds(), spacing).boundary();
  const TriangleMesh sharp = sharpenEdges(f, spacing, blunt);
  EXPECT_EQ(inspectMesh(sharp).text(), "sound");
  const double exact = box->bounds().volume();
  EXPECT_LT(std::abs(sharp.volume() / exact - 1), 0.1 * std::abs(blunt.volume() / exact - 1));
  double furthest = 0;
  for (std::size_t t = 0; t < sharp.triangles.size(); ++t)
    for (int k = 0; k < 3; ++k) furthest = std::max(furthest, std::abs(box->distance(sharp.corner(t, k))));
  EXPECT_LT(furthest, 1e-3 * spacing);
}

TEST(Sharpen, followsTheCurvedEdgeOfABore) {
  const ShapePtr plate =
      makeDifference(makeBox({0, 0, 0}, {3, 3, 1}), {makeCylinder({1.5, 1.5, -1}, {1.5, 1.5, 2}, 0.7)});
  const Implicit f = [&](const Vec3& p) { return plate->distance(p); };
  const TriangleMesh sharp = sharpenEdges(f, 0.15, stuff(f, plate->bounds(), 0.15).boundary());
  EXPECT_EQ(inspectMesh(sharp).text(), "sound");
  std::size_t onEdge = 0;
  for (const Vec3& v : sharp.vertices) {
    const double radius = (v - Vec3(1.5, 1.5, v.z())).norm();
    onEdge += std::abs(radius - 0.7) < 1e-3 && (std::abs(v.z()) < 1e-3 || std::abs(v.z() - 1) < 1e-3);
  }
  EXPECT_GT(onEdge, 40U) << "about 2 x 29 spacings round";
}

// Its tangent plane meets the face beyond the edge somewhere else, and vertices that move onto one of the two
// edges must not hide the other.
TEST(Sharpen, keepsBothEdgesBesideASkewFace) {
  const double spacing = 0.11;
  for (const double apart : {0.3, 0.5, 0.7, 0.9, 1.2}) {
    const double x = 1 - apart * spacing;  // here a face at 45 degrees comes down through z = 0
    Extrusion prism;
    prism.outline = {{{1, 1}, {}}, {{0, 1}, {}}, {{0, -x}, {}}, {{x, 0}, {}}, {{1, 0}, {}}};
    prism.second = 2;
    prism.to = 1;
    const ShapePtr body = makeExtrusion(prism);
    const Implicit f = [&](const Vec3& p) { return body->distance(p); };
    const TriangleMesh sharp = sharpenEdges(f, spacing, stuff(f, body->bounds(), spacing).boundary());
    const TriangleTree tree(sharp);
    double furthest = 0;
    for (int i = 100; i <= 900; ++i)
      for (const double edge : {1.0, x})
        furthest = std::max(furthest, tree.nearest({edge, 1e-3 * i, 0}).distance);
    EXPECT_LT(furthest, 0.05 * spacing) << apart;
  }
}

SolidOptions options() {
  SolidOptions options;
  options.spacing = 0.5;
  return options;
}

/// A bar between two bored blocks, with a crumb beside it and a clear that cuts into the bar.
struct Example {
  Regions regions;
  Domain<3> domain;
  std::vector<double> density;
  Patch bore;

  Example() : regions(makeRegions()), domain(sampleRegions<3>(regions, 0.5)) {
    for (std::size_t c = 0; c < domain.grid.cellCount(); ++c) {
      const Vec3 p = domain.grid.cellCentre(c);
      const bool bar = std::abs(p.y() - 5) < 2 && std::abs(p.z() - 4) < 2;
      const bool crumb = (p - Vec3(12, 8.5, 7)).norm() < 1.1;
      density.push_back(domain.keep[c] || bar || crumb ? 1 : 0.02);
    }
    std::vector<Patch> patches;
    regions.keeps[0]->appendPatches(patches);
    for (const Patch& patch : patches)
      if (patch.isHole()) bore = patch;
  }

  static Regions makeRegions() {
    const ShapePtr hole = makeCylinder({3, 5, -1}, {3, 5, 9}, 1.2);
    Regions r;
    r.space = makeBox({0, 0, 0}, {24, 10, 8});
    r.keeps = {makeDifference(makeCylinder({3, 5, 1}, {3, 5, 7}, 2.6), {hole}),
               makeBox({21, 2, 1}, {24, 8, 7})};
    r.clears = {hole, makeCylinder({14, 5, -1}, {14, 5, 9}, 1)};
    return r;
  }
};

TEST(Reinterpret, meetsTheVolumeKeepsTheBoreAndDropsTheCrumb) {
  const Example e;
  const SmoothLayout layout(e.domain, e.density, 1.25);
  const double wanted = 24 * 16 + 60;
  SolidOptions round = options();
  round.chord = 1e-3;
  const Solid solid = reinterpret(layout, e.regions, wanted, round);
  EXPECT_NEAR(solid.volume / wanted, 1, 2e-3);
  EXPECT_EQ(solid.defects.text(), "sound");
  EXPECT_EQ(solid.dropped.pieces, 1U);
  EXPECT_EQ(solid.pieces, 1U);
  const std::filesystem::path path = ownFolder() / "solid.stl";
  writeStl(path, solid.surface);
  const TriangleMesh written = readStl(path);
  EXPECT_EQ(inspectMesh(written).text(), "sound");
  EXPECT_NEAR(written.volume() / wanted, 1, 2e-3);
  const std::optional<Fit> fit = fitOf(written, e.bore, 0.1);
  ASSERT_TRUE(fit.has_value());
  EXPECT_LE(fit->diameter, 2.4 + 1e-6);
  EXPECT_GE(fit->diameter, 2.4 - 2 * round.chord - 1e-6) << "of the pin that passes";
  for (const Vec3& v : written.vertices) {
    EXPECT_LT(e.regions.available(v), 0.01) << "sticks out of the space or into a clear";
  }
}

TEST(Reinterpret, refusesALoosePieceLargerThanACrumb) {
  const Example e;  // the crumb is a ball of about 2.2
  const SmoothLayout layout(e.domain, e.density, 1.25);
  SolidOptions strict = options();
  strict.largestCrumb = 3;
  EXPECT_EQ(reinterpret(layout, e.regions, 24 * 16 + 60, strict).dropped.pieces, 1U);
  strict.largestCrumb = 1.5;
  try {
    reinterpret(layout, e.regions, 24 * 16 + 60, strict);
    FAIL() << "the piece was let go";
  } catch (const RunError& error) {
    EXPECT_NE(std::string(error.what()).find("round (12000, 8500.6"), std::string::npos) << error.what();
  }
}

TEST(Reinterpret, countsThePiecesOfAPartThatFallsApart) {
  Example e;
  for (std::size_t c = 0; c < e.density.size(); ++c)
    if (const double x = e.domain.grid.cellCentre(c).x(); x > 9 && x < 16) e.density[c] = 0;
  const Solid solid = reinterpret(SmoothLayout(e.domain, e.density, 1.25), e.regions, 280, options());
  EXPECT_EQ(solid.pieces, 2U);
}

// Fins too thin for the lattice that was asked for, which only the finer one holds: they are more than the
// bar, so that what they add at one threshold says little about the next.
TEST(Reinterpret, meetsTheVolumeWhereAFinerLatticeHoldsMore) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {8, 3, 6});
  regions.keeps = {makeBox({0, 0, 0}, {1, 3, 6})};
  for (int slot = 0; slot < 3; ++slot)
    regions.clears.push_back(makeBox({1, slot + 0.15, 1}, {9, slot + 0.85, 7}));
  const Domain<3> domain = sampleRegions<3>(regions, 1);
  std::vector<double> level;
  for (std::size_t c = 0; c < domain.grid.cellCount(); ++c)
    level.push_back(domain.keep[c] ? 1 : 1 - domain.grid.cellCentre(c).x() / 8);
  SolidOptions loose = options();
  loose.spacing = 1;
  const SmoothLayout layout(domain, level, 8);
  // The keep, and a stretch of bar and fins, where the layout is denser than the threshold.
  for (const double stretch : {2.0, 4.5}) {
    const double wanted = 18 + stretch * (3 + 5 * 3 * 0.3);
    const Solid solid = reinterpret(layout, regions, wanted, loose);
    EXPECT_LT(solid.spacing, 0.5);
    EXPECT_NEAR(solid.volume / wanted, 1, loose.volumeTolerance);
  }
}

TEST(Reinterpret, saysWhenNoThresholdGivesTheVolume) {
  const Example e;
  EXPECT_THROW(reinterpret(SmoothLayout(e.domain, e.density, 1.25), e.regions, 10, options()), RunError);
}

TEST(Reinterpret, canBeCancelled) {
  const Example e;
  EXPECT_THROW(reinterpret(SmoothLayout(e.domain, e.density, 1.25), e.regions, 450, options(),
                           [](const Progress&) { return false; }),
               Cancelled);
}

TEST(VolumesByMaterial, addUpToTheBodyAndFollowTheRegions) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {6, 2, 2});
  regions.materials = {{makeSphere({0, 1, 1}, 1.5), 1}, {makeBox({4, -1, -1}, {7, 3, 3}), 2, true}};
  const std::vector<double> volumes =
      volumesByMaterial([&](const Vec3& p) { return regions.available(p); }, regions, 0.1);
  ASSERT_EQ(volumes.size(), 3U);
  // The part reaches to x = 7, y and z from -1 to 3.
  EXPECT_NEAR(volumes[2], 3 * 4 * 4, 0.3);
  EXPECT_NEAR(volumes[0] + volumes[1], 4 * 2 * 2, 0.1);
  // Of the half ball what lies in the square of 2: counted on a lattice of points.
  double ball = 0;
  for (double x = 0.005; x < 1.5; x += 0.01)
    for (double y = 0.005; y < 2; y += 0.01)
      for (double z = 0.005; z < 2; z += 0.01)
        ball += x * x + (y - 1) * (y - 1) + (z - 1) * (z - 1) < 2.25 ? 1e-6 : 0;
  EXPECT_NEAR(volumes[1], ball, 0.05);
}

TEST(DropLoosePieces, whatTouchesABondedPartStays) {
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {10, 2, 2});
  regions.materials = {{makeBox({2, 0, 0}, {3, 2, 2}), 1, true}};
  // Three blocks: on either side of the part, and one by itself.
  const auto blocks = makeUnion(
      {makeBox({0, 0, 0}, {2, 2, 2}), makeBox({3, 0, 0}, {5, 2, 2}), makeBox({7, 0, 0}, {9, 2, 2})});
  TetMesh mesh = stuff([&](const Vec3& p) { return blocks->distance(p); }, blocks->bounds(), 0.25);
  std::size_t pieces = 0;
  const Dropped dropped = dropLoosePieces(mesh, regions, pieces);
  EXPECT_EQ(pieces, 2U);
  EXPECT_EQ(dropped.pieces, 1U);
  EXPECT_NEAR(dropped.volume, 8, 0.3);
  EXPECT_NEAR(dropped.largestAt.x(), 8, 0.05);
}

}  // namespace
}  // namespace barelattice
