// A triangle surface that knows the exact faces behind its triangles. Internal to the room.
#pragma once

#include <vector>

#include "barelattice/shapes/mesh_shape.hpp"

namespace barelattice {

/// @param faces with nets; the patches of the shape.
/// @param faceOf the face of every triangle.
/// @throws InputError as makeMeshShape.
ShapePtr makeMeshShapeWithFaces(TriangleMesh mesh, std::vector<Patch> faces, std::vector<int> faceOf);

}  // namespace barelattice
