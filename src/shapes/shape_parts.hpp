// What the shapes share. Internal to the room.
#pragma once

#include <algorithm>
#include <cmath>

#include "barelattice/shapes/shape.hpp"

namespace barelattice {

/// Distance to the product of a profile (signed distance `across`) and a slab (`along`): exact outside, and
/// inside the nearer of the two.
inline double prismDistance(double across, double along) {
  const double outside = std::hypot(std::max(across, 0.0), std::max(along, 0.0));
  return outside + std::min(std::max(across, along), 0.0);
}

inline Patch planePatch(const Vec3& origin, const Vec3& u, const Vec3& v) {
  return {.kind = Patch::Kind::plane, .origin = origin, .u = u, .v = v};
}

/// About how large a piece is, m2.
double extentOf(const Patch& patch);

}  // namespace barelattice
