/// @file
/// Looking at and changing folders without exceptions of another kind than ours.
#pragma once

#include <filesystem>
#include <string>

#include "barelattice/base/error.hpp"

namespace barelattice {

/// False as well where one may not look.
inline bool isThere(const std::filesystem::path& path) {
  std::error_code fault;
  return std::filesystem::exists(path, fault);
}
inline bool isFolder(const std::filesystem::path& path) {
  std::error_code fault;
  return std::filesystem::is_directory(path, fault);
}
inline bool isFile(const std::filesystem::path& path) {
  std::error_code fault;
  return std::filesystem::is_regular_file(path, fault);
}

/// @throws RunError naming the folder and the cause.
inline void makeFolder(const std::filesystem::path& folder) {
  std::error_code fault;
  std::filesystem::create_directories(folder, fault);
  if (fault) throw RunError("cannot make the folder " + folder.string() + ": " + fault.message());
}

/// Removes a file, or a folder with all it holds; nothing where there is none.
/// @throws RunError naming it and the cause.
inline void removeWhole(const std::filesystem::path& path) {
  std::error_code fault;
  std::filesystem::remove_all(path, fault);
  if (fault) throw RunError("cannot remove " + path.string() + ": " + fault.message());
}

}  // namespace barelattice
