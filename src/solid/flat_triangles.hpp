// Triangles without height. Internal to the room.
#pragma once

#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice {

/// Turns the longest edge of triangles without height, the corners of which the reduction has moved into one
/// line, over to the corner beyond it: they have no normal, and no area that would be missed.
void turnFlatTriangles(TriangleMesh& mesh);

}  // namespace barelattice
