/// @file
/// Shapes as signed functions of space, with the analytic pieces of their boundary.
#pragma once

#include <array>
#include <cmath>
#include <memory>
#include <mutex>
#include <optional>
#include <utility>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"
#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

/// A point of a surface that stands for a small piece of it.
struct SurfacePoint {
  Vec3 position;    ///< m
  Vec3 normal;      ///< unit, out of the material
  double area = 0;  ///< m2
};

/// The true extent of a piece whose outline is not given by its kind: a face of a CAD solid.
struct PatchNet {
  PatchNet(TriangleMesh triangles, double exactArea, double triangleDeviation)
      : mesh(std::move(triangles)), area(exactArea), deviation(triangleDeviation) {}
  PatchNet(const PatchNet&) = delete;  // the tree refers to the mesh
  PatchNet& operator=(const PatchNet&) = delete;

  /// Of the triangles; made when first asked for, because most faces of a file never are.
  const TriangleTree& tree() const {
    std::call_once(treeMade_, [this] { tree_.emplace(mesh); });
    return *tree_;
  }

  const TriangleMesh mesh;  ///< its triangles; their vertices lie on the piece
  const double area;        ///< of the piece, not of the triangles, m2
  const double deviation;   ///< how far the triangles may lie off the piece, m

 private:
  mutable std::once_flag treeMade_;
  mutable std::optional<TriangleTree> tree_;
};

/// An analytic piece of a primitive's boundary. The piece may reach beyond the boundary (a disc is given as
/// the square around it); whoever samples it keeps the points that lie on the shape.
struct Patch {
  enum class Kind { plane, cylinder, cone, sphere, torus, freeform };
  Kind kind = Kind::plane;
  Vec3 origin =
      Vec3::Zero();         ///< plane: a corner; cylinder, cone: the start of the axis; else the centre (m)
  Vec3 u = Vec3::Zero();    ///< plane: first edge (m); else a unit vector across the axis
  Vec3 v = Vec3::Zero();    ///< plane: second edge (m); cylinder, cone: the axis from start to end (m);
                            ///< torus: unit vector along the axis
  double radius = 0;        ///< cylinder, sphere; cone: at the start; torus: of the ring's middle line (m)
  double secondRadius = 0;  ///< cone: at the end; torus: of the tube (m)
  double sweep = 0;         ///< cylinder: the angle it covers, from u towards v x u; 0 for the whole turn
  bool flipped = false;     ///< the material lies on the other side: a hole, the wall of a cut
  /// When given, the piece ends where the net ends; of a freeform piece the net is all there is, its
  /// triangles counter-clockwise seen from outside the material when not flipped.
  std::shared_ptr<const PatchNet> net = nullptr;

  /// Plane: unit normal out of the material. Sphere, freeform: zero. Else: unit vector along the axis.
  Vec3 direction() const;
  /// True for the wall of a hole: a round piece with the material outside of it.
  bool isHole() const { return kind != Kind::plane && kind != Kind::freeform && flipped; }
  /// Midpoints of a lattice of cells no longer than `spacing` (m) on a side, covering the piece.
  std::vector<SurfacePoint> sample(double spacing) const;
  /// Distance of a point from the whole surface the piece is cut from (the plane, the endless cylinder or
  /// cone, the sphere, the torus), m; from the net of a freeform piece.
  double distance(const Vec3& point) const { return std::abs(height(point)); }
  /// The same, positive on the side away from the material.
  double height(const Vec3& point) const;
  /// Unit normal of that surface near a point, out of the material.
  Vec3 normal(const Vec3& point) const;
  /// True if a point of the surface lies within the piece's own extent, or at most `slack` (m) beyond it.
  bool spans(const Vec3& point, double slack) const;
  /// The same piece moved out of the material by `by` (m); nothing if it shrinks away. The vertices of a
  /// freeform piece move along the normals of the triangles round them.
  std::optional<Patch> moved(double by) const;
  /// The same piece after an isometry.
  Patch transformed(const Eigen::Isometry3d& map) const;
};

class Shape;
using ShapePtr = std::shared_ptr<const Shape>;

