// Where a face lies on the surface of a mesh: its loads, its supports, its mean motion.
#pragma once

#include <vector>

#include "barelattice/mechanics/face_ties.hpp"
#include "barelattice/tets/quadratic_tets.hpp"

namespace barelattice {

/// The triangles of a mesh's surface that lie on a face: all corners and the centre do, and the normals
/// agree. Where the mesh has edges along the rim of the face (sharpenTets), they fill it.
class FaceOnMesh {
 public:
  /// @param mesh must outlive this.
  /// @param reach how far off the face a corner may lie, m.
  FaceOnMesh(const QuadraticTets& mesh, const Face& face, double reach);

  /// The face tied to nodes by the integral over its triangles. With straight edges the rule of the three
  /// middles is exact for the shape functions, of which only the one of the middle itself is not zero there:
  /// nothing goes to the corners, and a third of each triangle's share to the middles of its edges. The nodes
  /// of all triangles lie on the face, corners too.
  const FaceTies& ties() const { return ties_; }

  /// The triangles' area over that of the face: 1 where all of it is there, up to chords of curved faces.
  double share() const { return ties_.share(); }

  /// How far the corners of the triangles lie off the face on average, m: a corner of a bevel does not count,
  /// a face that is elsewhere does.
  double offset() const { return ties_.area > 0 ? offArea_ / ties_.area : 0; }

  /// The nodes of its rim where the surface goes straight on beyond it: there, and not where the body ends
  /// with the face, rollers or a change of pressure make the stress jump. Ascending.
  std::vector<std::size_t> flushRim(const QuadraticTets& mesh) const;

 private:
  struct Triangle {
    std::array<int, 6> nodes;  // three corners, then the middles of 01, 12, 20
    Vec3 normal;               // unit, out of the material
  };
  std::vector<Triangle> triangles_;
  FaceTies ties_;
  double offArea_ = 0;  // area times distance off the face
};

}  // namespace barelattice
