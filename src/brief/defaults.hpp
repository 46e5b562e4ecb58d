// What a brief left open and was taken for it. Internal to the room.
#pragma once

#include <toml++/toml.h>

#include <string>
#include <vector>

#include "barelattice/brief/brief.hpp"

namespace barelattice {

/// A sentence for each default that was taken, beginning with the key by which it can be changed.
/// @param brief as read from the document.
std::vector<std::string> defaultsTaken(const toml::table& document, const Brief& brief);

}  // namespace barelattice
