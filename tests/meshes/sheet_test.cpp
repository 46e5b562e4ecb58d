#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "meshes/sheet_mesh.hpp"

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;

/// A plate of 8 x 5 with a round hole of radius 1.3, turned by a quarter radian.
double plate(const Vec2& p) {
  const Vec2 q = Eigen::Rotation2Dd(-0.25) * p;
  const double outside = std::max(std::abs(q.x()) - 4, std::abs(q.y()) - 2.5);
  return std::max(outside, 1.3 - (q - Vec2(1, 0.3)).norm());
}

TEST(SheetMesh, fillsThePlateUpToItsFaces) {
  const Eigen::AlignedBox2d box(Vec2(-5, -5), Vec2(5, 5));
  const double exact = (40 - std::numbers::pi * 1.3 * 1.3) * 0.7;
  for (const double spacing : {0.4, 0.2, 0.1}) {
    const TetMesh mesh = stuffSheet(plate, box, spacing, 0.7);
    EXPECT_EQ(inspectMesh(mesh.boundary()).text(), "sound") << spacing;
    const double error = std::abs(mesh.volume() / exact - 1);
    EXPECT_LT(error, 0.02 * spacing) << spacing;
    double low = 1;
    double high = 0;
    for (std::size_t t = 0; t < mesh.tets.size(); ++t) {
      const auto range = dihedralRange(mesh, t);
      EXPECT_GT(range[0], 8) << "tetrahedron " << t;
      EXPECT_LT(range[1], 165) << "tetrahedron " << t;
    }
    for (const Vec3& v : mesh.vertices) {
      low = std::min(low, v.z());
      high = std::max(high, v.z());
    }
    EXPECT_EQ(low, 0);
    EXPECT_EQ(high, 0.7);
    for (const Vec3& v : mesh.vertices) EXPECT_LT(plate(v.head<2>()), 1e-4 * spacing);
  }
}

TEST(SheetMesh, holdsAboutAsManyTetrahedraAsAskedFor) {
  const double area = 40 - std::numbers::pi * 1.3 * 1.3;
  for (const int wanted : {20'000, 100'000}) {
    const double spacing = sheetSpacingFor(area, 0.7, wanted);
    const TetMesh mesh = stuffSheet(plate, Eigen::AlignedBox2d(Vec2(-5, -5), Vec2(5, 5)), spacing, 0.7);
    EXPECT_NEAR(static_cast<double>(mesh.tets.size()) / wanted, 1, 0.3) << "layers come whole";
  }
}

}  // namespace
}  // namespace barelattice
