/// @file
/// Triangle surfaces and what can be wrong with them.
#pragma once

#include <array>
#include <cstddef>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

/// A surface of triangles that share vertices. Corners run counter-clockwise seen from outside the material.
struct TriangleMesh {
  std::vector<Vec3> vertices;                 ///< m
  std::vector<std::array<int, 3>> triangles;  ///< indices into `vertices`

  const Vec3& corner(std::size_t triangle, int i) const {
    return vertices[static_cast<std::size_t>(triangles[triangle][static_cast<std::size_t>(i)])];
  }
  /// Enclosed volume by the divergence theorem, m3; meaningful for closed surfaces. Positive when the
  /// triangles face outward.
  double volume() const;
  double area() const;  ///< m2
  Box bounds() const;
  TriangleMesh moved(const Vec3& by) const;  ///< all of it, by a distance in m
};

/// @throws InputError where a triangle names a vertex there is none of, or a vertex is not finite.
void validate(const TriangleMesh& mesh);

/// One thing wrong with a surface, and where.
struct MeshDefect {
  enum class Kind {
    openEdge,            ///< edge of one triangle only
    crowdedEdge,         ///< edge of more than two triangles
    misorientedEdge,     ///< edge two triangles run through in the same sense
    pinchedVertex,       ///< vertex whose triangles form more than one fan
    degenerateTriangle,  ///< triangle with a repeated vertex
    duplicateTriangle,   ///< triangle on the same three vertices as another
    sliver,              ///< triangle lower than a thousandth of its longest side
    intersection,        ///< triangle that crosses another or lies on it
  };
  Kind kind = Kind::openEdge;
  std::array<int, 2> vertices{};  ///< ends of the edge, twice the vertex, or two corners of the triangle
};

/// How often each defect occurs; a solid's surface has none of them.
struct MeshDefects {
  std::size_t openEdges = 0;            ///< edges of one triangle only
  std::size_t crowdedEdges = 0;         ///< edges of more than two triangles
  std::size_t misorientedEdges = 0;     ///< edges two triangles run through in the same sense
  std::size_t pinchedVertices = 0;      ///< vertices whose triangles form more than one fan
  std::size_t degenerateTriangles = 0;  ///< triangles with a repeated vertex
  std::size_t intersections = 0;        ///< pairs of triangles that cross or fold onto each other

  bool sound() const {
    return openEdges + crowdedEdges + misorientedEdges + pinchedVertices + degenerateTriangles +
               intersections ==
           0;
  }
  /// "sound", or the defects with their counts.
  std::string text() const;
};

/// Counts the defects of the connectivity only. O(n log n).
/// @param[out] places when given, receives every defect.
MeshDefects inspectTopology(const TriangleMesh& mesh, std::vector<MeshDefect>* places = nullptr);

/// Pairs of triangles that cross or fold onto each other, found through a tree of boxes. O(n log n) for
/// well-shaped surfaces. Touching without crossing does not count.
std::vector<std::array<int, 2>> findIntersections(const TriangleMesh& mesh);

/// Counts all defects.
MeshDefects inspectMesh(const TriangleMesh& mesh);

/// Volumes enclosed by the shells of a closed surface, the parts of it that share no vertex, m3: positive for
/// bodies, negative for voids. O(n).
std::vector<double> shellVolumes(const TriangleMesh& mesh);

/// The shells themselves, in the order of shellVolumes. O(n log n).
std::vector<TriangleMesh> shellsOf(const TriangleMesh& mesh);

/// Whether the shells of a closed surface together tell what is material: bodies that overlap, a body within
/// another that faces the same way, and a cavity in nothing do not. Empty if they do, else what is wrong and
/// where; nor do more shells than can be looked at, 5000 or so. O(n log n), and O(n) for every shell whose
/// box meets another's.
std::string faultOfShells(const TriangleMesh& mesh);

/// Merges vertices with equal coordinates and drops triangles that lose a corner by it.
TriangleMesh welded(const TriangleMesh& mesh);

}  // namespace barelattice
