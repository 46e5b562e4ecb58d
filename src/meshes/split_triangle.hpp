/// @file
/// Triangles whose edges got a vertex in between.
#pragma once

#include <array>
#include <vector>

#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice {

/// Appends the triangles a triangle falls into, so that all edges still meet those of their neighbours.
/// @param middle the vertex on the edge from corner i to corner i + 1, -1 for none.
void splitTriangle(const TriangleMesh& mesh, const std::array<int, 3>& t, const std::array<int, 3>& middle,
                   std::vector<std::array<int, 3>>& out);

}  // namespace barelattice
