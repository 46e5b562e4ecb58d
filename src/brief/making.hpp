// The table [making]. Internal to the room.
#pragma once

#include "table_reader.hpp"

namespace barelattice {

/// Reads the making rules into a brief whose sheet is known.
void parseMaking(TableReader& top, Brief& brief);

}  // namespace barelattice
