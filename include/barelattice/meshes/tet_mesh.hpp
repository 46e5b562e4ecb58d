/// @file
/// Tetrahedral meshes of implicit bodies.
#pragma once

#include <array>
#include <functional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// A mesh of tetrahedra with positive volume: the fourth corner lies on the side the normal of (0, 1, 2)
/// points to.
struct TetMesh {
  std::vector<Vec3> vertices;            ///< m
  std::vector<std::array<int, 4>> tets;  ///< indices into `vertices`

  double volume() const;  ///< m3
  /// The faces of one tetrahedron only, facing outward. Vertices keep their numbers; unused ones stay listed.
  TriangleMesh boundary() const;
};

/// @throws InputError where a tetrahedron names a vertex there is none of, or a vertex is not finite.
void validate(const TetMesh& mesh);

/// Signed function of space, negative inside the body. Called from several threads at once.
using Implicit = std::function<double(const Vec3&)>;

/// What becomes of parts of a body too thin for the lattice.
enum class FeatherEdges {
  kept,     ///< they stay, with poor tetrahedra: right for a surface
  trimmed,  ///< up to a quarter of a spacing is cut off, so that no piece hangs on by slivers: right for
            ///< analysis
};

/// Fills the body { f < 0 } with tetrahedra of a body-centred cubic lattice by isosurface stuffing
/// (Labelle & Shewchuk 2007): lattice points close to the surface are moved onto it, tetrahedra that still
/// cross it are cut. The boundary is a closed, oriented, manifold surface without self-intersections, since
/// every piece of it stays inside its own lattice tetrahedron. Sharp edges are chamfered within one cell.
/// Vertices of the boundary lie on { f = 0 } to 1e-4 of the spacing, except where the body thins out to a
/// feather edge the lattice cannot resolve.
/// @param bounds box the body lies in, m; what sticks out is cut off.
/// @param spacing edge of the lattice's cubes, m, above zero; a solid cube of that size holds 12 tetrahedra.
/// @throws InputError if the lattice would have more than 2^28 points; RunError if pinches remain.
TetMesh stuff(const Implicit& f, const Box& bounds, double spacing,
              FeatherEdges feathers = FeatherEdges::kept);

/// Smallest and largest dihedral angle of a tetrahedron, degrees. A regular one has 70.5 everywhere.
std::array<double, 2> dihedralRange(const TetMesh& mesh, std::size_t tet);

}  // namespace barelattice
