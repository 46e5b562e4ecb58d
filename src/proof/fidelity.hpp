/// @file
/// Whether a mesh is the body it is meant to be.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice {

/// A place where two faces of a body lie closer to each other than a mesh can hold.
struct NarrowPlace {
  double width = 0;        ///< m
  Vec3 at = Vec3::Zero();  ///< half-way between the faces, m
  bool gap = true;         ///< else a wall
};

/// The narrowest gap that a mesh bridges or wall that it lacks, between faces parallel to 20 degrees and less
/// than 1.5 spacings apart; nothing if there is none. Looks from points half a spacing apart: O(n log n).
std::optional<NarrowPlace> narrowestLost(const TriangleMesh& body, const TriangleMesh& mesh, double spacing);

/// Bodies, voids and handles of a closed surface: twice the number of shells less twice that of handles.
int eulerNumber(const TriangleMesh& surface);

/// What of a body a mesh does not show, in sentences that name the place; none where it may be taken for the
/// body: faces more than a spacing from the mesh, and gaps and walls without which the mesh hangs together in
/// another way than the body.
/// @param body its surface. @param mesh the surface of the mesh.
/// @param spacing of the mesh, m.
std::vector<std::string> meshDoubts(const TriangleMesh& body, const TriangleMesh& mesh, double spacing);

/// Where a body is inside a shape, or is missing there.
struct Overlap {
  double volume = 0;       ///< m3, to about a hundredth of the box both have in common
  double depth = 0;        ///< the largest distance from either boundary, m
  Vec3 at = Vec3::Zero();  ///< where that is, m
};

/// What lies inside the shape and inside the body (or outside of it), sampled on 64 x 64 x 64 points of the
/// box they have in common (of the shape's box).
/// @param bounds of the body, m. @param inside false for what of the shape the body lacks.
Overlap overlap(const Shape& shape, const Implicit& body, const Box& bounds, bool inside);

}  // namespace barelattice
