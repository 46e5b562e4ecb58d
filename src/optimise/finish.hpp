// What becomes of the layout a design ends with.
#pragma once

#include <vector>

#include "assessment.hpp"

namespace barelattice {

/// Where a loop has come to its end. The readings are those of the layout accepted last.
template <int D>
struct LoopEnd {
  const LayoutProblem<D>& problem;
  const OptimiseOptions& options;
  Assessment<D>& assessment;
  const Path& path;
  const std::vector<double>& variables;  ///< accepted last
  double massFraction;                   ///< that was wanted
};

/// Solves the final layout and its reading in black and white tightly, and judges by them whether it ended as
/// the loop thought: whatever the end, what cannot be analysed, does not hold read black and white, or misses
/// a limit, is told as that.
/// @param states where the solves start.
/// @param result with its end as the loop saw it, its history, layout and level.
template <int D>
OptimiseResult finished(const LoopEnd<D>& end, CaseStates states, OptimiseResult result);

}  // namespace barelattice
