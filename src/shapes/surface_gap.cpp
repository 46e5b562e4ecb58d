#include "barelattice/shapes/surface_gap.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <memory>
#include <set>

#include "barelattice/meshes/triangle_tree.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {

SurfaceGap surfaceGap(const TriangleMesh& a, const TriangleMesh& b) {
  if (a.triangles.empty() || b.triangles.empty()) throw InputError("one of the surfaces has no triangles");
  validate(a);
  validate(b);
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
  requireNotNegative("tolerance", tolerance);
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
  requirePositive("spacing", spacing);
  validate(surface);
  Patch piece;
  piece.kind = Patch::Kind::freeform;
  piece.net = std::make_shared<const PatchNet>(surface, surface.area(), 0.0);
  return piece.sample(spacing);
}

std::optional<Fit> fitOf(const TriangleMesh& surface, const Patch& cylinder, double tolerance) {
  validate(surface);
  if (cylinder.kind != Patch::Kind::cylinder) throw InputError("pins and rings are sought on cylinders only");
  requireNotNegative("tolerance", tolerance);
  const Vec3 axis = cylinder.direction();
  const double length = cylinder.v.norm();
  double least = std::numeric_limits<double>::max();
  double most = 0;
  double outward = 0;  // area by how it faces
  std::set<int> corners;
  for (const auto& t : surface.triangles) {
    std::array<Vec3, 3> across;  // the corners seen along the axis, from it
    bool beside = true;
    for (std::size_t i = 0; i < 3; ++i) {
      const Vec3 offset = surface.vertices[static_cast<std::size_t>(t[i])] - cylinder.origin;
      const double along = axis.dot(offset);
      across[i] = offset - along * axis;
      beside = beside && along > -tolerance && along < length + tolerance &&
               std::abs(across[i].norm() - cylinder.radius) <= tolerance;
    }
    const double seen = (across[1] - across[0]).cross(across[2] - across[0]).norm();
    const double longest = std::max(
        {(across[1] - across[0]).norm(), (across[2] - across[1]).norm(), (across[0] - across[2]).norm()});
    // Seen along the axis a wall is a line; what has an area from there is an end.
    constexpr double kLine = 0.2;
    if (!beside || seen > kLine * longest * longest) continue;
    const auto at = [&](std::size_t i) -> const Vec3& {
      return surface.vertices[static_cast<std::size_t>(t[i])];
    };
    outward +=
        (at(1) - at(0)).cross(at(2) - at(0)).dot((across[0] + across[1] + across[2]).stableNormalized());
    for (std::size_t i = 0; i < 3; ++i) {
      const Vec3 edge = across[(i + 1) % 3] - across[i];
      const double share =
          edge.isZero(0) ? 0 : std::clamp(-across[i].dot(edge) / edge.squaredNorm(), 0.0, 1.0);
      least = std::min(least, (across[i] + share * edge).norm());
      most = std::max(most, across[i].norm());
      corners.insert(t[i]);
    }
  }
  if (corners.size() < 8) return std::nullopt;
  return Fit{2 * (outward < 0 ? least : most), outward < 0};
}

}  // namespace barelattice
