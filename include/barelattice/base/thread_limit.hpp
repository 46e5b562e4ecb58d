/// @file
/// How many threads the library's loops take.
#pragma once

#include <cstddef>
#include <memory>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// Caps the number of threads for its lifetime: those of the whole process, whichever thread made it, and
/// also those of any other user of TBB in it. Of several limits at a time the lowest counts. Results do not
/// depend on it.
class ThreadLimit {
 public:
  /// @param threads 1 or more; values beyond the machine's cores are allowed.
  /// @throws InputError for 0.
  explicit ThreadLimit(std::size_t threads);
  ~ThreadLimit();
  ThreadLimit(const ThreadLimit&) = delete;
  ThreadLimit& operator=(const ThreadLimit&) = delete;

 private:
  struct Control;
  std::unique_ptr<Control> control_;
};

}  // namespace barelattice
