/// @file
/// A face that is several pieces apart from each other, such as six bores.
#pragma once

#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/shapes/face.hpp"

namespace barelattice BARELATTICE_API {

/// One of the pieces: what of a face hangs together.
struct FacePiece {
  Vec3 centre = Vec3::Zero();       ///< centroid of its area, m
  double area = 0;                  ///< m2
  std::vector<std::size_t> points;  ///< numbers in Face::points, ascending
};

/// The pieces of a face in the order of their first points: points at most twice the face's spacing apart
/// hang together. One piece where the face tells no spacing. O(number of points).
std::vector<FacePiece> piecesOf(const Face& face);

/// By point: the piece (a number in `pieces`) that is nearest to it.
std::vector<int> nearestPieces(const Face& face, const std::vector<FacePiece>& pieces,
                               const std::vector<Vec3>& points);

}  // namespace barelattice
