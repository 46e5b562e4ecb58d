#include "exact_faces.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

/// Distance of a point from the nearest of the shapes' boundaries, m.
double offShapes(const std::vector<const Shape*>& shapes, const Vec3& point) {
  double least = std::numeric_limits<double>::max();
  for (const Shape* shape : shapes) least = std::min(least, std::abs(shape->distance(point)));
  return least;
}

/// Where a way from a point of the surface, straight away from it, comes to the surface again by a face of
/// one of the shapes that is parallel to the first; `reach` if not before that. Steps as far as no shape can
/// be (sphere tracing, Hart 1996).
/// @param way unit, into the gap or the wall.
double widthFrom(const Vec3& from, const Vec3& way, const Implicit& part,
                 const std::vector<const Shape*>& shapes, double reach) {
  constexpr double kParallel = 0.94;  // cosine
  // A face opposite would be nearer to the middle of the reach than the one left behind.
  constexpr double kHalf = 0.499;
  if (offShapes(shapes, from + 0.5 * reach * way) > kHalf * reach) return reach;
  const double step = 1e-4 * reach;
  const bool inside = part(from + step * way) < 0;
  for (double t = step; t < reach;) {
    const Vec3 at = from + t * way;
    t += std::max(offShapes(shapes, at), step);
    if (t >= reach) break;
    const Vec3 next = from + t * way;
    if ((part(next) < 0) == inside) continue;
    if (offShapes(shapes, next) > 2 * step) return reach;  // the layout ends it
    Vec3 slope;
    for (int i = 0; i < 3; ++i)
      slope[i] = part(next + step * Vec3::Unit(i)) - part(next - step * Vec3::Unit(i));
    const Vec3 onward = (inside ? 1.0 : -1.0) * slope.stableNormalized();
    return onward.dot(way) > kParallel ? t : reach;
  }
  return reach;
}

/// True if straight away from a point of the surface, within `reach`, the part begins or ends again where no
/// shape does.
bool endedByLayout(const Vec3& from, const Vec3& way, const Implicit& part,
                   const std::vector<const Shape*>& shapes, double reach) {
  constexpr int kSteps = 8;
  constexpr int kHalvings = 20;
  const double close = 1e-4 * reach;
  const bool inside = part(from + close * way) < 0;
  double low = close;
  for (int step = 1; step <= kSteps; ++step) {
    double high = reach * step / kSteps;
    if ((part(from + high * way) < 0) == inside) {
      low = high;
      continue;
    }
    for (int halving = 0; halving < kHalvings; ++halving) {
      const double middle = 0.5 * (low + high);
      ((part(from + middle * way) < 0) == inside ? low : high) = middle;
    }
    return offShapes(shapes, from + high * way) > close;
  }
  return false;
}

/// True if the layout ends the part within `reach` of a point of its surface, seen from just above or below
/// it.
bool nextToLayout(const SurfacePoint& p, const Implicit& part, const std::vector<const Shape*>& shapes,
                  double reach) {
  const Vec3 across = p.normal.unitOrthogonal();
  const Vec3 along = p.normal.cross(across);
  for (const double side : {-1.0, 1.0}) {
    if (endedByLayout(p.position, side * p.normal, part, shapes, reach)) return true;
    const Vec3 beside = p.position + side * 0.05 * reach * p.normal;
    for (const Vec3& way : {across, along, Vec3(-across), Vec3(-along)})
      if (endedByLayout(beside, way, part, shapes, reach)) return true;
  }
  return false;
}

}  // namespace

std::vector<const Shape*> exactShapes(const Regions& regions) {
  std::vector<const Shape*> shapes{regions.space.get()};
  for (const ShapePtr& keep : regions.keeps) shapes.push_back(keep.get());
  for (const ShapePtr& clear : regions.clears) shapes.push_back(clear.get());
  for (const MaterialRegion& region : regions.materials)
    if (region.bonded) shapes.push_back(region.shape.get());
  return shapes;
}

double narrowestPlace(const Implicit& part, const Regions& regions, double reach) {
  const std::vector<const Shape*> shapes = exactShapes(regions);
  const std::vector<SurfacePoint> points = exactSurface(part, regions, reach);
  std::vector<double> width(points.size());
  forEach(
      points.size(),
      [&](std::size_t i) {
        const SurfacePoint& p = points[i];
        width[i] = std::min(widthFrom(p.position, p.normal, part, shapes, reach),
                            widthFrom(p.position, -p.normal, part, shapes, reach));
      },
      64);
  double least = reach;
  for (const double w : width) least = std::min(least, w);
  return least;
}

std::vector<SurfacePoint> exactSurface(const Implicit& part, const Regions& regions, double spacing) {
  std::vector<Patch> patches;
  for (const Shape* shape : exactShapes(regions)) shape->appendPatches(patches);
  std::vector<SurfacePoint> points;
  for (const Patch& patch : patches) {
    const std::vector<SurfacePoint> own = patch.sample(spacing);
    points.insert(points.end(), own.begin(), own.end());
  }
  // The part ends at a point if it is inside on one side and outside on the other, whichever that is.
  const double step = 1e-5 * spacing;
  std::vector<char> on(points.size());
  forEach(
      points.size(),
      [&](std::size_t i) {
        const SurfacePoint& p = points[i];
        on[i] = (part(p.position + step * p.normal) < 0) != (part(p.position - step * p.normal) < 0);
      },
      256);
  std::size_t kept = 0;
  for (std::size_t i = 0; i < points.size(); ++i)
    if (on[i]) points[kept++] = points[i];
  points.resize(kept);
  return points;
}

FaceCheck checkFaces(const TriangleMesh& surface, const Implicit& part, const Regions& regions,
                     double spacing, std::vector<SurfacePoint> exact) {
  const std::vector<const Shape*> shapes = exactShapes(regions);
  const auto offFaces = [&](const Vec3& point) { return offShapes(shapes, point); };
  std::vector<double> off(surface.vertices.size());
  forEach(
      off.size(), [&](std::size_t v) { off[v] = offFaces(surface.vertices[v]); }, 256);
  FaceCheck check;
  for (std::size_t t = 0; t < surface.triangles.size(); ++t) {
    double corners = 0;
    Vec3 middle = Vec3::Zero();
    for (int i = 0; i < 3; ++i) {
      corners =
          std::max(corners, off[static_cast<std::size_t>(surface.triangles[t][static_cast<std::size_t>(i)])]);
      middle += surface.corner(t, i) / 3;
    }
    const Vec3 normal = (surface.corner(t, 1) - surface.corner(t, 0))
                            .cross(surface.corner(t, 2) - surface.corner(t, 0))
                            .stableNormalized();
    const bool flatEnd = regions.thickness > 0 && std::abs(normal.z()) > 0.5;  // exact by construction
    if (corners > 1e-3 * spacing || flatEnd) continue;
    ++check.triangles;
    const double distance = offFaces(middle);
    if (distance <= check.largest) continue;
    check.largest = distance;
    check.largestAt = middle;
  }
  if (!surface.triangles.empty()) {
    const TriangleTree tree(surface);
    std::erase_if(exact, [&](const SurfacePoint& p) {
      return tree.nearest(p.position).distance > spacing && nextToLayout(p, part, shapes, spacing);
    });
  }
  const MissingSurface missing = missingSurface(exact, surface, spacing);
  check.missing = missing.area;
  if (missing.farthest > check.largest) {
    check.largest = missing.farthest;
    check.largestAt = missing.at;
  }
  return check;
}

}  // namespace barelattice
