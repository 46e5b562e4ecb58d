// A face that is several pieces apart from each other.
#include "barelattice/shapes/face_pieces.hpp"

#include <algorithm>
#include <numeric>

#include "base/groups.hpp"
#include "base/parallel.hpp"
#include "meshes/point_grid.hpp"

namespace barelattice {
namespace {

/// Steps of the lattice of points that part two pieces: across an edge between patches points lie up to the
/// diagonal of a step apart.
constexpr double kApart = 2;

}  // namespace

std::vector<FacePiece> piecesOf(const Face& face) {
  Groups groups(face.points.size());
  if (face.spacing > 0) {
    const double link = kApart * face.spacing;
    PointGrid grid(link);
    for (std::size_t p = 0; p < face.points.size(); ++p) {
      const Vec3& at = face.points[p].position;
      grid.visitNear(at, [&](int other) {
        if ((grid[other] - at).squaredNorm() <= link * link) groups.join(static_cast<int>(p), other);
        return false;
      });
      grid.add(at);
    }
  } else {
    for (std::size_t p = 1; p < face.points.size(); ++p) groups.join(0, static_cast<int>(p));
  }
  std::vector<FacePiece> pieces;
  std::vector<int> place(face.points.size(), -1);  // by the point that stands for the piece
  for (std::size_t p = 0; p < face.points.size(); ++p) {
    int& piece = place[static_cast<std::size_t>(groups.find(static_cast<int>(p)))];
    if (piece < 0) {
      piece = static_cast<int>(pieces.size());
      pieces.emplace_back();
    }
    FacePiece& of = pieces[static_cast<std::size_t>(piece)];
    of.points.push_back(p);
    of.area += face.points[p].area;
    of.centre += face.points[p].area * face.points[p].position;
  }
  for (FacePiece& piece : pieces) piece.centre /= piece.area;
  return pieces;
}

std::optional<Axis> axisOf(const Face& face, const FacePiece& piece) {
  constexpr std::size_t kLookedAt = 64;
  constexpr double kParallel = 1e-6;
  constexpr double kOff = 1e-4;  // of the distance of the points from the axis
  std::optional<Axis> axis;
  const std::size_t step = piece.points.size() / kLookedAt + 1;
  for (std::size_t i = 0; i < piece.points.size(); i += step) {
    const Vec3& at = face.points[piece.points[i]].position;
    const Patch* patch = face.patchAt(at, std::max(face.slack, 0.1 * face.spacing));
    if (!patch) continue;
    if (patch->kind != Patch::Kind::cylinder && patch->kind != Patch::Kind::cone &&
        patch->kind != Patch::Kind::torus)
      return {};
    const Axis own{patch->origin, patch->direction()};
    if (!axis) {
      axis = own;
      continue;
    }
    const double radius = (at - axis->through).cross(axis->direction).norm();
    if (own.direction.cross(axis->direction).norm() > kParallel ||
        (own.through - axis->through).cross(axis->direction).norm() > kOff * radius)
      return {};
  }
  return axis;
}

std::optional<Vec3> directionOf(const Face& face, const FacePiece& piece) {
  if (const std::optional<Axis> axis = axisOf(face, piece)) return axis->direction;
  Vec3 mean = Vec3::Zero();
  for (const std::size_t p : piece.points) mean += face.points[p].area / piece.area * face.points[p].normal;
  constexpr double kFlat = 1 - 1e-6;
  if (mean.norm() < kFlat) return {};
  return mean.normalized();
}

std::vector<int> nearestPieces(const Face& face, const std::vector<FacePiece>& pieces,
                               const std::vector<Vec3>& points) {
  std::vector<int> nearest(points.size(), 0);
  if (pieces.size() < 2) return nearest;
  PointGrid grid(kApart * face.spacing);
  std::vector<int> pieceOf;
  for (std::size_t piece = 0; piece < pieces.size(); ++piece)
    for (const std::size_t p : pieces[piece].points) {
      grid.add(face.points[p].position);
      pieceOf.push_back(static_cast<int>(piece));
    }
  const auto byCentre = [&](const Vec3& point) {
    std::size_t best = 0;
    for (std::size_t piece = 1; piece < pieces.size(); ++piece)
      if ((pieces[piece].centre - point).squaredNorm() < (pieces[best].centre - point).squaredNorm())
        best = piece;
    return static_cast<int>(best);
  };
  forEach(
      points.size(),
      [&](std::size_t i) {
        const std::optional<int> found = grid.nearest(points[i]);
        nearest[i] = found ? pieceOf[static_cast<std::size_t>(*found)] : byCentre(points[i]);
      },
      64);
  return nearest;
}

}  // namespace barelattice
