/// @file
/// JSON as text.
#pragma once

#include <nlohmann/json.hpp>
#include <string>

namespace barelattice {

/// The text of a tree. JSON is UTF-8 and names of files need not be: bytes that are not UTF-8 are replaced by
/// U+FFFD.
/// @param indent spaces per level; none and all on one line if negative.
std::string jsonText(const nlohmann::json& tree, int indent = -1);

}  // namespace barelattice
