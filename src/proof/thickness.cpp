#include "thickness.hpp"

#include <Eigen/Geometry>
#include <cmath>

#include "barelattice/meshes/triangle_tree.hpp"
#include "base/parallel.hpp"

namespace barelattice {

// A ball of radius r that touches at p, where the normal out of what it lies in is n, has its centre at p - r n.
// It passes through another point q if |q - p + r n| = r, that is
//
//   r = |p - q|^2 / (2 n . (p - q))                                               (1)
//
// The largest one that holds no point of the other faces is found by shrinking (Ma, Bae & Choi 2012): from the
// largest radius looked for, take the nearest point of them to the centre; if it lies within, (1) gives a
// smaller ball through it; repeat. Each ball holds the next, so nothing met before comes back into it.

std::vector<std::optional<BallBetween>> ballsBetween(const TriangleMesh& surface,
                                                     const std::vector<SurfacePoint>& points, double largest,
                                                     bool gaps) {
  constexpr double kFacing = -0.5;  // cosine of 120 degrees
  constexpr double kTouching = 1e-6;
  constexpr int kMostSteps = 40;
  const TriangleTree tree(surface);
  std::vector<Vec3> normals(surface.triangles.size());
  for (std::size_t t = 0; t < normals.size(); ++t)
    normals[t] = (surface.corner(t, 1) - surface.corner(t, 0))
                     .cross(surface.corner(t, 2) - surface.corner(t, 0))
                     .stableNormalized();
  std::vector<std::optional<BallBetween>> balls(points.size());
  forEach(
      points.size(),
      [&](std::size_t i) {
        const Vec3& p = points[i].position;
        const Vec3 n = gaps ? Vec3(-points[i].normal) : points[i].normal;
        double radius = 0.5 * largest;
        std::vector<int> facing;
        for (const int t : tree.within(p - radius * n, radius)) {
          const Vec3& other = normals[static_cast<std::size_t>(t)];
          if (other.dot(points[i].normal) <= kFacing) facing.push_back(t);
        }
        bool found = false;
        for (int step = 0; step < kMostSteps && !facing.empty(); ++step) {
          const NearestPoint nearest = tree.nearestOf(p - radius * n, facing);
          if (nearest.distance > radius * (1 - kTouching)) break;
          const Vec3 way = p - nearest.position;
          const double depth = n.dot(way);
          if (!(depth > 0)) break;
          radius = way.squaredNorm() / (2 * depth);  // (1)
          found = true;
        }
        if (found) balls[i] = BallBetween{2 * radius, p - radius * n};
      },
      64);
  return balls;
}

}  // namespace barelattice
