/// @file
/// A face as a discretisation sees it: all that is computed on faces, for voxels, squares and tetrahedra
/// alike.
#pragma once

#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/loads.hpp"
#include "barelattice/mechanics/nodal.hpp"
#include "barelattice/mechanics/supports.hpp"
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
  std::vector<Vec3> places;        ///< of those nodes, m
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

/// The forces of a load on nodes, N. They act on what is there of the face, and their resultant is kept.
/// @throws InputError if nothing of the face is there, or the load cannot act on it.
NodalVectors forcesOn(const FaceTies& face, const LoadKind& kind);

/// The ties of each piece of a face, in the order of `piecesOf(face)`; such of which there is nothing have
/// none.
std::vector<FaceTies> tiesByPiece(const Face& face, const FaceTies& ties);

/// The mean motion of a face in a nodal field: its mean displacement, and its mean rotation about the
/// centroid of the ties, see MeanMotion. About an axis on which all of it lies it does not turn.
RigidMotion meanMotionOn(const FaceTies& face, std::span<const double> field, const DofOrder& order);

/// The mean of a nodal field over the face, each point by its nodes' weights.
Vec3 meanOn(const FaceTies& face, std::span<const double> field, const DofOrder& order);

/// The mean motions of a face as vectors W: W_i^T u is, for i = 0 to 2, its mean displacement along axis i
/// (m), and for 3 to 5 its mean rotation about axis i - 3 through the centroid of the ties (rad), see
/// MeanMotion. About an axis on which all of the face lies no rotation is told: that vector is empty.
/// @param axes unit vectors at right angles, as columns.
/// @param at displacements are those of this point, carried along by the mean motion; of the centroid if not
///   given.
std::vector<NodalVectors> meanMotions(const FaceTies& face, const Eigen::Matrix3d& axes,
                                      const std::optional<Vec3>& at = {});

}  // namespace barelattice
