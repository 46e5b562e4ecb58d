#include "barelattice/mechanics/reactions.hpp"

#include <algorithm>

namespace barelattice {

Resultant resultantOf(const NodalVectors& forces, const std::function<Vec3(std::size_t)>& positionOf) {
  Resultant sum;
  for (const NodalVector& f : forces) {
    sum.force += f.value;
    sum.moment += positionOf(f.node).cross(f.value);
  }
  return sum;
}

SupportPieces::SupportPieces(const Face& face, const FaceTies& ties,
                             std::function<Vec3(std::size_t)> positionOf)
    : positionOf_(std::move(positionOf)), pieces_(piecesOf(face)), nodes_(ties.nodes) {
  for (const TieWeight& tie : ties.weights) nodes_.push_back(tie.node);
  std::sort(nodes_.begin(), nodes_.end());
  nodes_.erase(std::unique(nodes_.begin(), nodes_.end()), nodes_.end());
  std::vector<Vec3> points;
  points.reserve(nodes_.size());
  for (const std::size_t n : nodes_) points.push_back(positionOf_(n));
  pieceOf_ = nearestPieces(face, pieces_, points);
}

Reaction SupportPieces::reactionOf(const NodalVectors& forces) const {
  Reaction sum;
  static_cast<Resultant&>(sum) = resultantOf(forces, positionOf_);
  for (const FacePiece& piece : pieces_) sum.pieces.push_back({piece.centre, {}});
  for (const NodalVector& f : forces) {
    const auto place = std::lower_bound(nodes_.begin(), nodes_.end(), f.node);
    if (place == nodes_.end() || *place != f.node)
      continue;  // off the face, where kinds of one's own may hold
    const int number = pieceOf_[static_cast<std::size_t>(place - nodes_.begin())];
    PieceReaction& piece = sum.pieces[static_cast<std::size_t>(number)];
    piece.own.force += f.value;
    piece.own.moment += (positionOf_(f.node) - piece.centre).cross(f.value);
  }
  return sum;
}

}  // namespace barelattice
