// Polygons cut into triangles. Internal to the room.
#pragma once

#include <array>
#include <cstddef>
#include <vector>

#include "barelattice/meshes/vec.hpp"

namespace barelattice {

/// Corners of the triangles a simple polygon consists of, concave ones too, in its own sense: ears are cut
/// off one by one (Meisters 1975, Am. Math. Monthly 82, 648) as seen along its mean normal. What crosses
/// itself comes out as a fan at the place where no ear is left. O(n^2) as a rule, O(n^3) at worst.
std::vector<std::array<std::size_t, 3>> triangulated(const std::vector<Vec3>& corners);

}  // namespace barelattice
