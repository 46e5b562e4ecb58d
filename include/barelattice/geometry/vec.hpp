/// @file
/// The vector and box types of three-dimensional space. Lengths are in metres.
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>

namespace barelattice {

using Vec3 = Eigen::Vector3d;
using Box = Eigen::AlignedBox3d;

}  // namespace barelattice
