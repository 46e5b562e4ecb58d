/// @file
/// Measuring one surface against another, or against what it should be.
#pragma once

#include <optional>

#include "barelattice/geometry/shape.hpp"
#include "barelattice/geometry/triangle_mesh.hpp"

namespace barelattice {

/// How far two surfaces lie apart: distances from the vertices of each to the other, m.
struct SurfaceGap {
  double mean = 0;
  double largest = 0;
};
SurfaceGap surfaceGap(const TriangleMesh& a, const TriangleMesh& b);

/// Diameter of the circle through the vertices of `surface` that lie within `tolerance` (m) of the cylinder
/// patch, twice their mean distance from its axis, m; nothing if there are fewer than eight.
std::optional<double> measuredDiameter(const TriangleMesh& surface, const Patch& cylinder, double tolerance);

}  // namespace barelattice
