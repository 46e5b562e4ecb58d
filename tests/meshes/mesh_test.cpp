#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <numbers>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/shapes/shape.hpp"
#include "support/own_folder.hpp"

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

TEST(TriangleMesh, tellsBodiesFromVoids) {
  EXPECT_TRUE(shellVolumes({}).empty());
  const auto shellsOf = [](const std::vector<std::pair<double, bool>>& edges) {
    TriangleMesh all;
    for (const auto& [edge, isVoid] : edges) {
      const int first = static_cast<int>(all.vertices.size());
      for (const Vec3& v : tetrahedron().vertices) all.vertices.push_back(edge * v + Vec3(5, 5, 5));
      for (auto t : tetrahedron().triangles) {
        if (isVoid) std::swap(t[1], t[2]);
        all.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
      }
    }
    std::vector<double> volumes = shellVolumes(all);
    std::sort(volumes.begin(), volumes.end());
    return volumes;
  };
  const auto one = shellsOf({{1, false}});
  ASSERT_EQ(one.size(), 1U);
  EXPECT_NEAR(one[0], 1.0 / 6, 1e-14);
  const auto three = shellsOf({{2, false}, {0.5, true}, {1, false}});
  ASSERT_EQ(three.size(), 3U);
  EXPECT_NEAR(three[0], -1.0 / 48, 1e-14);
  EXPECT_NEAR(three[1], 1.0 / 6, 1e-14);
  EXPECT_NEAR(three[2], 8.0 / 6, 1e-13);
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

/// Each triangle of a mesh as a mesh of its own.
std::vector<TriangleMesh> apart(const TriangleMesh& mesh) {
  std::vector<TriangleMesh> alone;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    alone.push_back({{mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)}, {{0, 1, 2}}});
  return alone;
}

TEST(TriangleTree, findsTheSameNearestPointAsATrialOfAll) {
  const TriangleMesh mesh = stuff(ball, kBallBox, 0.3).boundary();
  const TriangleTree tree(mesh);
  const std::vector<TriangleMesh> alone = apart(mesh);
  const std::vector<TriangleTree> trees(alone.begin(), alone.end());
  std::mt19937 random(11);
  std::uniform_real_distribution<double> coordinate(-2, 2);
  for (int i = 0; i < 200; ++i) {
    const Vec3 p(coordinate(random), coordinate(random), coordinate(random));
    const NearestPoint near = tree.nearest(p);
    double least = 1e9;
    for (const TriangleTree& one : trees) least = std::min(least, one.nearest(p).distance);
    EXPECT_NEAR(near.distance, least, 1e-12) << "seed 11, trial " << i;
    EXPECT_NEAR(near.barycentric.sum(), 1, 1e-12);
  }
}

TEST(TriangleTree, findsTheSameTrianglesNearbyAsATrialOfAll) {
  // A ball and one long triangle across it, which the tree cuts into pieces but must name once.
  TriangleMesh mesh = stuff(ball, kBallBox, 0.3).boundary();
  const int first = static_cast<int>(mesh.vertices.size());
  for (const Vec3& v : {Vec3(-3, -2, 0.1), Vec3(3, 2, 0.2), Vec3(3, 2.1, -0.4)}) mesh.vertices.push_back(v);
  mesh.triangles.push_back({first, first + 1, first + 2});
  const TriangleTree tree(mesh);
  const std::vector<TriangleMesh> alone = apart(mesh);
  const std::vector<TriangleTree> trees(alone.begin(), alone.end());
  std::mt19937 random(12);
  std::uniform_real_distribution<double> coordinate(-1.5, 1.5);
  std::uniform_real_distribution<double> size(0.01, 0.8);
  std::size_t found = 0;
  for (int i = 0; i < 100; ++i) {
    const Vec3 p(coordinate(random), coordinate(random), coordinate(random));
    const double reach = size(random);
    const Box box(p - Vec3::Constant(reach), p + Vec3::Constant(reach));
    std::vector<int> near, touching;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      if (trees[t].nearest(p).distance <= reach) near.push_back(static_cast<int>(t));
      if (box.intersects(alone[t].bounds())) touching.push_back(static_cast<int>(t));
    }
    EXPECT_EQ(tree.within(p, reach), near) << "seed 12, trial " << i;
    std::vector<int> overlaps;
    tree.appendOverlaps(box, overlaps);
    EXPECT_TRUE(std::is_sorted(overlaps.begin(), overlaps.end()));
    EXPECT_EQ(std::adjacent_find(overlaps.begin(), overlaps.end()), overlaps.end());
    // Pieces of the long triangle have smaller boxes than itself: it may be left out where it is not near.
    EXPECT_TRUE(std::includes(touching.begin(), touching.end(), overlaps.begin(), overlaps.end()));
    EXPECT_TRUE(std::includes(overlaps.begin(), overlaps.end(), near.begin(), near.end()));
    if (near.empty()) continue;
    found += near.size();
    EXPECT_EQ(tree.nearestOf(p, near).distance, tree.nearest(p).distance);
    EXPECT_EQ(tree.within(p, 0.5 * reach, near), tree.within(p, 0.5 * reach));
  }
  EXPECT_GT(found, 1000U) << "the trials must hit something";
}

