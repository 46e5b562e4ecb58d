#include "barelattice/geometry/surface_gap.hpp"

#include <algorithm>
#include <cmath>

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
      gap.largest = std::max(gap.largest, distance[v]);
    }
    return sum / count;
  };
  gap.mean = 0.5 * (oneWay(a, b) + oneWay(b, a));
  return gap;
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
