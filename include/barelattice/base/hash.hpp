/// @file
/// A short fingerprint of text.
#pragma once

#include <string>
#include <string_view>

namespace barelattice {

/// FNV-1a over the bytes, 64 bits as 16 hexadecimal digits: small, fast, the same everywhere. Not for
/// secrets.
std::string hashOf(std::string_view text);

}  // namespace barelattice
