/// @file
/// What acts on a body, said once and free of any mesh: materials, faces, supports, loads, cases.
///
/// A kind of support or load is one alternative of a variant of plain structs, and one function on ties
/// (`grounded`, `faceForces`) serves voxels, squares and tetrahedra. Each variant has an alternative for
/// kinds of one's own.
#pragma once

#include <algorithm>
#include <memory>
#include <string>
#include <variant>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/face_action.hpp"
#include "barelattice/mechanics/material.hpp"
#include "barelattice/mechanics/nodal.hpp"
#include "barelattice/shapes/face.hpp"

namespace barelattice BARELATTICE_API {

struct FaceTies;
class Grounding;

struct NamedFace {
  std::string name;
  Face face;
};

/// Every point of a face is held.
struct Held {
  unsigned directions = 7;                             ///< bit i: it cannot move along axis i
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();  ///< unit vectors at right angles, as columns
};

/// Springs under every point of a face.
struct Foundation {
  double normal = 0;      ///< stiffness per area against moving along the face's normal, N/m3, not negative
  double tangential = 0;  ///< the same across it, N/m3
};

/// Springs to the ground on the mean motion of a face, which is free to deform otherwise: see meanMotions.
struct MeanSprings {
  Vec3 slide = Vec3::Zero();  ///< against mean displacement along each axis, N/m, not negative
  Vec3 turn = Vec3::Zero();   ///< against mean rotation about each axis, N m, not negative
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();  ///< unit vectors at right angles, as columns
};

/// A support of one's own kind.
class OwnSupport {
 public:
  virtual ~OwnSupport() = default;
  /// Holds nodes, puts springs under them, or couples them.
  /// @param number of the support, to be given to the grounding with whatever is done.
  virtual void ground(const FaceTies& face, int number, Grounding& grounding) const = 0;
};

using SupportKind = std::variant<Held, Foundation, MeanSprings, std::shared_ptr<const OwnSupport>>;

struct Support {
  std::string name;
  std::size_t face = 0;  ///< index into Setup::faces
  SupportKind kind = Held{};
};

/// A force on all mass of the body, mass times `perMass`: its weight in a field g, or with -a what it feels
/// when its supports are accelerated by a.
struct BodyForce {
  Vec3 perMass = Vec3::Zero();  ///< N/kg
};

/// A load of one's own kind.
class OwnLoad {
 public:
  virtual ~OwnLoad() = default;
  virtual NodalVectors forces(const FaceTies& face) const = 0;  ///< N
};

using LoadKind = std::variant<FaceAction, BodyForce, std::shared_ptr<const OwnLoad>>;

struct Load {
  std::string name;
  std::size_t face = 0;  ///< index into Setup::faces; of no meaning for a force on the whole body
  LoadKind kind = FaceAction{};
};

/// Loads that act together, on supports that act together.
struct LoadCase {
  struct Factor {
    std::size_t load = 0;  ///< index into Setup::loads
    double factor = 1;
    bool operator==(const Factor&) const = default;
  };
  std::string name;
  double weight = 1;  ///< in the goal
  std::vector<Factor> loads;
  std::vector<std::size_t> supports;  ///< indices into Setup::supports

  bool uses(std::size_t load) const {
    return std::any_of(loads.begin(), loads.end(), [&](const Factor& f) { return f.load == load; });
  }
  bool standsOn(std::size_t support) const {
    return std::find(supports.begin(), supports.end(), support) != supports.end();
  }
};

struct Setup {
  std::vector<Material> materials;  ///< by number; the first is that of all that no region claims
  std::vector<NamedFace> faces;
  std::vector<Support> supports;
  std::vector<Load> loads;
  std::vector<LoadCase> cases;

  /// An action and the face it is on, by number.
  struct OnFace {
    std::size_t face = 0;
    FaceAction action;
  };
  /// Adds a case with loads of its own, in which all supports hold that there are: the shortest way to state
  /// a job. @return the case, to be changed.
  LoadCase& addCase(const std::string& name, const std::vector<OnFace>& actions);
  std::size_t faceNumber(const std::string& name) const;  ///< the number of faces if there is none
  /// True if the load acts on its face, and not on the whole body.
  bool actsOnFace(std::size_t load) const;
};

/// @throws InputError naming what is wrong: an index of nothing, a number that is none or out of range, axes
/// that are not at right angles, an own kind that is missing.
void validate(const Setup& setup);

/// What the actions of a case on faces come to, about `about` (m). Forces on all mass and loads of one's own,
/// which only a discretisation tells, are left out.
Resultant resultantOf(const Setup& setup, const LoadCase& c, const Vec3& about);

/// What a load exerts on its face, N by node. None for forces on the whole body.
NodalVectors faceForces(const Load& load, const FaceTies& face);

/// The force per mass of a case on the whole body, N/kg.
Vec3 bodyForce(const Setup& setup, const LoadCase& c);

/// Sets of cases that stand on the same supports: one stiffness serves each.
std::vector<std::vector<std::size_t>> casesBySupports(const std::vector<LoadCase>& cases);

}  // namespace barelattice
