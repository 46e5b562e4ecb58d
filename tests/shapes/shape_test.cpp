#include "barelattice/shapes/shape.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/shapes/face.hpp"
#include "barelattice/shapes/mesh_shape.hpp"

namespace barelattice {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

const ShapePtr kBox = makeBox({0, 0, 0}, {4, 2, 1});
const ShapePtr kRing =
    makeDifference(makeCylinder({0, 0, 0}, {0, 0, 3}, 2), {makeCylinder({0, 0, -1}, {0, 0, 4}, 1)});

OutlineLoop straight(const std::vector<Eigen::Vector2d>& corners) {
  OutlineLoop loop;
  for (const Eigen::Vector2d& corner : corners) loop.push_back({corner, std::nullopt});
  return loop;
}

Extrusion prism(const std::vector<Eigen::Vector2d>& corners, double from, double to) {
  Extrusion extrusion;
  extrusion.outline = straight(corners);
  extrusion.from = from;
  extrusion.to = to;
  return extrusion;
}

Extrusion wedge() {
  Extrusion extrusion = prism({{0, 0}, {4, 0}, {0, 3}}, -1, 1);
  extrusion.second = 2;
  return extrusion;
}  // in x and z, along y

TEST(Shape, distancesOfPrimitivesAreExact) {
  EXPECT_NEAR(kBox->distance({5, 3, 0.5}), std::sqrt(2.0), 1e-14);
  EXPECT_NEAR(kBox->distance({2, 1, 0.8}), -0.2, 1e-14);
  const ShapePtr rod = makeCylinder({1, 1, 0}, {1, 1, 5}, 0.5);
  EXPECT_NEAR(rod->distance({4, 1, 2}), 2.5, 1e-14);
  EXPECT_NEAR(rod->distance({1.5, 1, 6}), 1.0, 1e-14);
  EXPECT_NEAR(rod->distance({1, 1, 2.5}), -0.5, 1e-14);
  const ShapePtr prism = makeExtrusion(wedge());
  EXPECT_NEAR(prism->distance({4, 0, 3}), 2.4, 1e-14);  // to the slanted side: 3-4-5 triangle
  EXPECT_NEAR(prism->distance({1, 3, 0.5}), 2.0, 1e-14);
}

TEST(Shape, slantSidesOfAnExtrusionFaceOutward) {
  for (const bool reversed : {false, true}) {
    Extrusion extrusion = wedge();
    if (reversed) std::reverse(extrusion.outline.begin(), extrusion.outline.end());
    const ShapePtr prism = makeExtrusion(extrusion);
    std::vector<Patch> patches;
    prism->appendPatches(patches);
    ASSERT_EQ(patches.size(), 5U);
    for (const Patch& patch : patches)
      for (const SurfacePoint& p : patch.sample(0.317)) {
        if (std::abs(prism->distance(p.position)) > 1e-12) continue;
        EXPECT_GT(prism->distance(p.position + 0.01 * p.normal), 0);
        EXPECT_LT(prism->distance(p.position - 0.01 * p.normal), 0);
      }
  }
}

TEST(Shape, combinationsNeverOverestimateTheDistance) {
  const ShapePtr all[] = {makeUnion({kBox, kRing}), makeIntersection({kBox, kRing}),
                          makeDifference(kBox, {kRing}), makeDifference(kRing, {kBox})};
  std::mt19937 random(7);
  std::uniform_real_distribution<double> coordinate(-3, 5);
  for (const ShapePtr& shape : all)
    for (int i = 0; i < 2000; ++i) {
      const Vec3 p(coordinate(random), coordinate(random), coordinate(random));
      const Vec3 q(coordinate(random), coordinate(random), coordinate(random));
      // A lower bound of the distance cannot change faster than the way one walks.
      EXPECT_LE(std::abs(shape->distance(p) - shape->distance(q)), (p - q).norm() + 1e-12)
          << "seed 7, trial " << i;
    }
}

TEST(Shape, refusesWhatIsNoBody) {
  EXPECT_THROW(makeBox({0, 0, 0}, {1, 0, 1}), InputError);
  EXPECT_THROW(makeCylinder({0, 0, 0}, {0, 0, 0}, 1), InputError);
  EXPECT_THROW(makeCylinder({0, 0, 0}, {0, 0, 1}, 0), InputError);
  EXPECT_THROW(makeExtrusion(prism({{0, 0}, {1, 0}}, 0, 1)), InputError);
  EXPECT_THROW(makeExtrusion(prism({{0, 0}, {1, 1}, {1, 0}, {0, 1}}, 0, 1)), InputError) << "a bow tie";
  EXPECT_THROW(makeExtrusion(prism({{0, 0}, {1, 0}, {0, 1}}, 1, 1)), InputError);
}

/// Every patch must lie on the surface, face outward, and (with the surface it is cut from) add up to the
/// area.
void expectSoundPatches(const ShapePtr& shape, double area, double tolerance) {
  std::vector<Patch> patches;
  shape->appendPatches(patches);
  double sum = 0;
  for (const Patch& patch : patches)
    for (const SurfacePoint& p : patch.sample(0.03)) {
      if (std::abs(shape->distance(p.position)) > 1e-9) continue;
      sum += p.area;
      EXPECT_GT(shape->distance(p.position + 1e-3 * p.normal), 0);
      EXPECT_LT(shape->distance(p.position - 1e-3 * p.normal), 0);
      EXPECT_LT(patch.distance(p.position), 1e-9);
    }
  EXPECT_NEAR(sum / area, 1, tolerance);
}

TEST(Shape, roundPrimitivesHaveTheirDistanceAndArea) {
  const ShapePtr ball = makeSphere({1, 2, 3}, 0.7);
  EXPECT_NEAR(ball->distance({1, 2, 5}), 1.3, 1e-14);
  expectSoundPatches(ball, 4 * pi * 0.49, 1e-9);
  const ShapePtr cone = makeCone({0, 0, 0}, {0, 0, 2}, 1, 0);
  EXPECT_NEAR(cone->distance({0, 0, 3}), 1, 1e-14);
  EXPECT_NEAR(cone->distance({1, 0, 2}), 2 / std::sqrt(5.0), 1e-14);
  EXPECT_NEAR(cone->distance({0, 0, 0.1}), -0.1, 1e-14);
  expectSoundPatches(cone, pi * (1 + std::sqrt(5.0)), 0.01);
  const ShapePtr ring = makeTorus({0, 0, 0}, {0, 1, 0}, 2, 0.5);
  EXPECT_NEAR(ring->distance({0, 0, 0}), 1.5, 1e-14);
  EXPECT_NEAR(ring->distance({2, 0.1, 0}), -0.4, 1e-14);
  expectSoundPatches(ring, 4 * pi * pi, 1e-3);
  EXPECT_THROW(makeTorus({0, 0, 0}, {0, 1, 0}, 1, 2), InputError);
  EXPECT_THROW(makeCone({0, 0, 0}, {0, 0, 1}, 1, 1), InputError);
  EXPECT_THROW(makeSphere({0, 0, 0}, 0), InputError);
}

/// A D: a half disc of radius 1 on a rectangle 1 wide, with a round hole.
Extrusion letterD() {
  Extrusion d;
  d.outline = {{{0, 0}, std::nullopt},
               {{1, 0}, std::nullopt},
               {{1, 2}, Eigen::Vector2d(2, 1)},
               {{0, 2}, std::nullopt}};
  d.holes = {{{{1.3, 1}, Eigen::Vector2d(1, 1.3)}, {{0.7, 1}, Eigen::Vector2d(1, 0.7)}}};
  d.to = 0.5;
  return d;
}

TEST(Extrusion, followsArcsAndHoles) {
  const double profile = 2 + pi / 2 - pi * 0.09;
  const double rim = 4 + pi + 0.6 * pi;
  for (const std::array<int, 2>& axes :
       {std::array{0, 1}, std::array{1, 0}, std::array{0, 2}, std::array{2, 1}}) {
    Extrusion d = letterD();
    d.first = axes[0];
    d.second = axes[1];
    const ShapePtr shape = makeExtrusion(d);
    const auto at = [&](double a, double b) {
      Vec3 p = Vec3::Constant(0.25);
      p[axes[0]] = a;
      p[axes[1]] = b;
      return shape->distance(p);
    };
    EXPECT_NEAR(at(2.5, 1), 0.5, 1e-12) << "beyond the arc";
    EXPECT_NEAR(at(1, 1), 0.3, 1e-12) << "in the middle of the hole";
    EXPECT_NEAR(at(1.9, 1), -0.1, 1e-12);
    EXPECT_NEAR(at(0.4, 1), -0.25, 1e-12) << "the ends are nearer than the hole";
    expectSoundPatches(shape, 2 * profile + 0.5 * rim, 0.01);
  }
}

TEST(Extrusion, pointsLevelWithTheEndsOfArcsAreInside) {
  // A disc of two arcs whose chord is one line: points on that line are where parity goes wrong first.
  Extrusion disc;
  disc.outline = {{{1, 0}, Eigen::Vector2d(0, -1)}, {{-1, 0}, Eigen::Vector2d(0, 1)}};
  disc.to = 1;
  const ShapePtr shape = makeExtrusion(disc);
  for (int n = -19; n < 20; ++n) EXPECT_LT(shape->distance({0.05 * n, 0, 0.5}), 0) << n;
  for (int n = 21; n < 60; ++n) EXPECT_GT(shape->distance({0.05 * n, 0, 0.5}), 0) << n;
  EXPECT_NEAR(shape->bounds().sizes().y(), 2, 1e-9);
}

TEST(Extrusion, refusesHolesOutsideAndArcsOnALine) {
  Extrusion d = letterD();
  d.holes = {straight({{5, 5}, {6, 5}, {6, 6}})};
  EXPECT_THROW(makeExtrusion(d), InputError);
  d.holes = {straight({{0.5, 0.5}, {3, 0.5}, {3, 1}})};
  EXPECT_THROW(makeExtrusion(d), InputError) << "crosses the outline";
  d = letterD();
  d.outline[2].through = Eigen::Vector2d(1, 1);
  EXPECT_THROW(makeExtrusion(d), InputError);
}

TEST(Extrusion, tellsOutlinesThatCrossThemselvesFromThoseThatDoNot) {
  std::mt19937 random(21);
  std::uniform_real_distribution<double> radius(0.3, 1);
  std::uniform_int_distribution<std::size_t> any(0, 299);
  for (int trial = 0; trial < 20; ++trial) {
    Extrusion star;
    star.to = 1;
    const double stretch = trial % 2 ? 5 : 0.2;  // long along x, long along y
    for (int i = 0; i < 300; ++i)
      star.outline.push_back(
          {radius(random) * Eigen::Vector2d(stretch * std::cos(2 * pi * i / 300), std::sin(2 * pi * i / 300)),
           std::nullopt});
    EXPECT_NO_THROW(makeExtrusion(star)) << "seed 21, trial " << trial;
    // One corner on the far side: the two edges that lead there cross the edges that are there.
    Eigen::Vector2d& corner = star.outline[any(random)].point;
    corner *= -4;
    EXPECT_THROW(makeExtrusion(star), InputError) << "seed 21, trial " << trial;
  }
}

TEST(Extrusion, endlessOnesHaveWallsOnly) {
  Extrusion d = letterD();
  d.endless = true;
  const ShapePtr shape = makeExtrusion(d);
  EXPECT_EQ(shape->distance({1.9, 1, 0}), shape->distance({1.9, 1, 7}));
  expectSoundPatches(shape, 0.5 * (4 + pi + 0.6 * pi), 1e-9);
}

TEST(Offset, growsAndShrinksWhereThatIsKnown) {
  const ShapePtr grown = kBox->offset(0.5);
  EXPECT_NEAR(grown->distance({5, 3, 0.5}), std::sqrt(2.0) - 0.5, 1e-14) << "rounded at the edge";
  const ShapePtr tube = kRing->offset(-0.2);
  EXPECT_LT(tube->distance({1.5, 0, 1.5}), 0);
  EXPECT_GT(tube->distance({1.1, 0, 1.5}), 0) << "the bore has grown by as much as the outside has shrunk";
  FaceSelector bore;
  bore.kind = Patch::Kind::cylinder;
  bore.hole = true;
  bore.radius = 1.2;
  EXPECT_GT(selectFace(*tube, bore, 0.1).area(), 0);
  EXPECT_THROW(makeUnion({kBox, kRing})->offset(-0.1), InputError);
  EXPECT_NO_THROW(makeUnion({kBox, kRing})->offset(0.1));
  EXPECT_THROW(kBox->offset(-0.5), InputError) << "nothing is left";
}

TEST(Offset, ofACombinationIsThatOfItsParts) {
  const ShapePtr both = makeIntersection({kBox, makeSphere({2, 1.5, 0.5}, 1.2)});
  const ShapePtr grown = both->offset(0.1);
  const ShapePtr by = makeIntersection({kBox->offset(0.1), makeSphere({2, 1.5, 0.5}, 1.3)});
  const Eigen::Isometry3d map =
      Eigen::Translation3d(3, -1, 2) * Eigen::AngleAxisd(0.7, Vec3(1, 2, -1).normalized());
  const ShapePtr moved = makeTransformed(both, map)->offset(0.1);
  std::mt19937 random(6);
  std::uniform_real_distribution<double> any(-1, 4);
  for (int i = 0; i < 200; ++i) {
    const Vec3 p(any(random), any(random), any(random));
    EXPECT_NEAR(grown->distance(p), by->distance(p), 1e-12);
    EXPECT_NEAR(moved->distance(map * p), grown->distance(p), 1e-12);
  }
}

TEST(Transformed, keepsDistancesAndTurnsPatchesWithTheBody) {
  const Eigen::Isometry3d turn =
      Eigen::Translation3d(3, -1, 2) * Eigen::AngleAxisd(0.7, Vec3(1, 2, -1).normalized());
  for (const Eigen::Isometry3d& map : {turn, reflection(Vec3::UnitY(), 0.4)}) {
    const ShapePtr moved = makeTransformed(makeExtrusion(letterD()), map);
    expectSoundPatches(moved, 2 * (2 + pi / 2 - pi * 0.09) + 0.5 * (4 + pi + 0.6 * pi), 0.01);
    EXPECT_NEAR(moved->distance(map * Vec3(2.5, 1, 0.25)), 0.5, 1e-12);
    EXPECT_LT(moved->distance(moved->bounds().center()), moved->bounds().diagonal().norm());
  }
}

TEST(Layer, reachesItsDepthBelowAFace) {
  std::vector<Patch> patches;
  kRing->appendPatches(patches);
  for (const Patch& patch : patches) {
    if (!patch.isHole() || patch.kind != Patch::Kind::cylinder) continue;
    const ShapePtr layer = makeLayer(kRing, patch, 0.25);
    EXPECT_NEAR(layer->distance({1.125, 0, 1.5}), -0.125, 1e-12);
    EXPECT_GT(layer->distance({1.3, 0, 1.5}), 0);
    EXPECT_GT(layer->distance({0.9, 0, 1.5}), 0) << "not inside the bore";
    EXPECT_TRUE(layer->bounds().contains(Vec3(0, 1.2, 2.9)));
  }
  FaceSelector top;
  top.direction = Vec3::UnitZ();
  const Patch piece = selectFace(*kBox, top, 0.2).patches[0];
  const ShapePtr plate = makeLayer(kBox, piece, 0.3);
  EXPECT_NEAR(plate->distance({2, 1, 0.85}), -0.15, 1e-12);
  EXPECT_GT(plate->distance({2, 1, 0.6}), 0);
  EXPECT_THROW(makeLayer(kBox, piece, 0), InputError);
}

TEST(Layer, followsSpheresAndTori) {
  const auto layerOf = [](const ShapePtr& body, double depth) {
    std::vector<Patch> patches;
    body->appendPatches(patches);
    return makeLayer(body, patches.front(), depth);
  };
  const ShapePtr shell = layerOf(makeSphere({1, 0, 0}, 2), 0.5);
  EXPECT_NEAR(shell->distance({1, 1.75, 0}), -0.25, 1e-12);
  EXPECT_NEAR(shell->distance({1, 1, 0}), 0.5, 1e-12) << "below the layer";
  EXPECT_NEAR(shell->distance({1, 0, 2.25}), 0.25, 1e-12) << "outside the ball";
  const ShapePtr skin = layerOf(makeTorus({0, 0, 0}, Vec3::UnitZ(), 3, 1), 0.4);
  EXPECT_NEAR(skin->distance({3.8, 0, 0}), -0.2, 1e-12);
  EXPECT_NEAR(skin->distance({0, -2.2, 0}), -0.2, 1e-12) << "on the inner side of the ring";
  EXPECT_NEAR(skin->distance({0, 3, 0.3}), 0.3, 1e-12);
  // To the boundary of the body comes the floor of the layer, which faces away from it.
  std::vector<Patch> patches;
  shell->appendPatches(patches);
  EXPECT_NEAR(patches.back().radius, 1.5, 1e-15);
  EXPECT_FALSE(patches.front().flipped);
  EXPECT_TRUE(patches.back().flipped);
}

TEST(MeshShape, agreesWithTheBodyItsSurfaceIsOf) {
  const TriangleMesh surface =
      stuff([](const Vec3& p) { return kBox->distance(p); }, kBox->bounds(), 0.5).boundary();
  TriangleMesh inward = surface;
  for (auto& t : inward.triangles) std::swap(t[0], t[1]);
  std::mt19937 random(3);
  std::uniform_real_distribution<double> any(-1, 5);
  for (const TriangleMesh& mesh : {surface, inward}) {
    const ShapePtr shape = makeMeshShape(mesh);
    for (int i = 0; i < 2000; ++i) {
      const Vec3 p(any(random), any(random), any(random));
      EXPECT_NEAR(shape->distance(p), kBox->distance(p), 0.3) << "chamfered edges only, seed 3";
      if (std::abs(kBox->distance(p)) > 0.3) {
        EXPECT_EQ(shape->distance(p) < 0, kBox->distance(p) < 0);
      }
    }
    FaceSelector left;
    left.direction = -Vec3::UnitX();
    EXPECT_NEAR(selectFace(*shape, left, 0.05).area(), 2, 0.4);
  }
  TriangleMesh open = surface;
  open.triangles.pop_back();
  EXPECT_THROW(makeMeshShape(open), InputError);
  EXPECT_THROW(makeMeshShape({}), InputError);
}

/// The samples of a flat net of one triangle.
std::vector<SurfacePoint> samplesOf(const std::array<Vec3, 3>& corners, double spacing) {
  TriangleMesh mesh{{corners.begin(), corners.end()}, {{0, 1, 2}}};
  Patch patch;
  patch.origin = corners[0];
  patch.u = corners[1] - corners[0];
  patch.v = corners[2] - corners[0];
  const double area = mesh.area();
  patch.net = std::make_shared<PatchNet>(std::move(mesh), area, 0);
  return patch.sample(spacing);
}

TEST(Patch, samplesOfATriangleCoverItWhateverItsShape) {
  const double spacing = 0.05;
  std::mt19937 random(3);
  std::uniform_real_distribution<double> share(0, 1);
  for (int n = 0; n < 60; ++n) {
    // From well shaped to needles and caps a ten-thousandth as high as long, turned in every way.
    const double height = std::pow(10, -4 * share(random));
    std::array<Vec3, 3> corners{Vec3(0, 0, 0), Vec3(1, 0, 0), Vec3(share(random), height, 0)};
    std::rotate(corners.begin(), corners.begin() + n % 3, corners.end());
    const Eigen::Isometry3d turn(Eigen::AngleAxisd(7 * share(random), Vec3(1, 2, 3).normalized()));
    for (Vec3& corner : corners) corner = turn * corner;
    const Vec3 u = corners[1] - corners[0];
    const Vec3 v = corners[2] - corners[0];
    const double area = 0.5 * u.cross(v).norm();

    const std::vector<SurfacePoint> points = samplesOf(corners, spacing);
    Face face{points, {}};
    EXPECT_NEAR(face.area(), area, 1e-12 * area + 1e-15) << n;
    EXPECT_NEAR((face.centroid() - (corners[0] + corners[1] + corners[2]) / 3).norm(), 0, 1e-12) << n;
    EXPECT_LT(static_cast<double>(points.size()), 1.5 * area / (spacing * spacing) + 4 / spacing) << n;
    for (int k = 0; k < 50; ++k) {
      double s = share(random), t = share(random);
      if (s + t > 1) s = 1 - s, t = 1 - t;
      const Vec3 place = corners[0] + s * u + t * v;
      double nearest = 1;
      for (const SurfacePoint& p : points) nearest = std::min(nearest, (p.position - place).norm());
      EXPECT_LT(nearest, 1.2 * spacing) << n;
    }
  }
}

TEST(Patch, aBoreOfSliversIsSampledLikeAnyOther) {
  constexpr int kSides = 36;
  const double radius = 4.5, length = 28, spacing = 0.6;
  TriangleMesh mesh;
  for (int k = 0; k < kSides; ++k)
    for (const double z : {0.0, length})
      mesh.vertices.emplace_back(radius * std::cos(2 * pi * k / kSides),
                                 radius * std::sin(2 * pi * k / kSides), z);
  for (int k = 0; k < kSides; ++k) {
    const int a = 2 * k, b = 2 * ((k + 1) % kSides);
    mesh.triangles.push_back({a, b, a + 1});
    mesh.triangles.push_back({b, b + 1, a + 1});
  }
  Patch bore;
  bore.kind = Patch::Kind::cylinder;
  bore.u = Vec3::UnitX();
  bore.v = length * Vec3::UnitZ();
  bore.radius = radius;
  bore.flipped = true;
  const double area = 2 * pi * radius * length;
  bore.net = std::make_shared<PatchNet>(std::move(mesh), area, 0.02);
  const Face face{bore.sample(spacing), {}};
  EXPECT_NEAR(face.area(), area, 1e-9 * area);
  EXPECT_LT(static_cast<double>(face.points.size()), 3 * area / (spacing * spacing));
  for (const SurfacePoint& p : face.points) {
    EXPECT_NEAR(p.position.head<2>().norm(), radius, 1e-9);
    EXPECT_NEAR((p.normal + p.position.cwiseProduct(Vec3(1, 1, 0)) / radius).norm(), 0, 1e-9);
  }
}

TEST(Face, isFoundByWhatItIsAndHasTheRightArea) {
  FaceSelector bore;
  bore.kind = Patch::Kind::cylinder;
  bore.hole = true;
  const Face face = selectFace(*kRing, bore, 0.05);
  EXPECT_NEAR(face.area(), 2 * pi * 1 * 3,
              0.02 * 2 * pi * 3);  // the hole is longer than the ring: only the ring counts
  EXPECT_NEAR((face.centroid() - Vec3(0, 0, 1.5)).norm(), 0, 0.02);
  for (const SurfacePoint& p : face.points)
    EXPECT_LT(p.normal.head<2>().dot(p.position.head<2>()), 0) << "normals point into the hole";

  FaceSelector top;
  top.direction = Vec3::UnitZ();
  EXPECT_NEAR(selectFace(*kRing, top, 0.02).area(), pi * (4 - 1), 0.01 * pi * 3);
}

TEST(Face, picksTheNearestOrSaysThatTheCountIsOff) {
  FaceSelector plane;
  EXPECT_THROW(selectFace(*kBox, plane, 0.1), InputError);
  plane.near = Vec3(4, 1, 0.5);
  EXPECT_NEAR(selectFace(*kBox, plane, 0.1).centroid().x(), 4, 1e-12);
  plane.near.reset();
  plane.count = 6;
  EXPECT_NEAR(selectFace(*kBox, plane, 0.1).area(), 2 * (8 + 4 + 2), 1e-9);
  FaceSelector cylinder;
  cylinder.kind = Patch::Kind::cylinder;
  try {
    selectFace(*kBox, cylinder, 0.1);
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("catches no surface"));
    EXPECT_THAT(error.cure(), HasSubstr("plane facing"));
  }
}

