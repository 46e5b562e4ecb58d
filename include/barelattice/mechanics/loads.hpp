/// @file
/// Kinds of loads, and what they come to.
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <variant>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/matrix_layout.hpp"
#include "barelattice/mechanics/nodal.hpp"
#include "barelattice/shapes/face.hpp"

namespace barelattice BARELATTICE_API {

struct FaceTies;

/// A force and the moment about a point.
struct Resultant {
  Vec3 force = Vec3::Zero();   ///< N
  Vec3 moment = Vec3::Zero();  ///< N m

  Resultant& operator+=(const Resultant& other) {
    force += other.force;
    moment += other.moment;
    return *this;
  }
};

/// What acts on a face: a force spread evenly over it, and a pressure along its inward normals.
struct FaceAction {
  Vec3 force = Vec3::Zero();  ///< N in total
  double pressure = 0;        ///< Pa, positive pushes into the material
};

/// The pressure of a liquid at rest: none above its surface, and below it growing evenly with the depth.
struct DepthPressure {
  Vec3 surface = Vec3::Zero();  ///< a point of the surface, m
  Vec3 down = -Vec3::UnitZ();   ///< unit vector
  double perDepth = 0;          ///< Pa/m: density times gravity
};

/// What a pin presses on a bore with, or a bore on a pin: a pressure on the half that faces it, largest in
/// the line of the force and falling with the cosine of the angle from it. Their resultant is the force.
struct Bearing {
  Vec3 force = Vec3::Zero();  ///< N, across the axis of the face
};

/// Where a load is meant to act at a point or along an edge: an area round it, as far as `reach`, over which
/// it fades out with the square of the distance.
struct Spot {
  Vec3 from = Vec3::Zero();  ///< m
  Vec3 to = Vec3::Zero();    ///< m; the same for a point
  double reach = 0;          ///< m, above zero
};

/// A force and a moment at a point that may lie off the face, which stays free to deform: tractions that are
/// a rigid motion's, t = a + b x (x - c), with the same resultant. They do the work of the force and the
/// moment on the mean motion of the face, see meanMotions.
struct Remote {
  std::optional<Vec3> at = {};    ///< m; the centroid of what takes it if not given
  Vec3 force = Vec3::Zero();      ///< N
  Vec3 moment = Vec3::Zero();     ///< N m
  std::optional<Spot> spot = {};  ///< the part of the face that takes it; all of it if not given
};

/// A force on all mass of the body that is linear in space, mass times `at`: its weight in a field g, with -a
/// what it feels when its supports are accelerated by a, and what spinning does to it.
struct BodyForce {
  Vec3 perMass = Vec3::Zero();                         ///< at the origin, N/kg
  Eigen::Matrix3d gradient = Eigen::Matrix3d::Zero();  ///< by place, N/(kg m)

  Vec3 at(const Vec3& place) const { return perMass + gradient * place; }
  bool isZero() const { return perMass.isZero(0) && gradient.isZero(0); }
  bool isEven() const { return gradient.isZero(0); }
  BodyForce& operator+=(const BodyForce& other) {
    perMass += other.perMass;
    gradient += other.gradient;
    return *this;
  }
  BodyForce operator*(double factor) const { return {factor * perMass, factor * gradient}; }
};

/// What a body feels that turns: speed^2 r outward, and -spinUp x r against being sped up.
/// @param through a point of the axis, m. @param axis unit vector.
/// @param speed rad/s. @param spinUp rad/s2, about the axis.
BodyForce spinning(const Vec3& through, const Vec3& axis, double speed, double spinUp = 0);

/// All of the body is warmer by this than where it is free of stress.
struct Temperature {
  double change = 0;  ///< K
};

/// A load of one's own kind.
class OwnLoad {
 public:
  virtual ~OwnLoad() = default;
  virtual NodalVectors forces(const FaceTies& face) const = 0;  ///< N
};

using LoadKind = std::variant<FaceAction, BodyForce, std::shared_ptr<const OwnLoad>, DepthPressure, Bearing,
                              Remote, Temperature>;

/// The forces of a load on the points that stand for its face, N; none of loads on the whole body and such of
/// one's own.
/// @param share how much of the face the points stand for where what they miss is a discretisation's own
///   coarseness: pressures are that much larger.
/// @throws InputError if a load cannot act on these points: a bearing force along the axis.
std::vector<Vec3> forcesAt(const LoadKind& kind, std::span<const SurfacePoint> points, double share = 1);

/// Resultant of a load on a face, about `about` (m).
Resultant resultantOnFace(const Face& face, const LoadKind& kind, const Vec3& about);

/// The mean motion of points that stand for areas, and forces that do work on it alone. With weights w
/// (areas), centroid c and J = sum w (|x - c|^2 I - (x - c)(x - c)^T), the rigid motion nearest to
/// displacements u by least squares turns by
///   theta = J^-1 sum w (x - c) x u;
/// the forces w (F / sum w + J^-1 M x (x - c)) have the resultant F and the moment M about c, and their work
/// is F . mean u + M . theta.
class MeanMotion {
 public:
  /// @param weights one for each point, not negative, not all zero.
  MeanMotion(std::span<const SurfacePoint> points, std::vector<double> weights);

  const Vec3& centre() const { return centre_; }
  /// False for an axis on which all points lie: about it nothing turns.
  bool turnsAbout(const Vec3& axis) const { return !(inverse_ * axis).isZero(); }
  /// theta, rad. @param displacements of the points, m.
  Vec3 turnOf(std::span<const Vec3> displacements) const;
  /// The part of point `i` in a force and a moment about the centre.
  Vec3 at(std::size_t i, const Vec3& force, const Vec3& moment) const {
    return weights_[i] * (force / total_ + (inverse_ * moment).cross(points_[i].position - centre_));
  }

 private:
  std::span<const SurfacePoint> points_;
  std::vector<double> weights_;
  double total_ = 0;
  Vec3 centre_ = Vec3::Zero();
  Eigen::Matrix3d inverse_ = Eigen::Matrix3d::Zero();  // of J, zero about an axis nothing turns about
};

}  // namespace barelattice
