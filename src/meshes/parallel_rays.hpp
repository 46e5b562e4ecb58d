// Rays in one direction through a surface. Internal.
#pragma once

#include <Eigen/Geometry>
#include <memory>
#include <optional>
#include <vector>

#include "barelattice/meshes/triangle_mesh.hpp"
#include "barelattice/meshes/triangle_tree.hpp"

namespace barelattice {

/// Casts rays in one direction: the surface is turned until that is the third axis, so that a ray meets the
/// boxes of a tree along a line.
class ParallelRays {
 public:
  /// @param direction of length one.
  ParallelRays(const TriangleMesh& surface, const Vec3& direction);

  /// How far a ray from a point goes until it meets the surface from outside, m; nothing if it never does.
  /// O(log n + triangles whose boxes it passes).
  std::optional<double> untilEntering(const Vec3& from) const;
  /// How far it is to each of its crossings, ascending, m: of a closed surface an odd one enters if the ray
  /// begins outside.
  std::vector<double> crossings(const Vec3& from) const;

 private:
  template <class Visit>
  void forEachCrossing(const Vec3& from, const Visit& visit) const;

  Eigen::Matrix3d turn_;
  std::unique_ptr<const TriangleMesh> turned_;
  std::unique_ptr<const TriangleTree> tree_;
  double top_ = 0;
  double size_ = 0;
};

}  // namespace barelattice
