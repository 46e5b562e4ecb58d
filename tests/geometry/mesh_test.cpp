#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <numbers>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/geometry/shape.hpp"
#include "barelattice/geometry/stl.hpp"
#include "barelattice/geometry/tet_mesh.hpp"
#include "barelattice/geometry/triangle_tree.hpp"

namespace barelattice {
namespace {

using std::numbers::pi;

double ball(const Vec3& p) {
  return p.norm() - 1;
}
const Box kBallBox(Vec3::Constant(-1), Vec3::Constant(1));

TriangleMesh tetrahedron() {
  return {{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, {{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}}};
}

TEST(TriangleMesh, measuresVolumeAndArea) {
  EXPECT_NEAR(tetrahedron().volume(), 1.0 / 6, 1e-15);
  EXPECT_NEAR(tetrahedron().area(), 1.5 + std::sqrt(3.0) / 2, 1e-15);
}

TEST(TriangleMesh, namesEachDefect) {
  EXPECT_TRUE(inspectMesh(tetrahedron()).sound());
  TriangleMesh open = tetrahedron();
  open.triangles.pop_back();
  EXPECT_EQ(inspectMesh(open).openEdges, 3U);
  TriangleMesh flipped = tetrahedron();
  std::swap(flipped.triangles[0][0], flipped.triangles[0][1]);
  EXPECT_EQ(inspectMesh(flipped).misorientedEdges, 3U);
  TriangleMesh pinched = tetrahedron();  // two tetrahedra that share one corner only
  for (const Vec3& v : {Vec3(-1, 0, 0), Vec3(0, -1, 0), Vec3(0, 0, -1)}) pinched.vertices.push_back(v);
  for (const std::array<int, 3>& t : {std::array{0, 4, 5}, {0, 6, 4}, {0, 5, 6}, {4, 6, 5}})
    pinched.triangles.push_back(t);
  EXPECT_EQ(inspectMesh(pinched).pinchedVertices, 1U);
  TriangleMesh crossing = tetrahedron();  // a second one pushed through the first
  for (const Vec3& v : tetrahedron().vertices) crossing.vertices.push_back(v + Vec3(0.2, 0.21, 0.22));
  for (const auto& t : tetrahedron().triangles) crossing.triangles.push_back({t[0] + 4, t[1] + 4, t[2] + 4});
  EXPECT_GT(inspectMesh(crossing).intersections, 0U);
  EXPECT_NE(inspectMesh(crossing).text().find("self-intersections"), std::string::npos);
}

TEST(TriangleTree, findsTheSameNearestPointAsATrialOfAll) {
  const TriangleMesh mesh = stuff(ball, kBallBox, 0.3).boundary();
  const TriangleTree tree(mesh);
  std::mt19937 random(11);
  std::uniform_real_distribution<double> coordinate(-2, 2);
  for (int i = 0; i < 200; ++i) {
    const Vec3 p(coordinate(random), coordinate(random), coordinate(random));
    const NearestPoint near = tree.nearest(p);
    double least = 1e9;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      const TriangleMesh one{{mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)}, {{0, 1, 2}}};
      least = std::min(least, TriangleTree(one).nearest(p).distance);
    }
    EXPECT_NEAR(near.distance, least, 1e-12) << "seed 11, trial " << i;
    EXPECT_NEAR(near.barycentric.sum(), 1, 1e-12);
  }
}

TEST(Stuffing, convergesToTheBallAtSecondOrder) {
  const double exact = 4 * pi / 3;
  const double coarse = exact - stuff(ball, kBallBox, 0.2).volume();
  const double fine = exact - stuff(ball, kBallBox, 0.1).volume();
  EXPECT_GT(coarse, 0);  // chords lie inside
  EXPECT_NEAR(std::log2(coarse / fine), 2, 0.25);
  EXPECT_LT(fine / exact, 0.005);
}

TEST(Stuffing, givesSoundSurfacesAndWellShapedTetrahedra) {
  const ShapePtr part =
      makeDifference(makeBox({0, 0, 0}, {4, 3, 2}), {makeCylinder({1.5, 1.5, -1}, {1.5, 1.5, 3}, 0.8)});
  const TetMesh mesh = stuff([&](const Vec3& p) { return part->distance(p); }, part->bounds(), 0.23);
  const TriangleMesh surface = mesh.boundary();
  EXPECT_EQ(inspectMesh(surface).text(), "sound");
  EXPECT_NEAR(surface.volume(), mesh.volume(), 1e-11);
  for (std::size_t t = 0; t < mesh.tets.size(); ++t) {
    const auto range = dihedralRange(mesh, t);
    EXPECT_GT(range[0], 5) << "tetrahedron " << t;
    EXPECT_LT(range[1], 170) << "tetrahedron " << t;
  }
}

TEST(Stuffing, staysManifoldWhereABodyThinsOutToNothing) {
  // A wedge with a feather edge and two bars that all but touch: the places where moved lattice points pinch.
  const auto f = [](const Vec3& p) {
    const double wedge =
        std::max({std::abs(p.x()) - 2, std::abs(p.y()) - 1, p.z() - 0.12 * (p.x() + 2), -p.z()});
    const double bars =
        std::min(std::hypot(p.y() - 0.31, p.z() - 1), std::hypot(p.y() + 0.31, p.z() - 1)) - 0.305;
    return std::min(wedge, std::max(bars, std::abs(p.x()) - 2));
  };
  const Box box(Vec3(-2, -1, 0), Vec3(2, 1, 1.4));
  for (const FeatherEdges feathers : {FeatherEdges::kept, FeatherEdges::trimmed})
    for (const double spacing : {0.17, 0.21, 0.26})
      EXPECT_EQ(inspectMesh(stuff(f, box, spacing, feathers).boundary()).text(), "sound") << spacing;
}

TEST(Stuffing, refusesSpacingsThatMakeNoSense) {
  EXPECT_THROW(stuff(ball, kBallBox, 0), InputError);
  EXPECT_THROW(stuff(ball, kBallBox, 1e-4), InputError);
}

TEST(Stl, readsBackWhatItWrote) {
  const std::filesystem::path path = std::filesystem::path(::testing::TempDir()) / "ball.stl";
  const TriangleMesh mesh = roundedToStl(stuff(ball, kBallBox, 0.4).boundary());
  writeStl(path, mesh);
  const TriangleMesh back = readStl(path);
  EXPECT_EQ(back.triangles.size(), mesh.triangles.size());
  EXPECT_NEAR(back.volume(), mesh.volume(), 1e-12);
  EXPECT_EQ(inspectMesh(back).text(), "sound");
}

TEST(Stl, refusesDamagedFiles) {
  const std::filesystem::path path = std::filesystem::path(::testing::TempDir()) / "bad.stl";
  EXPECT_THROW(readStl(path.string() + ".missing"), InputError);
  writeFile(path, "solid text");
  EXPECT_THROW(readStl(path), InputError);
  writeStl(path, tetrahedron());
  const std::string whole = readFile(path);
  writeFile(path, whole.substr(0, whole.size() - 7));
  EXPECT_THROW(readStl(path), InputError);
  std::string nan = whole;
  std::fill_n(nan.begin() + 84 + 12, 4, static_cast<char>(0xff));
  writeFile(path, nan);
  EXPECT_THROW(readStl(path), InputError);
}

}  // namespace
}  // namespace barelattice