// What a shape says of itself in one place must be what it says anywhere.
TEST(LocalShape, hasTheSameDistancesInItsPlace) {
  const ShapePtr ball = makeSphere({0.3, 0.2, 0.1}, 0.5);
  const ShapePtr mesh =
      makeMeshShape(stuff([&](const Vec3& p) { return ball->distance(p); }, ball->bounds(), 0.2).boundary());
  const ShapePtr block = makeBox({-0.5, -0.5, -0.5}, {0.4, 0.5, 0.5});
  const ShapePtr pin = makeCylinder({0, -1, 0}, {0, 1, 0}, 0.2);
  const Eigen::Isometry3d turn(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()));
  std::vector<Patch> patches;
  mesh->appendPatches(patches);
  const std::vector<ShapePtr> shapes{mesh,
                                     makeUnion({mesh, block, makeSphere({2, 0, 0}, 0.3)}),
                                     makeIntersection({mesh, block}),
                                     makeDifference(block, {mesh, pin, makeSphere({9, 9, 9}, 1)}),
                                     makeDifference(block, {makeUnion({mesh, pin})}),
                                     makeTransformed(makeDifference(mesh, {pin}), turn),
                                     mesh->offset(0.1)};
  std::mt19937 random(11);
  std::uniform_real_distribution<double> unit(-1, 1);
  for (std::size_t s = 0; s < shapes.size(); ++s)
    for (int place = 0; place < 60; ++place) {
      const Vec3 centre = 1.2 * Vec3(unit(random), unit(random), unit(random));
      const double reach = 0.15 * (1 + unit(random));
      const ShapePtr local = shapes[s]->local(centre, reach);
      for (int i = 0; i < 20; ++i) {
        const Vec3 p = centre + reach / std::sqrt(3.0) * Vec3(unit(random), unit(random), unit(random));
        EXPECT_NEAR(local->distance(p), shapes[s]->distance(p), 1e-12) << "shape " << s;
      }
    }
}

