/// @file
/// The outline of a part cut from sheet.
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <functional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/matrix_layout.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// Closed polygons in the x-y plane, m. The material lies to the left: outer loops run counter-clockwise,
/// holes clockwise. Loops neither touch nor cross.
struct Outline {
  std::vector<std::vector<Eigen::Vector2d>> loops;

  double area() const;  ///< m2
  std::size_t corners() const;
};

/// Signed function of the plane, negative inside.
using PlaneFunction = std::function<double(const Eigen::Vector2d&)>;

/// Follows { f = 0 } through a lattice of squares (marching squares); crossings lie on the curve to 1e-6 of
/// the spacing. Where the curve turns by more than 35 degrees between two crossings, the corner is put where
/// the tangents meet.
/// @param bounds box the body lies in, m.
/// @param spacing of the lattice, m, above zero. @throws InputError if it would have more than 2^26 points.
Outline traceOutline(const PlaneFunction& f, const Eigen::AlignedBox2d& bounds, double spacing);

/// Leaves out corners as long as the polygon stays within `deviation` (m) of the ones left out (Douglas &
/// Peucker 1973). Loops closer to each other than twice the deviation may come to cross: check what comes of
/// it.
Outline simplified(const Outline& outline, double deviation);

/// The outline swept from z = 0 to `thickness` (m): closed, with upright walls and flat ends. O(n^2) in the
/// corners.
TriangleMesh extruded(const Outline& outline, double thickness);

/// The outline as an SVG drawing true to size: user units are millimetres, y points up as in the brief.
std::string outlineSvg(const Outline& outline, const std::string& title);

/// The pieces of an outline: each an outer loop with its holes.
std::vector<Outline> piecesOf(const Outline& outline);

/// True if the point lies inside the outline.
bool contains(const Outline& outline, const Eigen::Vector2d& point);

}  // namespace barelattice
