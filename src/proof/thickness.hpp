// How thick walls are, and how wide gaps.
#pragma once

#include <optional>
#include <vector>

#include "barelattice/meshes/triangle_mesh.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice {

/// A ball between two faces that look at each other.
struct BallBetween {
  double diameter = 0;         ///< m
  Vec3 centre = Vec3::Zero();  ///< m
};

/// The ball that touches the surface at each point from within (of gaps: from without) and a face that looks
/// the other way; nothing where there is none up to a diameter. Faces whose normals are less than 150 degrees
/// apart are not two sides of a wall: no ball shrinks into the corner of a box.
/// @param points on the surface. @param largest diameter looked for, m.
/// O(points log triangles) typically.
std::vector<std::optional<BallBetween>> ballsBetween(const TriangleMesh& surface,
                                                     const std::vector<SurfacePoint>& points, double largest,
                                                     bool gaps);

}  // namespace barelattice
