/// @file
/// The vector and box types of three-dimensional space. Lengths are in metres.
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <string>

#include "barelattice/base/api.hpp"
#include "barelattice/base/matrix_layout.hpp"

namespace barelattice BARELATTICE_API {

using Vec3 = Eigen::Vector3d;
using Box = Eigen::AlignedBox3d;

/// "x, y, z" to four digits; what is below 1e-7 of the largest is 0.
std::string coordinatesText(const Vec3& v);
/// "(x, y, z) mm" of a point in m.
std::string placeText(const Vec3& point);

}  // namespace barelattice
