#include "thickness.hpp"

#include <Eigen/Geometry>
#include <cmath>

#include "barelattice/meshes/triangle_tree.hpp"
#include "base/parallel.hpp"

namespace barelattice {

// A ball of radius r that touches at p, where the normal out of what it lies in is n, has its centre at p - r
// n. It passes through another point q if |q - p + r n| = r, that is
//
//   r = |p - q|^2 / (2 n . (p - q))                                               (1)
//
// The largest one that holds no point of the other faces is found by shrinking (Ma, Bae & Choi 2012): from
// the largest radius looked for, take the nearest point of them to the centre; if it lies within, (1) gives a
// smaller ball through it; repeat. Each ball holds the next, so nothing met before comes back into it.
//
// Where the two faces meet at an edge, balls shrink towards it: that is no thin wall but the tip of a wedge.
// With phi the angle between the faces the tip lies, beyond the centre in the direction of the sum of the
// normals, at
//
//   l = r / sin(phi / 2)                                                          (2)
//
// and a ball is left out if what lies 2.5 l that way is outside (2 l reach the cusp of two arcs, whose faces
// bend towards each other) and what lies l / 2 that way is not: a round bar ends there already, at r. The
// waist of a bar, on whose flanks faces approach each other too, goes on.

std::vector<std::optional<BallBetween>> ballsBetween(const TriangleMesh& surface,
                                                     const std::vector<SurfacePoint>& points, double largest,
                                                     bool gaps) {
  constexpr double kFacing = -0.866;  // cosine of 150 degrees
  constexpr double kTouching = 1e-6;
  constexpr int kMostSteps = 40;
  const TriangleTree tree(surface);
  std::vector<Vec3> normals(surface.triangles.size());
  for (std::size_t t = 0; t < normals.size(); ++t)
    normals[t] = (surface.corner(t, 1) - surface.corner(t, 0))
                     .cross(surface.corner(t, 2) - surface.corner(t, 0))
                     .stableNormalized();
  const auto outside = [&](const Vec3& place) {
    const NearestPoint nearest = tree.nearest(place);
    return normals[static_cast<std::size_t>(nearest.triangle)].dot(place - nearest.position) > 0;
  };
  /// @param sum of the unit normals of both faces: twice the sine of half their angle long.
  const auto endsInTip = [&](const Vec3& centre, double radius, const Vec3& sum) {
    constexpr double kParallel = 0.02;
    constexpr double kBefore = 0.5;
    constexpr double kBeyond = 2.5;
    const double sine = 0.5 * sum.norm();
    if (sine < kParallel) return false;
    const Vec3 tip = radius / sine * sum.normalized();  // (2), from the centre
    return outside(centre + kBefore * tip) == gaps && outside(centre + kBeyond * tip) != gaps;
  };
  std::vector<std::optional<BallBetween>> balls(points.size());
  forEach(
      points.size(),
      [&](std::size_t i) {
        const Vec3& p = points[i].position;
        const Vec3 n = gaps ? Vec3(-points[i].normal) : points[i].normal;
        double radius = 0.5 * largest;
        const auto facing = [&](int t) {
          return normals[static_cast<std::size_t>(t)].dot(points[i].normal) <= kFacing;
        };
        int touched = -1;
        for (int step = 0; step < kMostSteps; ++step) {
          const NearestPoint nearest = tree.nearestWhere(p - radius * n, radius * (1 - kTouching), facing);
          if (nearest.triangle < 0) break;
          const Vec3 way = p - nearest.position;
          const double depth = n.dot(way);
          if (!(depth > 0)) break;
          radius = way.squaredNorm() / (2 * depth);  // (1)
          touched = nearest.triangle;
        }
        if (touched < 0) return;
        const Vec3 centre = p - radius * n;
        const Vec3 other = gaps ? Vec3(-normals[static_cast<std::size_t>(touched)])
                                : normals[static_cast<std::size_t>(touched)];
        if (!endsInTip(centre, radius, n + other)) balls[i] = BallBetween{2 * radius, centre};
      },
      64);
  return balls;
}

}  // namespace barelattice
