/// @file
/// Files that appear whole or not at all.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

namespace barelattice {

/// Writes `content` beside `path` and renames it into place, so that a crash or a full disk never leaves half
/// a file.
/// @throws RunError naming the file and the cause.
void writeFile(const std::filesystem::path& path, std::string_view content);

/// The whole content of a file.
/// @throws InputError if it cannot be read.
std::string readFile(const std::filesystem::path& path);

/// Base64 (RFC 4648, section 4) of raw bytes.
std::string toBase64(std::string_view bytes);

/// The bytes behind base64 text; white space is skipped.
/// @throws InputError on any other character outside the alphabet or a wrong length.
std::string fromBase64(std::string_view text);

}  // namespace barelattice
