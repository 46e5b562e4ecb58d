// Members a layout has while grey, and its reading in black and white has not.
#pragma once

#include <cstdint>
#include <vector>

#include "barelattice/optimise/layout_problem.hpp"

namespace barelattice {

/// The cells of members that are lost when a layout is read in black and white, and what lies round them: not
/// zero for cells of some density that are nowhere near a piece of the reading that holds, which is one with
/// a keep, a load or a support. Hairlines as bars under stress become: seen as grey as they are it is little
/// in them, and they cost as little. Empty where they are too little to matter. O(cells).
/// @param read 0 or 1 per cell.
template <int D>
std::vector<std::uint8_t> lostMembers(const LayoutProblem<D>& problem, const std::vector<double>& density,
                                      const std::vector<double>& read);

}  // namespace barelattice
