/// @file
/// Shapes as signed functions of space, with the analytic pieces of their boundary.
#pragma once

#include <array>
#include <memory>
#include <vector>

#include "barelattice/geometry/vec.hpp"

namespace barelattice {

/// A point of a surface that stands for a small piece of it.
struct SurfacePoint {
  Vec3 position;    ///< m
  Vec3 normal;      ///< unit, out of the material
  double area = 0;  ///< m2
};

/// An analytic piece of a primitive's boundary. The piece may reach beyond the boundary (a disc is given as
/// the square around it); whoever samples it keeps the points that lie on the shape.
struct Patch {
  enum class Kind { plane, cylinder };
  Kind kind = Kind::plane;
  Vec3 origin = Vec3::Zero();  ///< plane: a corner; cylinder: the start of the axis (m)
  Vec3 u = Vec3::Zero();       ///< plane: first edge (m); cylinder: unit vector across the axis
  Vec3 v = Vec3::Zero();       ///< plane: second edge (m); cylinder: the axis from start to end (m)
  double radius = 0;           ///< cylinder only, m
  bool flipped = false;        ///< the material lies on the other side: a hole, the wall of a cut

  /// Plane: unit normal out of the material. Cylinder: unit vector along the axis.
  Vec3 direction() const;
  /// True for the wall of a hole: a cylinder with the material outside of it.
  bool isHole() const { return kind == Kind::cylinder && flipped; }
  /// Midpoints of a lattice of cells no longer than `spacing` (m) on a side, covering the piece.
  std::vector<SurfacePoint> sample(double spacing) const;
};

/// A solid body as a function of space. Immutable, safe to share between threads.
class Shape {
 public:
  virtual ~Shape() = default;
  /// Negative inside, positive outside, zero on the boundary (m). The magnitude is the exact distance for
  /// primitives and a lower bound of it for combinations.
  virtual double distance(const Vec3& point) const = 0;
  /// A box that holds the body.
  virtual Box bounds() const = 0;
  /// Appends the pieces the boundary is made of.
  virtual void appendPatches(std::vector<Patch>& patches) const = 0;
};

using ShapePtr = std::shared_ptr<const Shape>;

/// The axis-parallel box with opposite corners `low` and `high` (m).
/// @throws InputError unless low < high in every coordinate.
ShapePtr makeBox(const Vec3& low, const Vec3& high);

/// The round bar of the given radius whose axis runs from `from` to `to` (m).
/// @throws InputError if the radius or the length is not positive.
ShapePtr makeCylinder(const Vec3& from, const Vec3& to, double radius);

/// A prism: a simple polygon in the plane of two coordinate axes, swept along the third.
struct Extrusion {
  std::vector<Eigen::Vector2d> outline;  ///< corners in either sense, m; not closed explicitly
  int first = 0;                         ///< the coordinate (0 x, 1 y, 2 z) of an outline point's first entry
  int second = 1;                        ///< the coordinate of its second entry
  double from = 0;                       ///< start along the remaining coordinate, m
  double to = 0;                         ///< end, m; from < to
};

/// @throws InputError if the outline has fewer than three corners, no area or crosses itself, or from >= to.
ShapePtr makeExtrusion(const Extrusion& extrusion);

/// What lies in at least one of `parts` (one or more).
ShapePtr makeUnion(std::vector<ShapePtr> parts);
/// What lies in all of `parts` (one or more).
ShapePtr makeIntersection(std::vector<ShapePtr> parts);
/// What lies in `body` but in none of `cuts`.
ShapePtr makeDifference(ShapePtr body, std::vector<ShapePtr> cuts);

}  // namespace barelattice
