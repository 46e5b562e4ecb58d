#include "barelattice/geometry/surface_gap.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>

#include "barelattice/base/parallel.hpp"
#include "barelattice/geometry/triangle_tree.hpp"

namespace barelattice {

SurfaceGap surfaceGap(const TriangleMesh& a, const TriangleMesh& b) {
  SurfaceGap gap;
  const auto oneWay = [&](const TriangleMesh& from, const TriangleMesh& to) {
    const TriangleTree tree(to);
    std::vector<char> used(from.vertices.size(), 0);
    for (const auto& t : from.triangles)
      for (const int v : t) used[static_cast<std::size_t>(v)] = 1;
    std::vector<double> distance(from.vertices.size(), 0.0);
    forEach(
        distance.size(),
        [&](std::size_t v) { distance[v] = used[v] ? tree.nearest(from.vertices[v]).distance : 0; }, 256);
    double sum = 0;
    double count = 0;
    for (std::size_t v = 0; v < distance.size(); ++v) {
      sum += distance[v];
      count += used[v];
      if (distance[v] <= gap.largest) continue;
      gap.largest = distance[v];
      gap.largestAt = from.vertices[v];
    }
    return sum / count;
  };
  gap.mean = 0.5 * (oneWay(a, b) + oneWay(b, a));
  return gap;
}

MissingSurface missingSurface(const std::vector<SurfacePoint>& truth, const TriangleMesh& mesh,
                              double tolerance) {
  MissingSurface missing;
  if (mesh.triangles.empty()) {
    missing.farthest = std::numeric_limits<double>::infinity();
    for (const SurfacePoint& point : truth) missing.area += point.area;
    return missing;
  }
  const TriangleTree tree(mesh);
  std::vector<double> distance(truth.size());
  forEach(
      distance.size(), [&](std::size_t i) { distance[i] = tree.nearest(truth[i].position).distance; }, 256);
  for (std::size_t i = 0; i < distance.size(); ++i) {
    if (distance[i] > tolerance) missing.area += truth[i].area;
    if (distance[i] <= missing.farthest) continue;
    missing.farthest = distance[i];
    missing.at = truth[i].position;
  }
  return missing;
}

std::vector<SurfacePoint> pointsOf(const TriangleMesh& surface, double spacing) {
  Patch piece;
  piece.kind = Patch::Kind::freeform;
  piece.net = std::make_shared<const PatchNet>(surface, surface.area(), 0.0);
  return piece.sample(spacing);
}

std::optional<double> measuredDiameter(const TriangleMesh& surface, const Patch& cylinder, double tolerance) {
  const Vec3 axis = cylinder.direction();
  double sum = 0;
  int count = 0;
  for (const Vec3& vertex : surface.vertices) {
    const Vec3 offset = vertex - cylinder.origin;
    const double along = axis.dot(offset);
    if (along < 0 || along > cylinder.v.norm()) continue;
    const double radius = (offset - along * axis).norm();
    if (std::abs(radius - cylinder.radius) > tolerance) continue;
    sum += radius;
    ++count;
  }
  if (count < 8) return std::nullopt;
  return 2 * sum / count;
}

}  // namespace barelattice
