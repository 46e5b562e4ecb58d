// Loops sorted into an outline and its holes. Internal to the room.
#pragma once

#include <vector>

#include "barelattice/formats/outline_files.hpp"

namespace barelattice {

/// The largest loop with all others as its holes; whether they lie inside is for makeExtrusion.
/// @throws InputError without any loop.
PlaneOutline nested(std::vector<OutlineLoop> loops);

}  // namespace barelattice
