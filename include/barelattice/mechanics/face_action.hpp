/// @file
/// What acts on a face, and what it comes to.
#pragma once

#include "barelattice/base/api.hpp"
#include "barelattice/shapes/face.hpp"

namespace barelattice BARELATTICE_API {

/// A force and the moment about a point.
struct Resultant {
  Vec3 force = Vec3::Zero();   ///< N
  Vec3 moment = Vec3::Zero();  ///< N m
};

/// What acts on a face: a force spread evenly over it, and a pressure along its inward normals.
struct FaceAction {
  Vec3 force = Vec3::Zero();  ///< N in total
  double pressure = 0;        ///< Pa, positive pushes into the material

  /// The force on one point's share of the face, N. @param faceArea of the whole face, m2.
  Vec3 on(const SurfacePoint& point, double faceArea) const {
    return point.area * (force / faceArea - pressure * point.normal);
  }
  FaceAction operator*(double factor) const { return {factor * force, factor * pressure}; }
};

/// Resultant of an action on a face, about `about` (m).
Resultant resultantOnFace(const Face& face, const FaceAction& action, const Vec3& about);

}  // namespace barelattice
