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
    : positionOf_(std::move(positionOf)),
      pieces_(piecesOf(face)),
      centre_(face.centroid()),
      nodes_(ties.nodes) {
  for (const FacePiece& piece : pieces_) axes_.push_back(directionOf(face, piece));
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
  sum.centre = centre_;
  for (std::size_t p = 0; p < pieces_.size(); ++p) sum.pieces.push_back({pieces_[p].centre, {}, axes_[p]});
  for (const NodalVector& f : forces) {
    const auto place = std::lower_bound(nodes_.begin(), nodes_.end(), f.node);
    const Vec3 at = positionOf_(f.node);
    // Off the face, on a bolt's seat or where kinds of one's own hold, it is the nearest piece's.
    const auto nearest = [&] {
      return std::min_element(sum.pieces.begin(), sum.pieces.end(),
                              [&](const PieceReaction& a, const PieceReaction& b) {
                                return (a.centre - at).squaredNorm() < (b.centre - at).squaredNorm();
                              }) -
             sum.pieces.begin();
    };
    if (sum.pieces.empty()) continue;
    const auto number = place == nodes_.end() || *place != f.node
                            ? nearest()
                            : pieceOf_[static_cast<std::size_t>(place - nodes_.begin())];
    PieceReaction& piece = sum.pieces[static_cast<std::size_t>(number)];
    piece.own.force += f.value;
    piece.own.moment += (at - piece.centre).cross(f.value);
  }
  return sum;
}

}  // namespace barelattice
