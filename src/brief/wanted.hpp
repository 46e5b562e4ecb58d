// What is wanted of the part: the goal, limits and requirements. Internal to the room.
#pragma once

#include "table_reader.hpp"

namespace barelattice {

/// Whether the document has a bound on the mass among [limits].
bool limitsMass(const toml::table& document);
/// That bound, as the target it is.
BriefTarget targetFromLimits(TableReader& top);
/// Reads the goal into a brief whose cases are known.
void parseGoal(TableReader& top, Brief& brief);
/// Reads the tables [limits] and [require] into a brief whose goal, faces and cases are known.
/// @throws BriefError also where goal and limits contradict each other.
void parseWanted(TableReader& top, Brief& brief);

}  // namespace barelattice
