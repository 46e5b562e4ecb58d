/// @file
/// Sharp edges of implicit bodies: where they run between two points of the surface.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "barelattice/meshes/tet_mesh.hpp"

namespace barelattice {

/// A point of a surface and its unit normal out of the material.
struct Tangent {
  Vec3 point;
  Vec3 normal;
};

/// A point of a crease and the unit normals of the two faces that meet there.
struct Crease {
  Vec3 point;
  std::array<Vec3, 2> normals;

  /// From the farther of the two planes, m.
  double distance(const Vec3& place) const {
    return std::max(std::abs(normals[0].dot(place - point)), std::abs(normals[1].dot(place - point)));
  }
};

/// Finds the creases of { f = 0 } between points at most about one spacing apart. Faces meet in a crease
/// where their normals differ by 35 to 120 degrees: less is what curved members show from vertex to vertex,
/// more is a feather edge, whose crease lies far out in thin air.
class CreaseFinder {
 public:
  /// @param spacing m; all steps are in proportion to it. @param f must outlive the finder.
  CreaseFinder(const Implicit& f, double spacing) : f_(f), spacing_(spacing) {}

  /// The unit normal at a point of the surface; zero where f is flat.
  Vec3 normal(const Vec3& point) const;

  /// True where the normals could be those of two faces that meet in a crease.
  static bool mayMeet(const Vec3& first, const Vec3& second);

  /// Where the faces at two points meet: where their tangent planes do, found again with planes taken ever
  /// closer to it (the feature points of Kobbelt et al. 2001, Feature sensitive surface extraction). Nothing
  /// if the surface only bends between them.
  std::optional<Crease> between(Tangent first, Tangent second) const;

  /// Where three faces meet, by their tangents; nothing if that is further than a spacing from `near`.
  std::optional<Vec3> corner(const std::array<Tangent, 3>& faces, const Vec3& near) const;

 private:
  double step() const { return 1e-4 * spacing_; }
  Vec3 gradient(const Vec3& at) const;
  std::optional<Tangent> tangentNear(Vec3 point) const;

  const Implicit& f_;
  double spacing_;
};

}  // namespace barelattice
