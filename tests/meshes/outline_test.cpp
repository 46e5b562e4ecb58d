#include "barelattice/meshes/outline.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "barelattice/formats/stl.hpp"

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;

/// A plate of 60 x 40 mm with a hole of 10 mm radius and a slot; lattice lines run through its edges.
double plate(const Vec2& p) {
  const double outer = std::max(std::abs(p.x() - 0.03) - 0.03, std::abs(p.y() - 0.02) - 0.02);
  const double hole = 0.01 - (p - Vec2(0.02, 0.02)).norm();
  const double slot = -std::max(std::abs(p.x() - 0.045) - 0.004, std::abs(p.y() - 0.02) - 0.012);
  return std::max({outer, hole, slot});
}

Outline traced(double spacing) {
  return traceOutline(plate, {Vec2(0, 0), Vec2(0.06, 0.04)}, spacing);
}

TEST(Outline, followsCurvesAndKeepsCorners) {
  const double exact = 0.06 * 0.04 - std::numbers::pi * 1e-4 - 0.008 * 0.024;
  for (const double spacing : {1e-3, 0.73e-3}) {
    const Outline outline = traced(spacing);
    EXPECT_EQ(outline.loops.size(), 3U);
    EXPECT_NEAR(outline.area() / exact, 1, 1e-3);
    for (const Vec2& corner : {Vec2(0, 0), Vec2(0.06, 0.04), Vec2(0.041, 0.008)}) {
      double nearest = 1;
      for (const auto& loop : outline.loops)
        for (const Vec2& p : loop) nearest = std::min(nearest, (p - corner).norm());
      EXPECT_LT(nearest, 1e-8) << "corner at " << corner.transpose();
    }
    for (const auto& loop : outline.loops)
      for (const Vec2& p : loop) EXPECT_LT(std::abs(plate(p)), 1e-6 * spacing);
    EXPECT_TRUE(contains(outline, {0.005, 0.005}));
    EXPECT_FALSE(contains(outline, {0.02, 0.02}));
  }
}

TEST(Outline, becomesASoundPrism) {
  const Outline outline = traced(1e-3);
  const TriangleMesh prism = roundedToStl(extruded(outline, 0.005));
  EXPECT_EQ(inspectMesh(prism).text(), "sound");
  EXPECT_NEAR(prism.volume() / (0.005 * outline.area()), 1, 1e-5);
}

TEST(Outline, losesCornersWithinTheDeviation) {
  const Outline outline = traced(0.5e-3);
  const double deviation = 0.05e-3;
  const Outline fewer = simplified(outline, deviation);
  EXPECT_LT(fewer.corners(), outline.corners() / 4);
  EXPECT_NEAR(fewer.area() / outline.area(), 1, 2e-3);
  for (const auto& loop : fewer.loops)
    for (std::size_t i = 0; i < loop.size(); ++i)
      EXPECT_LT(std::abs(plate(0.5 * (loop[i] + loop[(i + 1) % loop.size()]))), 1.1 * deviation);
  EXPECT_EQ(inspectMesh(roundedToStl(extruded(fewer, 0.005))).text(), "sound");
}

TEST(Outline, knowsItsPieces) {
  const PlaneFunction two = [](const Vec2& p) {
    const double left =
        std::max(0.004 - (p - Vec2(0.01, 0.01)).norm(), (p - Vec2(0.01, 0.01)).norm() - 0.008);
    return std::min(left, (p - Vec2(0.03, 0.01)).norm() - 0.005);
  };
  const auto pieces = piecesOf(traceOutline(two, {Vec2(0, 0), Vec2(0.04, 0.02)}, 0.5e-3));
  ASSERT_EQ(pieces.size(), 2U);
  EXPECT_EQ(pieces[0].loops.size() + pieces[1].loops.size(), 3U);
}

TEST(Outline, drawsTrueToSize) {
  const std::string svg = outlineSvg(traced(1e-3), "A <plate>");
  EXPECT_NE(svg.find("width=\"70mm\" height=\"50mm\" viewBox=\"-5 -45 70 50\""), std::string::npos)
      << svg.substr(0, 300);
  EXPECT_NE(svg.find("60.0000 40.0000"), std::string::npos);
  EXPECT_EQ(svg.find("<plate>"), std::string::npos);
}

}  // namespace
}  // namespace barelattice
