// A small drawing for a table. Internal to the room.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

namespace barelattice {

/// Bars of how the least dihedral angles of the tetrahedra spread, by ten degrees.
std::string angleDrawing(const std::vector<std::size_t>& counts, std::size_t tetrahedra);

}  // namespace barelattice
