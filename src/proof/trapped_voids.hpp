// Voids that a ball cannot leave. Internal to the room.
#pragma once

#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice {

struct TrappedVoids {
  double volume = 0;       ///< m3
  Vec3 at = Vec3::Zero();  ///< the middle of the largest
};

/// What of the room within a solid balls of a diameter fill that find no way out.
/// @param opening above zero, m. @param tolerance by which a ball may be smaller, m.
/// O(n) cells of a quarter of the ball's radius, or as many as 20 million.
TrappedVoids trappedVoids(const TriangleMesh& solid, double opening, double tolerance);

}  // namespace barelattice
