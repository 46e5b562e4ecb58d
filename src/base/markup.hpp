/// @file
/// Text within markup.
#pragma once

#include <string>
#include <string_view>

namespace barelattice {

/// Text as it stands in an element or a quoted attribute of XML or HTML: with entities for the characters
/// that mean something there, and a space for control characters, which XML 1.0 does not know.
std::string escaped(std::string_view text);

}  // namespace barelattice
