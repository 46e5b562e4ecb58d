/// @file
/// What the name of a file tells.
#pragma once

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <string>

namespace barelattice {

/// The ending of a file's name with its dot, in lower case: ".stl" for "Part.STL".
inline std::string endingOf(const std::filesystem::path& path) {
  std::string ending = path.extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return ending;
}

}  // namespace barelattice
