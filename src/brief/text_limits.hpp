// What the text of a brief may hold at most. Internal to the room.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <string_view>

namespace barelattice {

inline constexpr std::size_t kMostBriefBytes = 4'000'000;
inline constexpr std::size_t kMostKeyParts =
    50;  // of a dotted key; the parser goes down by one call for each
inline constexpr std::size_t kMostNameBytes = 100;  // of whatever a brief names

/// Refuses text that the TOML parser, which recurses, would not survive.
/// @throws BriefError
void refuseDeepKeys(std::string_view text, const std::filesystem::path& path);

/// Text for a message: what a file says is told up to here.
std::string shortened(const std::string& text);

/// Empty if a name can stand in messages, files and pages; else what is wrong with it.
std::string faultOfName(std::string_view name);

}  // namespace barelattice
