/// @file
/// What supports leave free.
#pragma once

#include <string>
#include <vector>

#include "barelattice/meshes/vec.hpp"

namespace barelattice {

/// A point that is held, in some directions.
struct HeldPoint {
  Vec3 position;            ///< m
  unsigned directions = 7;  ///< bit i: it cannot move along axis i
};

/// The rigid motions that supports leave free, each as a phrase: "sliding along x", "turning about an axis
/// along (0, 0.6, 0.8) through (10, 0, 0) mm". Empty when the body is held.
/// @param planar only motions within the x-y plane count.
std::vector<std::string> freeMotions(const std::vector<HeldPoint>& points, bool planar = false);

}  // namespace barelattice
