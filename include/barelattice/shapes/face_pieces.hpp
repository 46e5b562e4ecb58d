/// @file
/// A face that is several pieces apart from each other, such as six bores.
#pragma once

#include <optional>
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

/// A line in space.
struct Axis {
  Vec3 through = Vec3::Zero();     ///< m
  Vec3 direction = Vec3::UnitZ();  ///< unit vector
};

/// The axis of a piece all of whose parts are round about one: a bore, a shaft, a stepped or conical one.
/// Nothing if there is no such axis.
std::optional<Axis> axisOf(const Face& face, const FacePiece& piece);

/// The direction in which a piece is told apart from all others: along the axis of a round one, along the
/// normal of a flat one; nothing if it has neither.
std::optional<Vec3> directionOf(const Face& face, const FacePiece& piece);

/// By point: the piece (a number in `pieces`) that is nearest to it.
std::vector<int> nearestPieces(const Face& face, const std::vector<FacePiece>& pieces,
                               const std::vector<Vec3>& points);

}  // namespace barelattice
