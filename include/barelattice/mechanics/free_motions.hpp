/// @file
/// What supports leave free.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

/// A point that is held, in some directions.
struct HeldPoint {
  Vec3 position;                                       ///< m
  Eigen::Matrix3d held = Eigen::Matrix3d::Identity();  ///< projector on the directions it cannot move in
  std::size_t body = 0;                                ///< it is on
};

/// The motion of a point in a sum of such.
struct ResistedTerm {
  Vec3 position;   ///< m
  Vec3 direction;  ///< times its weight
  std::size_t body = 0;
};
/// A weighted sum of motions that is resisted: sum of direction . displacement. It may join several bodies.
using ResistedSum = std::vector<ResistedTerm>;

/// The rigid motions that supports leave free, each as a phrase: "sliding along x", "turning about an axis
/// along (0, 0.6, 0.8) through (10, 0, 0) mm"; of several bodies, that of the one that moves most, and where
/// it is held or joined. Empty when all are held. O(bodies^3).
/// @param sums what else is resisted, but for its stiffness.
/// @param planar only motions within the x-y plane count.
/// @param bodies how many there are, each rigid.
std::vector<std::string> freeMotions(const std::vector<HeldPoint>& points,
                                     const std::vector<ResistedSum>& sums = {}, bool planar = false,
                                     std::size_t bodies = 1);

}  // namespace barelattice
