// Where a face lies on the surface of a mesh: its loads, its supports, its mean motion.
#pragma once

#include <span>
#include <vector>

#include "barelattice/mechanics/face_action.hpp"
#include "barelattice/tets/quadratic_tets.hpp"

namespace barelattice {

/// The triangles of a mesh's surface that lie on a face: all corners and the centre do, and the normals
/// agree. Where the mesh has edges along the rim of the face (sharpenTets), they fill it.
class FaceOnMesh {
 public:
  /// @param mesh must outlive this.
  /// @param reach how far off the face a corner may lie, m.
  FaceOnMesh(const QuadraticTets& mesh, const Face& face, double reach);

  /// The triangles' area over that of the face: 1 where all of it is there, up to chords of curved faces.
  double share() const { return area_ / faceArea_; }

  /// How far the corners of the triangles lie off the face on average, m: a corner of a bevel does not count,
  /// a face that is elsewhere does.
  double offset() const { return area_ > 0 ? offArea_ / area_ : 0; }

  /// Adds an action to nodal forces, three per node, as the integral of traction times shape functions: with
  /// straight edges nothing goes to the corners and a third of each triangle's share to the middles of its
  /// edges (the integrals of l (2 l - 1) and 4 l l'). Where part of the face is not there the rest carries
  /// the force; a pressure acts on what is there.
  void addAction(const FaceAction& action, std::vector<double>& forces) const;

  /// The mean of a nodal field of three components over the face.
  Vec3 mean(std::span<const double> field) const;

  /// The nodes of all triangles, ascending.
  std::vector<std::size_t> nodes() const;

  /// The nodes of its rim where the surface goes straight on beyond it: there, and not where the body ends
  /// with the face, rollers or a change of pressure make the stress jump. Ascending.
  std::vector<std::size_t> flushRim(const QuadraticTets& mesh) const;

 private:
  struct Triangle {
    std::array<int, 6> nodes;  // three corners, then the middles of 01, 12, 20
    Vec3 normal;               // unit, out of the material
    double area;
  };
  std::vector<Triangle> triangles_;
  double area_ = 0;
  double faceArea_ = 0;
  double offArea_ = 0;  // area times distance off the face
};

}  // namespace barelattice
