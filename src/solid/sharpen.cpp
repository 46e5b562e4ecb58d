#include "sharpen.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <numeric>
#include <optional>
#include <unordered_map>
#include <utility>

#include "barelattice/formats/stl.hpp"
#include "base/parallel.hpp"
#include "meshes/crease.hpp"
#include "meshes/split_triangle.hpp"

namespace barelattice {
namespace {

constexpr double kSnap = 0.2;           // a vertex this close to the crease (in spacings) moves onto it
constexpr std::size_t kPerBlock = 256;  // vertices or edges per block: some dozen samples of f each

using Edge = std::pair<int, int>;

class Sharpener {
 public:
  Sharpener(const Implicit& f, double spacing, const TriangleMesh& surface, const Vec3& origin)
      : finder_(f, spacing),
        spacing_(spacing),
        surface_(surface),
        filesFrom_(origin),
        blunt_(surface.vertices.size(), 0) {
    normals_.resize(surface.vertices.size());
    forEach(
        normals_.size(), [&](std::size_t v) { normals_[v] = finder_.normal(surface_.vertices[v]); },
        kPerBlock);
    findCreases();
  }

  TriangleMesh sharpened() {
    constexpr int kRounds = 6;  // each leaves out what folded in the one before
    for (int round = 0; round < kRounds; ++round) {
      TriangleMesh result = build();
      const TriangleMesh rounded = asInFiles(result);
      const auto crossings = findIntersections(rounded);
      const std::vector<int> twins = coincidentVertices(rounded);
      if (crossings.empty() && twins.empty()) return result;
      for (const auto& pair : crossings)
        for (const int t : pair)
          for (const int v : result.triangles[static_cast<std::size_t>(t)]) blunt(v);
      for (const int v : twins) blunt(v);
    }
    return surface_;
  }

 private:
  const Vec3& vertex(int v) const { return surface_.vertices[static_cast<std::size_t>(v)]; }
  const Vec3& normal(int v) const { return normals_[static_cast<std::size_t>(v)]; }
  Tangent tangent(int v) const { return {vertex(v), normal(v)}; }

  /// Vertices that share their place with another one: a file would join them, and the surface would pinch.
  static std::vector<int> coincidentVertices(const TriangleMesh& mesh) {
    std::vector<int> order(mesh.vertices.size());
    std::iota(order.begin(), order.end(), 0);
    const auto place = [&](int v) {
      const Vec3& p = mesh.vertices[static_cast<std::size_t>(v)];
      return std::array<double, 3>{p.x(), p.y(), p.z()};
    };
    std::sort(order.begin(), order.end(), [&](int a, int b) { return place(a) < place(b); });
    std::vector<int> twins;
    for (std::size_t i = 1; i < order.size(); ++i)
      if (place(order[i]) == place(order[i - 1])) twins.insert(twins.end(), {order[i - 1], order[i]});
    return twins;
  }

  /// Faults are looked for in what files will hold. Vertices keep their numbers.
  TriangleMesh asInFiles(TriangleMesh mesh) const {
    for (Vec3& v : mesh.vertices) v = roundedToStl(v, filesFrom_);
    return mesh;
  }

  void findCreases() {
    std::vector<Edge> edges;
    for (const auto& t : surface_.triangles)
      for (std::size_t i = 0; i < 3; ++i) {
        const Edge edge{t[i], t[(i + 1) % 3]};
        if (edge.first < edge.second && CreaseFinder::mayMeet(normal(edge.first), normal(edge.second)))
          edges.push_back(edge);
      }
    std::vector<std::optional<Crease>> creases(edges.size());
    forEach(
        edges.size(),
        [&](std::size_t e) {
          creases[e] = finder_.between(tangent(edges[e].first), tangent(edges[e].second));
        },
        kPerBlock);
    for (std::size_t e = 0; e < edges.size(); ++e)
      if (creases[e]) creases_.emplace_back(edges[e], *creases[e]);
  }

