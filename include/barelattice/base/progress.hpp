/// @file
/// How long-running calls report and how they are stopped.
#pragma once

#include <functional>
#include <string>

#include "barelattice/base/error.hpp"

namespace barelattice {

/// One report of a running step.
struct Progress {
  std::string stage;    ///< what is being done, a few words, e.g. "solving case drive"
  double fraction = 0;  ///< share of the step that is done, 0 to 1
};

/// Receives reports; returns false to ask the step to stop at the next safe point.
using ProgressCallback = std::function<bool(const Progress&)>;

/// Reports to `callback` if there is one.
/// @throws Cancelled if the callback asks to stop.
inline void report(const ProgressCallback& callback, const std::string& stage, double fraction) {
  if (callback && !callback({stage, fraction})) throw Cancelled();
}

}  // namespace barelattice
