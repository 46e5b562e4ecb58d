/// @file
/// A face as a discretisation sees it: all that is computed on faces, for voxels, squares and tetrahedra
/// alike.
#pragma once

#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/face_action.hpp"
#include "barelattice/mechanics/nodal.hpp"
#include "barelattice/shapes/face.hpp"

namespace barelattice BARELATTICE_API {

/// The share of a node in what happens at a point.
struct TieWeight {
  std::size_t node = 0;
  double weight = 0;
};

/// How a face is tied to the nodes of a discretisation: points that stand for shares of its area, each with
/// the weights of nodes around it. The weights of a point add up to one and reproduce linear functions, so
/// that forces keep their moments whatever the nodes are.
struct FaceTies {
  struct Tie {
    SurfacePoint point;
    std::size_t end = 0;  ///< of its weights; they begin where those of the tie before end
  };
  std::vector<Tie> ties;
  std::vector<TieWeight> weights;
  std::vector<std::size_t> nodes;  ///< that lie on the face and are held with it, ascending
  double area = 0;                 ///< of all ties, m2
  double faceArea = 0;             ///< of the face, m2
  /// True if what the discretisation misses of a face is its own coarseness, which pressures have to make up
  /// for; false if the body ends there.
  bool missesByCoarseness = false;

  /// How much of the face is there, 0 to 1 (a little above it for chords outside a curved face).
  double share() const { return area / faceArea; }

  /// Appends a point; its weights are those appended to `weights` since the one before.
  void close(const SurfacePoint& point) {
    ties.push_back({point, weights.size()});
    area += point.area;
  }
};

/// The forces of an action on nodes, N. A force is spread evenly over what is there of the face, so its
/// resultant is kept; moments are those of the ties.
/// @throws InputError if nothing of the face is there.
NodalVectors forcesOn(const FaceTies& face, const FaceAction& action);

/// The mean of a nodal field over the face, each point by its nodes' weights.
Vec3 meanOn(const FaceTies& face, std::span<const double> field, const DofOrder& order);

/// The mean motions of a face as vectors W: W_i^T u is, for i = 0 to 2, its mean displacement along axis i
/// (m), and for 3 to 5 its mean rotation about axis i - 3 through the centroid of the ties (rad). The
/// rotation is that of the rigid motion nearest to the face's displacements, by least squares over the area:
///   theta = J^-1 integral (x - c) x (u - mean u) dA,  J = integral (|x - c|^2 I - (x - c)(x - c)^T) dA.
/// About an axis on which all of the face lies no rotation is told: that vector is empty.
/// @param axes unit vectors at right angles, as columns.
std::vector<NodalVectors> meanMotions(const FaceTies& face, const Eigen::Matrix3d& axes);

}  // namespace barelattice
