// The iterations of a design as a table. Internal to the room.
#pragma once

#include <string>
#include <vector>

#include "barelattice/optimise/optimiser.hpp"

namespace barelattice {

/// @param columns heads of the records' values.
std::string historyCsv(const std::vector<IterationRecord>& history, const std::vector<std::string>& columns);

}  // namespace barelattice
