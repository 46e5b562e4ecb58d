/// @file
/// Time passed.
#pragma once

#include <chrono>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// Runs from when it is made.
class Stopwatch {
 public:
  double seconds() const {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  }

 private:
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

}  // namespace barelattice
