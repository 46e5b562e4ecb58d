/// @file
/// Tetrahedral meshes whose edges run along the sharp edges of the body and the rims of its faces.
#pragma once

#include <functional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/tet_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// One part of a surface, bounded by a rim that need not be a crease.
struct SurfacePart {
  /// True if a piece of a mesh's surface with this centre and unit normal runs along the plane, cylinder or
  /// whatever the part is cut from, within the rim or beyond it.
  std::function<bool(const Vec3& centre, const Vec3& normal)> along;
  /// True if such a piece's point lies within the rim.
  std::function<bool(const Vec3& point)> covers;
};

/// Brings edges of the mesh onto the creases of { f = 0 } (see CreaseFinder), which a lattice chamfers, and
/// onto the rims of `parts`: vertices of the surface close to such a line move onto it, edges of the surface
/// across it are split there. A corner of three faces gets a vertex. Where that would leave a tetrahedron
/// with a dihedral angle below 2 degrees, the mesh stays as it was. Vertices keep their numbers, new ones
/// follow. Where edges that point inwards end at others, two triangles of the surface may overlap by a few
/// hundredths of a spacing.
/// @param mesh its surface's vertices lie on { f = 0 }.
/// @param spacing of the lattice it comes from, m.
void sharpenTets(TetMesh& mesh, const Implicit& f, double spacing,
                 const std::vector<SurfacePart>& parts = {});

}  // namespace barelattice
