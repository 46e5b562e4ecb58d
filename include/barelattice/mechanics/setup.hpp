/// @file
/// What acts on a body, said once and free of any mesh: materials, faces, supports, loads, cases.
///
/// A kind of support or load is one alternative of a variant of plain structs, and one function on ties
/// (`grounded`, `forcesOn`) serves voxels, squares and tetrahedra. Each variant has an alternative for
/// kinds of one's own.
#pragma once

#include <algorithm>
#include <memory>
#include <span>
#include <string>
#include <variant>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/loads.hpp"
#include "barelattice/mechanics/material.hpp"
#include "barelattice/mechanics/nodal.hpp"
#include "barelattice/mechanics/supports.hpp"
#include "barelattice/shapes/face.hpp"

namespace barelattice BARELATTICE_API {

struct FaceTies;

struct NamedFace {
  std::string name;
  Face face;
};

struct Support {
  std::string name;
  std::size_t face = 0;  ///< index into Setup::faces
  SupportKind kind = Held{};
};

struct Load {
  std::string name;
  std::size_t face = 0;  ///< index into Setup::faces; of no meaning for one on the whole body
  LoadKind kind = FaceAction{};
};

/// Something heavy that is no part of the body, carried by a face: a motor on its arm. Forces on all mass act
/// on it at its own place, and it takes part in vibration; the face stays free to deform (see Remote).
struct PointMass {
  std::string name;
  std::size_t face = 0;    ///< index into Setup::faces
  Vec3 at = Vec3::Zero();  ///< m
  double mass = 0;         ///< kg, not negative
};

/// What joins two faces, or two places of the body: springs between their mean motions, both carried to one
/// point. Rigid ones (kRigid) leave both faces free to deform.
struct Connection {
  std::string name;
  std::size_t first = 0;        ///< index into Setup::faces
  std::size_t second = 0;       ///< the same; if it is the first, the two pieces of that face are joined
  std::optional<Vec3> at = {};  ///< m; half way between the faces' centroids if not given
  Vec3 slide = Vec3::Constant(kRigid);  ///< against moving apart along each axis, N/m, not negative
  Vec3 turn = Vec3::Constant(kRigid);   ///< against turning apart about each axis, N m, not negative
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();  ///< unit vectors at right angles, as columns
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
  std::vector<PointMass> masses = {};        ///< of all cases
  std::vector<Connection> connections = {};  ///< of all cases

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

/// What the loads of a case on faces come to, and its forces on all mass on the point masses, about `about`
/// (m). Forces on the mass of the body and loads of one's own, which only a discretisation tells, are left
/// out.
Resultant resultantOf(const Setup& setup, const LoadCase& c, const Vec3& about);

/// What acts on the nodes of faces in a case, N: its loads on them, and what point masses feel.
/// @param faces by number, tied.
/// @param nodes how many there are.
/// @throws InputError if a load cannot act, or one of one's own acts on nodes that are none.
NodalVectors faceForces(const Setup& setup, const LoadCase& c, std::span<const FaceTies> faces,
                        std::size_t nodes);

/// The force per mass of a case on the whole body.
BodyForce bodyForce(const Setup& setup, const LoadCase& c);

/// How much warmer a case is, K.
double temperatureOf(const Setup& setup, const LoadCase& c);

/// The faces that something acts on besides supports, in some case or all: loads, point masses, connections.
/// Ascending, each once.
std::vector<std::size_t> loadedFaces(const Setup& setup, std::span<const LoadCase> cases);

/// The face of a support, and the seat of bolts.
std::vector<std::size_t> facesOf(const Support& support);

/// Sets of cases that stand on the same supports: one stiffness serves each.
std::vector<std::vector<std::size_t>> casesBySupports(const std::vector<LoadCase>& cases);

}  // namespace barelattice
