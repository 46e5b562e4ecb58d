// What the files that prepare a job share. Internal to the room.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "barelattice/prepare/job.hpp"

namespace barelattice {

/// @throws BriefError always.
[[noreturn]] void refuse(const Brief& brief, TextPlace place, const std::string& what,
                         const std::string& cure);

/// True if the support of this name acts in the case.
bool uses(const BriefCase& c, const std::string& support);

/// Cells within `reach` (m) of a held or loaded face: what the part hangs on goes on beyond the design space.
template <int D>
std::vector<std::uint8_t> attachedCells(const Grid<D>& grid, const Job& job, double reach);

}  // namespace barelattice
