/// @file
/// How long-running calls report and how they are stopped.
#pragma once

#include <functional>
#include <string>

#include "barelattice/base/api.hpp"
#include "barelattice/base/error.hpp"

namespace barelattice BARELATTICE_API {

/// One report of a running step.
struct Progress {
  std::string stage;    ///< what is being done, a few words, e.g. "solving case drive"
  double fraction = 0;  ///< share of the step that is done, 0 to 1
};

/// Receives reports, on the thread that called the step, one at a time; returns false to ask the step to stop
/// at the next safe point, where it throws Cancelled. What the callback throws passes through the step.
using ProgressCallback = std::function<bool(const Progress&)>;

/// Reports to `callback` if there is one.
/// @throws Cancelled if the callback asks to stop.
inline void report(const ProgressCallback& callback, const std::string& stage, double fraction) {
  if (callback && !callback({stage, fraction})) throw Cancelled();
}

}  // namespace barelattice
