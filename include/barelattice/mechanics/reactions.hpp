/// @file
/// What supports exert, summed up.
#pragma once

#include <functional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/face_ties.hpp"
#include "barelattice/shapes/face_pieces.hpp"

namespace barelattice BARELATTICE_API {

/// What one piece of a support's face does to the body.
struct PieceReaction {
  Vec3 centre = Vec3::Zero();  ///< of the piece, m
  Resultant own;               ///< force on the body, moment about that centre
};

/// What a support does to the body: force, and moment about the origin; and the same by pieces.
struct Reaction : Resultant {
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
  std::vector<std::size_t> nodes_;  // ascending
  std::vector<int> pieceOf_;        // by place in nodes_
};

}  // namespace barelattice