// Every point a face is sampled by lies on it, also a little above; none does a step beyond its rim or well
// above it. Round pieces, arcs, cuts and images in a mirror.
TEST(Face, coversItsOwnPointsAndNoOthers) {
  Extrusion arch;
  arch.outline = {
      {{0, 0}, {}}, {{0.04, 0}, {}}, {{0.04, 0.02}, {}}, {{0, 0.02}, Eigen::Vector2d(0.02, 0.035)}};
  arch.to = 0.01;
  const ShapePtr sector = makeExtrusion(arch);
  Eigen::Isometry3d turn = reflection(Vec3::UnitX(), 0.01);
  turn.rotate(Eigen::AngleAxisd(0.6, Vec3(1, 2, 3).normalized()));
  const ShapePtr cone = makeCone({0, 0, 0}, {0, 0, 0.03}, 0.02, 0.01);
  const std::vector<ShapePtr> shapes{
      makeBox({0, 0, 0}, {0.03, 0.02, 0.01}),
      makeDifference(makeBox({0, 0, 0}, {0.05, 0.04, 0.01}),
                     {makeCylinder({0.02, 0.02, -0.1}, {0.02, 0.02, 0.1}, 0.008)}),
      makeIntersection({makeSphere({0, 0, 0}, 0.02), makeBox({0, 0, 0}, {0.1, 0.1, 0.1})}),
      makeIntersection(
          {makeTorus({0, 0, 0}, {0, 0, 1}, 0.03, 0.008), makeBox({-0.1, 0, -0.1}, {0.1, 0.1, 0.1})}),
      makeDifference(cone, {makeBox({-0.1, -0.1, -0.1}, {0.1, 0, 0.1})}),
      sector,
      makeTransformed(sector, turn)};
  constexpr double kSpacing = 0.001;
  constexpr double kReach = 0.0005;
  for (std::size_t s = 0; s < shapes.size(); ++s) {
    std::vector<Patch> patches;
    shapes[s]->appendPatches(patches);
    for (const Patch& patch : patches) {
      FaceSelector selector;
      selector.kind = patch.kind;
      if (patch.kind == Patch::Kind::plane) selector.direction = patch.direction();
      std::vector<SurfacePoint> samples = patch.sample(0.002);
      std::erase_if(samples,
                    [&](const SurfacePoint& p) { return std::abs(shapes[s]->distance(p.position)) > 1e-9; });
      if (samples.empty()) continue;  // what only cuts
      selector.near = samples.front().position;
      const Face face = selectFace(*shapes[s], selector, kSpacing);
      SCOPED_TRACE(s);
      int beyond = 0;
      for (const SurfacePoint& p : face.points) {
        ASSERT_TRUE(face.covers(p.position, kReach));
        ASSERT_TRUE(face.covers(p.position + 0.9 * kReach * p.normal, kReach));
        ASSERT_FALSE(face.covers(p.position + 1.2 * kReach * p.normal, kReach));
        // A step along the surface that leaves the body's boundary leaves the face.
        const Vec3 step = p.normal.unitOrthogonal();
        const Vec3 beside = p.position + 0.002 * step;
        const Vec3 on = beside - face.patches[0].height(beside) * face.patches[0].normal(beside);
        if (std::abs(shapes[s]->distance(on)) < 1e-5) continue;
        ++beyond;
        ASSERT_FALSE(face.covers(on, kReach));
      }
      EXPECT_TRUE(patch.kind != Patch::Kind::plane || beyond > 0);
    }
  }
}

}  // namespace
}  // namespace barelattice
