/// @file
/// Restoring the sharp edges a lattice chamfers.
#pragma once

#include <vector>

#include "barelattice/meshes/tet_mesh.hpp"

namespace barelattice {

/// Moves or adds vertices where neighbours of `surface` lie on faces of { f = 0 } whose normals
/// differ by 35 to 120 degrees, so that edges of the surface run along the crease; corners of three faces get
/// a vertex of their own. The crease point is where the tangent planes of both faces meet, found again with
/// planes taken close to it (the feature points of Kobbelt et al. 2001, Feature sensitive surface
/// extraction). The connectivity stays that of the surface with some triangles split. Where that folds or
/// crosses the surface, it is left as it was.
/// @param surface closed, vertices on { f = 0 }.
/// @param spacing of the lattice the surface comes from, m; no vertex moves further than this.
/// @param origin where the coordinates of its files will count from, m.
/// @return the sharpened surface.
TriangleMesh sharpenEdges(const Implicit& f, double spacing, const TriangleMesh& surface,
                          const Vec3& origin = Vec3::Zero());

}  // namespace barelattice