TEST(TriangleMesh, weldsEqualCornersAndDropsWhatCollapses) {
  TriangleMesh loose;
  const TriangleMesh whole = tetrahedron();
  for (std::size_t t = 0; t < whole.triangles.size(); ++t) {
    const int at = static_cast<int>(loose.vertices.size());
    for (int i = 0; i < 3; ++i) loose.vertices.push_back(whole.corner(t, i));
    loose.triangles.push_back({at, at + 1, at + 2});
  }
  EXPECT_EQ(inspectTopology(loose).openEdges, 12U);
  loose.vertices.push_back(loose.vertices[0]);
  loose.triangles.push_back({0, 1, static_cast<int>(loose.vertices.size()) - 1});
  const TriangleMesh mesh = welded(loose);
  EXPECT_EQ(mesh.vertices.size(), 4U);
  EXPECT_EQ(mesh.triangles.size(), 4U);
  EXPECT_EQ(inspectMesh(mesh).text(), "sound");
  EXPECT_NEAR(mesh.volume(), whole.volume(), 1e-15);
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

// What sticks out of the bounds is cut off there: a box out of a ball, whole bodies of which nothing lies in.
TEST(Stuffing, cutsOffWhatSticksOut) {
  for (const double spacing : {0.05, 0.083, 0.21})
    for (const Vec3& shift : {Vec3(0, 0, 0), Vec3(0.31, -0.02, 0.17), Vec3(0.9, 0.9, 0.9)}) {
      const Box bounds(Vec3(-0.5, -0.4, -0.3) + shift, Vec3(0.5, 0.4, 0.3) + shift);
      const TetMesh mesh = stuff([](const Vec3& p) { return p.norm() - 10; }, bounds, spacing);
      EXPECT_EQ(inspectMesh(mesh.boundary()).text(), "sound") << spacing;
      EXPECT_NEAR(mesh.volume(), 0.48, 0.5 * spacing * spacing * 4 * 2.4) << "but for its bevelled edges";
      const Box found = mesh.boundary().bounds();
      EXPECT_LT((found.min() - bounds.min()).norm() + (found.max() - bounds.max()).norm(), 1e-3 * spacing);
    }
  // A ball of which a cap sticks out: V = pi h^2 (3 r - h) / 3 is missing.
  const double cap = std::numbers::pi * 0.2 * 0.2 * (3 - 0.2) / 3;
  const TetMesh mesh =
      stuff([](const Vec3& p) { return p.norm() - 1; }, {Vec3(-1, -1, -1), Vec3(1, 1, 0.8)}, 0.04);
  EXPECT_EQ(inspectMesh(mesh.boundary()).text(), "sound");
  EXPECT_NEAR(mesh.volume(), 4 * std::numbers::pi / 3 - cap, 0.01);
}

TEST(Stl, readsBackWhatItWrote) {
  const std::filesystem::path path = ownFolder() / "ball.stl";
  const TriangleMesh mesh = roundedToStl(stuff(ball, kBallBox, 0.4).boundary());
  writeStl(path, mesh);
  const TriangleMesh back = readStl(path);
  EXPECT_EQ(back.triangles.size(), mesh.triangles.size());
  EXPECT_NEAR(back.volume(), mesh.volume(), 1e-12);
  EXPECT_EQ(inspectMesh(back).text(), "sound");
}

TEST(Stl, refusesDamagedFiles) {
  const std::filesystem::path path = ownFolder() / "bad.stl";
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

// A point q of a convex set is the nearest to p just where no point of the set lies further along p - q: for
// a triangle, none of its corners. Fat triangles, slivers, triangles without area, near and far.
TEST(TriangleTree, theNearestPointIsCertified) {
  std::mt19937 random(11);
  std::uniform_real_distribution<double> unit(-1, 1);
  const auto any = [&] { return Vec3(unit(random), unit(random), unit(random)); };
  const std::vector<double> flatness{1, 1e-2, 1e-5, 1e-8, 0};
  for (int trial = 0; trial < 20000; ++trial) {
    const double size = std::pow(10, 3 * unit(random));
    TriangleMesh mesh;
    mesh.vertices = {size * any(), size * any(), size * any()};
    const Vec3 along = mesh.vertices[1] - mesh.vertices[0];
    Vec3& apex = mesh.vertices[2];
    const double flat = flatness[static_cast<std::size_t>(trial) % flatness.size()];
    apex = mesh.vertices[0] + unit(random) * 2 * along + flat * (apex - mesh.vertices[0]);
    if (trial % 97 == 0) apex = mesh.vertices[0];
    mesh.triangles = {{0, 1, 2}};
    const Vec3 p = size * std::pow(10, 2 * unit(random)) * any();
    const NearestPoint found = TriangleTree(mesh).nearest(p);
    EXPECT_NEAR(found.barycentric.sum(), 1, 1e-9);
    EXPECT_GE(found.barycentric.minCoeff(), -1e-12);
    Vec3 q = Vec3::Zero();
    for (std::size_t i = 0; i < 3; ++i)
      q += found.barycentric[static_cast<Eigen::Index>(i)] * mesh.vertices[i];
    EXPECT_LT((q - found.position).norm(), 1e-9 * size);
    const Vec3 away = p - found.position;
    EXPECT_NEAR(away.norm(), found.distance, 1e-9 * (size + p.norm()));
    for (const Vec3& corner : mesh.vertices)
      EXPECT_LT(away.dot(corner - found.position), 1e-7 * size * (size + p.norm())) << trial << " " << flat;
  }
}

}  // namespace
}  // namespace barelattice
