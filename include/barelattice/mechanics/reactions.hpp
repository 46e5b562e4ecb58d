/// @file
/// What supports exert, summed up.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/face_ties.hpp"
#include "barelattice/shapes/face_pieces.hpp"

namespace barelattice BARELATTICE_API {

/// What one piece of a support's face does to the body.
struct PieceReaction {
  Vec3 centre = Vec3::Zero();     ///< of the piece, m
  Resultant own;                  ///< force on the body, moment about that centre
  std::optional<Vec3> axis = {};  ///< of a round piece, or the normal of a flat one
  /// The force along the axis, and what is left across it, N.
  double axial() const { return axis->dot(own.force); }
  double shear() const { return (own.force - axial() * *axis).norm(); }
};

/// What a support does to the body: force, and moment about the origin; and the same by pieces.
struct Reaction : Resultant {
  /// The moment about the face's own centre, N m.
  Vec3 ownMoment() const { return moment - centre.cross(force); }

  Vec3 centre = Vec3::Zero();         ///< of the face, m
  std::vector<PieceReaction> pieces;  ///< as piecesOf the support's face tells them
};

/// The resultant of nodal forces about the origin.
Resultant resultantOf(const NodalVectors& forces, const std::function<Vec3(std::size_t)>& positionOf);

/// The pieces of one support's face, with the piece that each node of a discretisation is part of.
class SupportPieces {
 public:
  SupportPieces(const Face& face, const FaceTies& ties, std::function<Vec3(std::size_t)> positionOf);

  /// @param forces of the support on the body, see Grounding::forces.
  Reaction reactionOf(const NodalVectors& forces) const;

 private:
  std::function<Vec3(std::size_t)> positionOf_;
  std::vector<FacePiece> pieces_;
  std::vector<std::optional<Vec3>> axes_;  // of the pieces
  Vec3 centre_;
  std::vector<std::size_t> nodes_;  // ascending
  std::vector<int> pieceOf_;        // by place in nodes_
};

}  // namespace barelattice
