/// @file
/// Measuring one surface against another, or against what it should be.
#pragma once

#include <optional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

/// How far two surfaces lie apart: distances from the vertices of each to the other, m.
struct SurfaceGap {
  double mean = 0;
  double largest = 0;
  Vec3 largestAt = Vec3::Zero();  ///< the vertex, m
};
SurfaceGap surfaceGap(const TriangleMesh& a, const TriangleMesh& b);

/// Surface of a body that a mesh of it comes nowhere near: the sides of gaps it bridges and of walls it left
/// out.
struct MissingSurface {
  double area = 0;         ///< m2
  double farthest = 0;     ///< from the mesh, of all points, missing or not, m
  Vec3 at = Vec3::Zero();  ///< the farthest point, m
};

/// @param truth points of the body's surface.
/// @param tolerance distance from the mesh beyond which a point is missing, m.
MissingSurface missingSurface(const std::vector<SurfacePoint>& truth, const TriangleMesh& mesh,
                              double tolerance);

/// Points of a surface at most `spacing` (m) apart.
std::vector<SurfacePoint> pointsOf(const TriangleMesh& surface, double spacing);

/// What fits a round wall.
struct Fit {
  double diameter = 0;  ///< of the largest pin that enters the hole, of the smallest ring over the boss, m
  bool hole = false;    ///< the surface faces the axis
};

/// On the axis of the patch and over its length; nothing if the surface has fewer than eight corners there.
/// @param tolerance how far beside the patch the surface is still looked at, m.
std::optional<Fit> fitOf(const TriangleMesh& surface, const Patch& cylinder, double tolerance);

}  // namespace barelattice
