/// @file
/// One process at a time.
#pragma once

#include <filesystem>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// Holds a lock file for its lifetime. The system lets go of it when the process ends, however it ends.
class FileLock {
 public:
  /// @throws RunError if another process holds the lock (its number is told) or the file cannot be made.
  explicit FileLock(const std::filesystem::path& path);
  ~FileLock();
  /// Whether another process holds it just now.
  static bool isHeld(const std::filesystem::path& path);
  FileLock(const FileLock&) = delete;
  FileLock& operator=(const FileLock&) = delete;

 private:
  int descriptor_;
};

}  // namespace barelattice
