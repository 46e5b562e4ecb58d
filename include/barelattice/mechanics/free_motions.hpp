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
};

/// A weighted sum of motions that is resisted: sum of vector . displacement over positions (m).
using ResistedSum = std::vector<std::pair<Vec3, Vec3>>;

/// The rigid motions that supports leave free, each as a phrase: "sliding along x", "turning about an axis
/// along (0, 0.6, 0.8) through (10, 0, 0) mm". Empty when the body is held.
/// @param sums what else is resisted, but for its stiffness.
/// @param planar only motions within the x-y plane count.
std::vector<std::string> freeMotions(const std::vector<HeldPoint>& points,
                                     const std::vector<ResistedSum>& sums = {}, bool planar = false);

}  // namespace barelattice
