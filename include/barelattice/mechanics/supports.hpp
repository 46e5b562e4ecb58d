/// @file
/// Kinds of supports.
#pragma once

#include <Eigen/Core>
#include <memory>
#include <optional>
#include <variant>

#include "barelattice/base/api.hpp"
#include "barelattice/base/matrix_layout.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

struct FaceTies;
class Grounding;

/// A small motion of a whole body.
struct RigidMotion {
  Vec3 shift = Vec3::Zero();  ///< of the point `about`, m
  Vec3 turn = Vec3::Zero();   ///< rad
  Vec3 about = Vec3::Zero();  ///< m

  Vec3 at(const Vec3& place) const { return shift + turn.cross(place - about); }
  bool isZero() const { return shift.isZero(0) && turn.isZero(0); }
};

/// Every point of a face is held.
struct Held {
  unsigned directions = 7;                             ///< bit i: it cannot move along axis i
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();  ///< unit vectors at right angles, as columns
  RigidMotion moved = {};  ///< where the points are held: in the held directions they go along with it
};

/// Every point of a face is held along the face's normal there, and slides over it: a flat face on a plane, a
/// bore on a pin on which it turns and slides, a ball in its cup.
struct Slide {};

/// A pin in a bore: every point is held towards the axis and along it, and turns about it.
struct Pin {};

/// Springs under every point of a face.
struct Foundation {
  double normal = 0;      ///< stiffness per area against moving along the face's normal, N/m3, not negative
  double tangential = 0;  ///< the same across it, N/m3
};

/// A spring of this stiffness (N/m, N m) is as good as rigid: solvers put a millionth of the body's own
/// flexibility in series with it, see LowRank.
inline constexpr double kRigid = 1e20;

/// Springs to the ground on the mean motion of a face, which is free to deform otherwise: see meanMotions. A
/// face of several pieces has such springs under each, at its own centroid; or all of it has those of one
/// point, which its mean motion carries along.
struct MeanSprings {
  Vec3 slide = Vec3::Zero();  ///< against mean displacement along each axis, N/m, not negative
  Vec3 turn = Vec3::Zero();   ///< against mean rotation about each axis, N m, not negative
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();  ///< unit vectors at right angles, as columns
  std::optional<Vec3> at = {};                         ///< the point, m
};

/// Bolts to a rigid base, one through each bore of the face. A bolt is a beam (Timoshenko 1921) clamped at
/// the base, a grip length below the seat of its head: the head carries the seat's mean displacement along
/// the axis (E A / L) and its mean tilt, the shank the bore's mean displacement across it, half way down the
/// bore. About its own axis it holds nothing. What the part stands on is a support of its own.
struct Bolt {
  std::size_t seat = 0;  ///< index into Setup::faces: the ring under the heads
  double diameter = 0;   ///< of the shank, m
  double grip = 0;       ///< length from the base to the head, m
  double modulus = 0;    ///< Pa
  double poisson = 0.3;
  double preload = 0;  ///< what the heads press with before anything else acts, N
};

/// A support of one's own kind.
class OwnSupport {
 public:
  virtual ~OwnSupport() = default;
  /// Holds nodes, puts springs under them, or couples them.
  /// @param number of the support, to be given to the grounding with whatever is done.
  virtual void ground(const FaceTies& face, int number, Grounding& grounding) const = 0;
};

using SupportKind =
    std::variant<Held, Foundation, MeanSprings, std::shared_ptr<const OwnSupport>, Slide, Pin, Bolt>;

}  // namespace barelattice
