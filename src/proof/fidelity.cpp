#include "fidelity.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "barelattice/base/quantity.hpp"
#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

Vec3 normalOf(const TriangleMesh& mesh, std::size_t t) {
  return (mesh.corner(t, 1) - mesh.corner(t, 0))
      .cross(mesh.corner(t, 2) - mesh.corner(t, 0))
      .stableNormalized();
}

/// True if a point lies inside a closed surface, by the side of the nearest triangle it is on; near edges
/// that may be the wrong one of two.
bool isInside(const TriangleTree& tree, const TriangleMesh& mesh, const Vec3& point) {
  const NearestPoint nearest = tree.nearest(point);
  return normalOf(mesh, static_cast<std::size_t>(nearest.triangle)).dot(point - nearest.position) < 0;
}

}  // namespace

std::optional<NarrowPlace> narrowestLost(const TriangleMesh& body, const TriangleMesh& mesh, double spacing) {
  constexpr double kReach = 1.5;       // spacings: about what a lattice holds for certain
  constexpr double kParallel = -0.94;  // cosine
  const TriangleTree faces(body);
  const TriangleTree meshed(mesh);
  const std::vector<SurfacePoint> points = pointsOf(body, 0.5 * spacing);
  std::vector<NarrowPlace> found(points.size());
  forEach(
      points.size(),
      [&](std::size_t i) {
        const SurfacePoint& p = points[i];
        for (const bool gap : {true, false})
          // From a point half-way or beyond, the face opposite is nearer than the one left behind.
          for (const double share : {0.5, 0.25, 0.125, 0.0625}) {
            const double ahead = share * kReach * spacing;
            const Vec3 way = gap ? p.normal : Vec3(-p.normal);
            const NearestPoint nearest = faces.nearest(p.position + ahead * way);
            const Vec3 normal = normalOf(body, static_cast<std::size_t>(nearest.triangle));
            if (normal.dot(p.normal) > kParallel) continue;
            const double width = way.dot(nearest.position - p.position);
            if (width <= 0 || width > kReach * spacing) continue;
            const Vec3 middle = p.position + 0.5 * width * way;
            if (isInside(meshed, mesh, middle) != gap) continue;
            if (found[i].width == 0 || width < found[i].width) found[i] = {width, middle, gap};
          }
      },
      64);
  std::optional<NarrowPlace> narrowest;
  for (const NarrowPlace& place : found)
    if (place.width > 0 && (!narrowest || place.width < narrowest->width)) narrowest = place;
  return narrowest;
}

int eulerNumber(const TriangleMesh& surface) {
  std::vector<char> used(surface.vertices.size(), 0);
  for (const auto& t : surface.triangles)
    for (const int v : t) used[static_cast<std::size_t>(v)] = 1;
  // Every triangle has half of each of its three edges.
  return static_cast<int>(std::count(used.begin(), used.end(), 1)) -
         static_cast<int>(surface.triangles.size() / 2);
}

std::vector<std::string> meshDoubts(const TriangleMesh& body, const TriangleMesh& mesh, double spacing) {
  const double mm = spacing * kMillimetresPerMetre;
  const MissingSurface missing = missingSurface(pointsOf(body, 0.5 * spacing), mesh, spacing);
  if (missing.area > 0)
    return {fmt::format(
        "the mesh of {:.3g} mm misses {:.3g} mm2 of the solid's surface, by up to {:.3g} mm round "
        "{}: a gap or a wall there is too thin for it",
        mm, missing.area * kMillimetresPerMetre * kMillimetresPerMetre,
        missing.farthest * kMillimetresPerMetre, placeText(missing.at))};
  if (eulerNumber(body) == eulerNumber(mesh)) return {};
  const std::optional<NarrowPlace> lost = narrowestLost(body, mesh, spacing);
  if (!lost) return {};
  return {fmt::format("the mesh of {:.3g} mm {} of {:.2g} mm round {}", mm,
                      lost->gap ? "bridges a gap" : "lacks a wall", lost->width * kMillimetresPerMetre,
                      placeText(lost->at))};
}

Overlap overlap(const Shape& shape, const Implicit& body, const Box& bounds, bool inside) {
  Box box = shape.bounds();
  if (inside || shape.flat()) box = box.intersection(bounds);
  if (box.isEmpty()) return {};
  constexpr int kPoints = 64;  // along each axis
  const Vec3 step = box.sizes() / kPoints;
  std::array<Overlap, kPoints> layers;
  forEach(
      layers.size(),
      [&](std::size_t k) {
        for (int j = 0; j < kPoints; ++j)
          for (int i = 0; i < kPoints; ++i) {
            const Vec3 point =
                box.min() + step.cwiseProduct(Vec3(i, j, static_cast<double>(k)) + Vec3::Constant(0.5));
            const double value = body(point);
            const double depth = std::min(-shape.distance(point), inside ? -value : value);
            if (depth <= 0) continue;
            layers[k].volume += step.prod();
            if (depth <= layers[k].depth) continue;
            layers[k].depth = depth;
            layers[k].at = point;
          }
      },
      1);
  Overlap whole;
  for (const Overlap& layer : layers) {
    const double volume = whole.volume + layer.volume;
    if (layer.depth > whole.depth) whole = layer;
    whole.volume = volume;
  }
  return whole;
}

}  // namespace barelattice
