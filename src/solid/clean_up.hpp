// Voids and gaps of a layout. Internal to the room.
#pragma once

#include <vector>

#include "barelattice/solid/solid_function.hpp"

namespace barelattice {

/// Raises the layout to one in enclosed empty pieces smaller than a ball (disc) of diameter `size` (m). Empty
/// cells are those below the threshold that no keep fills.
CleanUpReport fillVoids(SmoothLayout& layout, const Regions& regions, double threshold, double size);

/// A field on the layout's cells that is negative inside the part closed over gaps narrower than `gap` (m).
std::vector<float> closedField(const SmoothLayout& layout, const Implicit& part, double gap);

}  // namespace barelattice
