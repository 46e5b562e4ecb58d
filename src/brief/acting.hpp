// The tables [supports], [loads], [masses], [connections] and [cases]. Internal to the room.
#pragma once

#include "table_reader.hpp"

namespace barelattice {

/// Reads what acts into a brief whose sheet and faces are known.
void parseActing(TableReader& top, Brief& brief);

/// How deep material is kept below faces where the brief does not say: the smallest member below loads,
/// masses and supports on mean motions; nothing below faces that are held.
void backByDefault(Brief& brief);

}  // namespace barelattice
