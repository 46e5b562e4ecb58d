// Running a program under limits. Internal to the room.
#pragma once

#include <string>
#include <vector>

namespace barelattice {

struct ChildLimits {
  double seconds = 60;
  double bytes = 4e9;            ///< of address space
  std::size_t output = 1 << 30;  ///< bytes it may write
};

struct ChildOutcome {
  std::string output;  ///< its standard output
  bool outOfTime = false;
};

/// Runs a program to its end and collects its standard output; its standard error is dropped.
/// @throws RunError if it cannot be started.
ChildOutcome runChild(const std::vector<std::string>& command, const ChildLimits& limits);

}  // namespace barelattice
