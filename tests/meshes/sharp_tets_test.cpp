#include "barelattice/meshes/sharp_tets.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "barelattice/shapes/shape.hpp"
#include "meshes/sheet_mesh.hpp"

namespace barelattice {
namespace {

using std::numbers::pi;

Eigen::Isometry3d turned(double angle, const Vec3& axis) {
  Eigen::Isometry3d turn = Eigen::Isometry3d::Identity();
  turn.rotate(Eigen::AngleAxisd(angle, axis.normalized()));
  return turn;
}

struct Sharp {
  TetMesh before;
  TetMesh after;
  double leastAngle = 180;
};

Sharp sharpened(const ShapePtr& shape, double spacing, const std::vector<SurfacePart>& parts = {}) {
  const Implicit f = [&](const Vec3& p) { return shape->distance(p); };
  Sharp s{stuff(f, shape->bounds(), spacing, FeatherEdges::trimmed), {}};
  s.after = s.before;
  sharpenTets(s.after, f, spacing, parts);
  EXPECT_TRUE(inspectTopology(s.after.boundary()).sound());
  for (std::size_t t = 0; t < s.after.tets.size(); ++t)
    s.leastAngle = std::min(s.leastAngle, dihedralRange(s.after, t)[0]);
  EXPECT_GE(s.leastAngle, 2);
  return s;
}

double areaOn(const TetMesh& mesh, const SurfacePart& part) {
  double area = 0;
  const TriangleMesh surface = mesh.boundary();
  for (std::size_t t = 0; t < surface.triangles.size(); ++t) {
    const Vec3& a = surface.corner(t, 0);
    const Vec3& b = surface.corner(t, 1);
    const Vec3& c = surface.corner(t, 2);
    const Vec3 twice = (b - a).cross(c - a);
    const Vec3 centre = (a + b + c) / 3;
    if (part.covers(a) && part.covers(b) && part.covers(c) && part.covers(centre) &&
        part.along(centre, twice.stableNormalized()))
      area += 0.5 * twice.norm();
  }
  return area;
}

// Boxes lying askew in the lattice, at many resolutions: all but a few places of their twelve edges.
TEST(SharpTets, restoreTheEdgesOfBoxes) {
  const Vec3 size(0.05, 0.03, 0.02);
  for (const double angle : {0.2, 0.7, 1.1})
    for (const double spacing : {0.006, 0.0041, 0.0025, 0.0016}) {
      const ShapePtr box = makeTransformed(makeBox({0, 0, 0}, size), turned(angle, {1, 2, 3}));
      const Sharp s = sharpened(box, spacing);
      const double cut = 1 - s.before.volume() / size.prod();
      EXPECT_GT(cut, 0.002) << "there is something to restore";
      EXPECT_TRUE(findIntersections(s.after.boundary()).empty());
      EXPECT_LT(std::abs(s.after.volume() / size.prod() - 1), 0.04 * cut + 1e-4) << angle << " " << spacing;
    }
}

TEST(SharpTets, restoreEdgesThatPointInwards) {
  const ShapePtr ell = makeTransformed(
      makeDifference(makeBox({0, 0, 0}, {0.06, 0.06, 0.01}), {makeBox({0.03, 0.03, -1}, {1, 1, 1})}),
      turned(0.5, {0, 1, 2}));
  for (const double spacing : {0.004, 0.0023}) {
    const Sharp s = sharpened(ell, spacing);
    EXPECT_NEAR(s.after.volume() / (0.75 * 0.06 * 0.06 * 0.01), 1, 5e-4);
    EXPECT_LE(findIntersections(s.after.boundary()).size(), 2U);
  }
}

// Round edges: what is left is what chords cut off, less than their sagitta everywhere.
TEST(SharpTets, followTheRimsOfBores) {
  const ShapePtr plate = makeDifference(makeBox({0, 0, 0}, {0.05, 0.05, 0.012}),
                                        {makeCylinder({0.021, 0.027, -1}, {0.021, 0.027, 1}, 0.009)});
  for (const double spacing : {0.0035, 0.0021}) {
    const Sharp s = sharpened(plate, spacing);
    const TriangleMesh surface = s.after.boundary();
    int off = 0;
    for (std::size_t t = 0; t < surface.triangles.size(); ++t) {
      const Vec3 centre = (surface.corner(t, 0) + surface.corner(t, 1) + surface.corner(t, 2)) / 3;
      off += std::abs(plate->distance(centre)) > spacing * spacing / (8 * 0.009) + 0.02 * spacing;
    }
    EXPECT_LE(off, 2) << "of " << surface.triangles.size();
  }
}

TEST(SharpTets, leaveWhatIsRoundAlone) {
  const ShapePtr ball = makeSphere({0, 0, 0}, 0.02);
  const Sharp s = sharpened(ball, 0.003);
  EXPECT_EQ(s.after.vertices.size(), s.before.vertices.size());
  EXPECT_EQ(s.after.vertices, s.before.vertices);
}

// A pad within a flat side, at an angle to everything: the mesh has edges along its rim.
TEST(SharpTets, takeInTheRimOfAPartOfAFace) {
  const Vec3 size(0.05, 0.04, 0.015);
  const ShapePtr box = makeBox({0, 0, 0}, size);
  const auto onTop = [&](const std::function<bool(double, double)>& within) {
    return SurfacePart{
        [&](const Vec3& c, const Vec3& n) { return n.z() > 0.9 && c.z() > 0.9 * size.z(); },
        [&, within](const Vec3& p) { return p.z() > 0.99 * size.z() && within(p.x(), p.y()); }};
  };
  const double cosine = std::cos(0.4);
  const double sine = std::sin(0.4);
  const SurfacePart slanted = onTop([&](double x, double y) {
    const double u = cosine * (x - 0.024) + sine * (y - 0.021);
    const double v = cosine * (y - 0.021) - sine * (x - 0.024);
    return std::abs(u) <= 0.011 && std::abs(v) <= 0.006;
  });
  const SurfacePart round =
      onTop([](double x, double y) { return std::hypot(x - 0.024, y - 0.021) <= 0.01; });
  for (const double spacing : {0.0043, 0.0029, 0.0017}) {
    EXPECT_NEAR(areaOn(sharpened(box, spacing, {slanted}).after, slanted) / (4 * 0.011 * 0.006), 1,
                0.06 * spacing / 0.0043);
    EXPECT_NEAR(areaOn(sharpened(box, spacing, {round}).after, round) / (pi * 1e-4), 1,
                0.06 * spacing / 0.0043);
  }
}

TEST(SheetMesh, hasTheCornersOfItsOutline) {
  const Eigen::Rotation2Dd turn(0.3);
  const auto outline = [&](const Eigen::Vector2d& p) {
    const Eigen::Vector2d q = turn.inverse() * p;
    const double box = std::max({-q.x(), q.x() - 0.05, -q.y(), q.y() - 0.03});
    return std::max(box, std::min(0.02 - q.x(), 0.012 - q.y()));  // a corner cut out: an ell
  };
  const Eigen::AlignedBox2d bounds(Eigen::Vector2d(-0.02, -0.01), Eigen::Vector2d(0.06, 0.06));
  const double area = 0.05 * 0.03 - 0.02 * 0.012;
  for (const double spacing : {0.004, 0.0026, 0.0013}) {
    const TetMesh mesh = stuffSheet(outline, bounds, spacing, 0.003);
    EXPECT_NEAR(mesh.volume() / (area * 0.003), 1, 1e-6) << spacing;
    EXPECT_TRUE(inspectTopology(mesh.boundary()).sound());
  }
}

}  // namespace
}  // namespace barelattice
