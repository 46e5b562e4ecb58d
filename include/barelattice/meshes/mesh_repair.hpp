/// @file
/// What is wrong with a triangle surface from outside, and mending what has one answer only.
#pragma once

#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// Every defect of a surface with its place: those of the connectivity, duplicate triangles, slivers and
/// intersections. O(n log n).
std::vector<MeshDefect> findDefects(const TriangleMesh& mesh);

/// "open edge", "self-intersection" ...
const char* nameOf(MeshDefect::Kind kind);

/// The middle of a defect, m.
Vec3 placeOf(const TriangleMesh& mesh, const MeshDefect& defect);

struct MendedMesh {
  TriangleMesh mesh;
  std::vector<std::string> done;  ///< what was changed, for people; empty if nothing
};

/// Mends what can be mended in one way only: joins vertices closer than a millionth of the size of the
/// surface where edges are open, drops triangles without area or given twice, turns triangles round that face
/// against their neighbours, turns a surface round that faces inward throughout, and closes holes of one
/// missing triangle. Larger holes, crossings and edges of three and more sheets stay as they are.
MendedMesh mended(const TriangleMesh& mesh);

}  // namespace barelattice
