/// @file
/// A closed triangle surface as a shape.
#pragma once

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

/// The body inside a closed surface. Distances are exact to the triangles; the sign comes from the
/// angle-weighted normals of the nearest face, edge or vertex (Baerentzen & Aanaes 2005). A surface that
/// faces inward throughout is turned round. Patches are the flat areas of more than a thousandth of the
/// surface. Cost of a distance: O(log n) typically.
/// @throws InputError if the surface is empty, open, crowded, misoriented or pinched; the message counts
/// what.
ShapePtr makeMeshShape(TriangleMesh mesh);

}  // namespace barelattice