/// A solid body as a function of space. Immutable, safe to share between threads.
class Shape : public std::enable_shared_from_this<Shape> {
 public:
  virtual ~Shape() = default;
  /// Negative inside, positive outside, zero on the boundary (m). The magnitude is the exact distance for
  /// primitives and a lower bound of it for combinations.
  virtual double distance(const Vec3& point) const = 0;
  /// A box that holds the body.
  virtual Box bounds() const = 0;
  /// True for a region of the plane, whose distance ignores z: its bounds do not limit it along z.
  virtual bool flat() const { return false; }
  /// True if the body is known to be convex and its distance to be a convex function.
  virtual bool convex() const { return false; }
  /// Appends the pieces the boundary is made of.
  virtual void appendPatches(std::vector<Patch>& patches) const = 0;
  /// The body grown by `by` (m), or shrunk by a negative one. Primitives round their edges when they grow;
  /// combinations are offset part by part, so their inner and outer corners stay sharp.
  /// @throws InputError where the parts do not tell the answer: a union cannot be shrunk, nor can a
  ///   difference whose cut is a union be grown, because the distance inside the union is not known where
  ///   its parts overlap.
  virtual ShapePtr offset(double by) const;
  /// The triangles of a body that is made of triangles; nullptr for others.
  virtual const TriangleMesh* triangles() const { return nullptr; }
  /// A body with the same distances within `reach` (m) of `centre` that answers faster: for many questions
  /// about one small place. May be this one itself.
  virtual ShapePtr local(const Vec3& centre, double reach) const;
};

/// The axis-parallel box with opposite corners `low` and `high` (m).
/// @throws InputError unless low < high in every coordinate.
ShapePtr makeBox(const Vec3& low, const Vec3& high);

/// The round bar of the given radius whose axis runs from `from` to `to` (m).
/// @throws InputError if the radius or the length is not positive.
ShapePtr makeCylinder(const Vec3& from, const Vec3& to, double radius);

/// The round bar whose radius changes evenly from `radius` at `from` to `endRadius` at `to` (m); one of the
/// radii may be zero.
/// @throws InputError if the length is not positive, a radius is negative or both are equal.
ShapePtr makeCone(const Vec3& from, const Vec3& to, double radius, double endRadius);

/// @throws InputError if the radius (m) is not positive.
ShapePtr makeSphere(const Vec3& centre, double radius);

/// The round ring whose tube of radius `tube` follows the circle of radius `radius` (m) about `axis`.
/// @throws InputError unless 0 < tube < radius and the axis has a direction.
ShapePtr makeTorus(const Vec3& centre, const Vec3& axis, double radius, double tube);

/// A corner of an outline and how the outline gets there from the corner before: straight, or by the arc
/// through a point.
struct OutlineCorner {
  Eigen::Vector2d point = Eigen::Vector2d::Zero();  ///< m
  std::optional<Eigen::Vector2d> through;           ///< a point of the arc between its ends, m
  /// Above zero, the way is a chord of a curve; the chords of a loop with the same number make one face.
  int curve = 0;
};
using OutlineLoop = std::vector<OutlineCorner>;

/// A prism: an outline in the plane of two coordinate axes, swept along the third.
struct Extrusion {
  OutlineLoop outline;             ///< corners in either sense; not closed explicitly
  int first = 0;                   ///< the coordinate (0 x, 1 y, 2 z) of an outline point's first entry
  int second = 1;                  ///< the coordinate of its second entry
  double from = 0;                 ///< start along the remaining coordinate, m
  double to = 0;                   ///< end, m; from < to
  std::vector<OutlineLoop> holes;  ///< outlines of what is cut out, in either sense
  bool endless = false;  ///< the distance ignores the ends, and only the sides are patches: a region of the
                         ///< plane, whose ends only say where its sides are sampled
};

/// @throws InputError if an outline has fewer than three corners (two with an arc), no area or crosses
///   itself or another, or from >= to.
ShapePtr makeExtrusion(const Extrusion& extrusion);

/// What lies in at least one of `parts` (one or more).
ShapePtr makeUnion(std::vector<ShapePtr> parts);
/// What lies in all of `parts` (one or more).
ShapePtr makeIntersection(std::vector<ShapePtr> parts);
/// What lies in `body` but in none of `cuts`.
ShapePtr makeDifference(ShapePtr body, std::vector<ShapePtr> cuts);
/// The body moved by an isometry (which may be a reflection).
ShapePtr makeTransformed(ShapePtr body, const Eigen::Isometry3d& map);
/// What of `body` lies within `depth` (m, above zero) of a piece of its boundary, measured along the piece's
/// normals.
ShapePtr makeLayer(ShapePtr body, const Patch& piece, double depth);

/// The reflection in the plane normal . x = at (m). @param normal of length one.
Eigen::Isometry3d reflection(const Vec3& normal, double at);

}  // namespace barelattice
