/// @file
/// Picking a piece of a shape's boundary by what it is, not by a number.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

/// The words for the kinds of pieces, in the order of Patch::Kind.
const std::vector<std::string>& patchKindNames();
const std::string& nameOf(Patch::Kind kind);

/// Sizes from `low` to `high`, both included; from one number, that number to 0.1 %.
struct Range {
  double low = 0;
  double high = 0;
  Range(double from, double to) : low(from), high(to) {}
  Range(double value) : low(0.999 * value), high(1.001 * value) {}
  bool holds(double value) const { return value >= low && value <= high; }
};

struct Face;

/// Which pieces of a boundary are meant. Every entry that is given must fit.
struct FaceSelector {
  Patch::Kind kind = Patch::Kind::plane;
  std::optional<Range> radius;      ///< round pieces: Patch::radius, m
  std::optional<Range> area;        ///< of the part that lies on the boundary, m2
  std::optional<Box> within;        ///< the piece lies in this box, m
  std::vector<const Face*> beside;  ///< the piece meets each of these along an edge or in a corner
  std::optional<bool> hole;         ///< round pieces: the wall of a hole, or the outside of a boss
  std::optional<Vec3>
      direction;  ///< plane: out of the material; round ones: along the axis, either sense; to 1 deg
  std::optional<Vec3> near;  ///< of the pieces that fit, the `count` nearest to this point (m)
  int count = 1;             ///< how many pieces are meant, 1 or more
};

/// A piece of surface on which a support or a load acts.
struct Face {
  std::vector<SurfacePoint> points;  ///< a lattice of points covering the face; their areas add up to it
  std::vector<Patch> patches;        ///< the analytic pieces the face was picked from
  ShapePtr shape = nullptr;          ///< the body it was picked from
  double slack = 0;                  ///< how far off that body's boundary its points may lie, m
  double spacing = 0;                ///< longest distance between neighbouring points, m; 0 if not known

  /// The piece whose part of the face a point lies on, or at most `reach` (m) above or below; else nullptr.
  const Patch* patchAt(const Vec3& point, double reach) const;
  bool covers(const Vec3& point, double reach) const { return patchAt(point, reach) != nullptr; }
  double area() const;    ///< m2
  Vec3 centroid() const;  ///< m
};

/// Picks from the boundary of `shape`. A piece counts only where it lies on the boundary: a bore cut through
/// a boss has the boss's length.
/// @param spacing longest distance between neighbouring points of the face, m, above zero.
/// @throws InputError if the number of pieces that fit is not `selector.count` (the message lists what there
///   is to choose).
Face selectFace(const Shape& shape, const FaceSelector& selector, double spacing);

}  // namespace barelattice
