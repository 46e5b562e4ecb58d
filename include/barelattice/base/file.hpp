/// @file
/// Files that appear whole or not at all.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// Writes `content` beside `path` and renames it into place, so that a crash or a full disk never leaves half
/// a file.
/// @throws RunError naming the file and the cause.
void writeFile(const std::filesystem::path& path, std::string_view content);
/// The same of several pieces one after the other.
void writeFile(const std::filesystem::path& path, std::span<const std::string_view> pieces);

/// Files larger than this many bytes are not read: their content would not fit beside what is made of it.
inline constexpr std::uintmax_t kMostFileBytes = 2'000'000'000;

/// The whole content of a file.
/// @throws InputError if it is no file, is larger than `most` bytes, or cannot be read to its end.
std::string readFile(const std::filesystem::path& path, std::uintmax_t most = kMostFileBytes);

/// Base64 (RFC 4648, section 4) of raw bytes.
std::string toBase64(std::string_view bytes);

/// The bytes behind base64 text; white space is skipped.
/// @throws InputError on any other character outside the alphabet or a wrong length.
std::string fromBase64(std::string_view text);

}  // namespace barelattice
