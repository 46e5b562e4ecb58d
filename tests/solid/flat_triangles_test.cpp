#include "solid/flat_triangles.hpp"

#include <gtest/gtest.h>

#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice {
namespace {

double leastHeight(const TriangleMesh& mesh) {
  double least = 1;
  for (const auto& t : mesh.triangles) {
    const auto at = [&](std::size_t i) -> const Vec3& {
      return mesh.vertices[static_cast<std::size_t>(t[i])];
    };
    const double longest = std::max({(at(1) - at(0)).norm(), (at(2) - at(1)).norm(), (at(0) - at(2)).norm()});
    least = std::min(least, (at(1) - at(0)).cross(at(2) - at(0)).norm() / (longest * longest));
  }
  return least;
}

/// A tetrahedron one edge of which is filled with triangles without height, one within the other.
TriangleMesh nested(int count) {
  TriangleMesh mesh;
  mesh.vertices = {{0, 0, 0}, {1, 0, 0}, {0.2, 1, 0}, {0.3, 0.3, 1}};
  mesh.triangles = {{0, 2, 1}, {1, 2, 3}, {2, 0, 3}};
  // The side 0, 1, 3 sees the edge from 0 to 1 cut up: each point between lies beyond the one before.
  int last = 1;
  for (int k = 0; k < count; ++k) {
    const int next = static_cast<int>(mesh.vertices.size());
    mesh.vertices.emplace_back(1 - (k + 1.0) / (count + 1), 0, 0);
    mesh.triangles.push_back({0, last, next});
    mesh.triangles.push_back({next, last, 3});
    last = next;
  }
  mesh.triangles.push_back({0, last, 3});
  return mesh;
}

TEST(FlatTriangles, areTurnedUntilNoneIsLeft) {
  for (const int count : {1, 2, 5, 40}) {
    TriangleMesh mesh = nested(count);
    const double volume = mesh.volume();
    EXPECT_EQ(leastHeight(mesh), 0);
    const std::size_t triangles = mesh.triangles.size();
    turnFlatTriangles(mesh);
    EXPECT_EQ(mesh.triangles.size(), triangles);
    EXPECT_GT(leastHeight(mesh), 1e-4) << count;
    EXPECT_NEAR(mesh.volume(), volume, 1e-12);
    EXPECT_TRUE(inspectMesh(mesh).sound()) << inspectMesh(mesh).text();
  }
}

TEST(FlatTriangles, othersStayAsTheyAre) {
  TriangleMesh mesh = nested(0);
  const auto before = mesh.triangles;
  turnFlatTriangles(mesh);
  EXPECT_EQ(mesh.triangles, before);
}

}  // namespace
}  // namespace barelattice