  TriangleMesh build() {
    TriangleMesh result = surface_;
    origin_.assign(surface_.vertices.size(), {});
    for (std::size_t v = 0; v < origin_.size(); ++v) origin_[v] = {static_cast<int>(v), static_cast<int>(v)};
    // Vertices next to a crease move onto it, each to its nearest crease point.
    std::vector<double> least(surface_.vertices.size(), kSnap * spacing_);
    std::vector<char> snapped(surface_.vertices.size(), 0);
    for (const auto& [edge, crease] : creases_) {
      const double first = (crease.point - vertex(edge.first)).norm();
      const double second = (crease.point - vertex(edge.second)).norm();
      const auto i = static_cast<std::size_t>(first < second ? edge.first : edge.second);
      const double gap = std::min(first, second);
      if (blunt_[i] || gap >= least[i]) continue;
      least[i] = gap;
      snapped[i] = 1;
      result.vertices[i] = crease.point;
    }
    // Edges across a crease get a vertex on it, unless one of their ends has moved onto that same crease.
    std::unordered_map<std::uint64_t, int> inserted;
    for (const auto& [edge, crease] : creases_) {
      const auto done = [&, at = &crease](int v) {
        const auto i = static_cast<std::size_t>(v);
        return blunt_[i] || (snapped[i] && at->distance(result.vertices[i]) < kSnap * spacing_);
      };
      if (done(edge.first) || done(edge.second)) continue;
      inserted[key(edge.first, edge.second)] = append(result, crease.point, {edge.first, edge.second});
    }
    std::vector<std::array<int, 3>> triangles;
    triangles.reserve(result.triangles.size() + 2 * inserted.size());
    for (const auto& t : result.triangles) split(t, inserted, result, triangles);
    result.triangles = std::move(triangles);
    return result;
  }

  static std::uint64_t key(int a, int b) {
    return static_cast<std::uint64_t>(std::min(a, b)) << 32 | static_cast<std::uint32_t>(std::max(a, b));
  }

  int append(TriangleMesh& mesh, const Vec3& point, const std::array<int, 2>& origin) {
    mesh.vertices.push_back(point);
    origin_.push_back(origin);
    return static_cast<int>(mesh.vertices.size()) - 1;
  }

  void split(const std::array<int, 3>& t, const std::unordered_map<std::uint64_t, int>& inserted,
             TriangleMesh& mesh, std::vector<std::array<int, 3>>& out) {
    std::array<int, 3> middle{};  // on the edge from corner i to corner i + 1, or -1
    int count = 0;
    for (std::size_t i = 0; i < 3; ++i) {
      const auto found = inserted.find(key(t[i], t[(i + 1) % 3]));
      middle[i] = found == inserted.end() ? -1 : found->second;
      count += middle[i] >= 0;
    }
    if (count == 3)
      splitCorner(t, middle, mesh, out);
    else
      splitTriangle(mesh, t, middle, out);
  }

  /// Three faces meet inside the triangle: a fan round their common point.
  void splitCorner(const std::array<int, 3>& t, const std::array<int, 3>& middle, TriangleMesh& mesh,
                   std::vector<std::array<int, 3>>& out) {
    const Vec3 centre = (vertex(t[0]) + vertex(t[1]) + vertex(t[2])) / 3;
    std::optional<Vec3> point = finder_.corner({tangent(t[0]), tangent(t[1]), tangent(t[2])}, centre);
    if (!point) {
      point = Vec3::Zero();
      for (const int m : middle) *point += mesh.vertices[static_cast<std::size_t>(m)] / 3;
    }
    const int hub = append(mesh, *point, {t[0], t[1]});
    for (std::size_t i = 0; i < 3; ++i) {
      out.push_back({t[i], middle[i], hub});
      out.push_back({middle[i], t[(i + 1) % 3], hub});
    }
  }

  /// Leaves the vertices a new vertex comes from as they were from now on.
  void blunt(int vertex) {
    for (const int o : origin_[static_cast<std::size_t>(vertex)]) blunt_[static_cast<std::size_t>(o)] = 1;
  }

  CreaseFinder finder_;
  double spacing_;
  const TriangleMesh& surface_;
  Vec3 filesFrom_;  // where the coordinates of files count from, m
  std::vector<Vec3> normals_;
  std::vector<std::pair<Edge, Crease>> creases_;
  std::vector<char> blunt_;                 // vertices that must stay as they are
  std::vector<std::array<int, 2>> origin_;  // per vertex of the result: the edge it comes from
};

}  // namespace

TriangleMesh sharpenEdges(const Implicit& f, double spacing, const TriangleMesh& surface,
                          const Vec3& origin) {
  return Sharpener(f, spacing, surface, origin).sharpened();
}

}  // namespace barelattice
