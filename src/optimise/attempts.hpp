// The ways an optimisation is tried in turn.
#pragma once

#include <limits>
#include <vector>

#include "barelattice/optimise/optimiser.hpp"

namespace barelattice {

/// A path of readings, and how lean a design may be to stay with it.
///
/// A wider filter finds fewer and stouter members. How wide it is to be shows when a design has come to rest
/// at its first reading: read at once as thin as it will be at the end, its goal becomes the larger, the
/// fewer members its mass can hold. Where the ratio of the two goals is above `mostRatio`, the next way suits
/// better.
struct Attempt {
  Path path;
  double mostRatio = std::numeric_limits<double>::infinity();
  /// Ends before erosion: it only finds about which mass the lightest has, with which the next one begins.
  bool forMass = false;
};

/// The options' own path, or the usual one begun with filters ever wider, each at most half as wide as the
/// least extent of the space. At least one. Before those of the lightest sheet, unless it has a start, one
/// for its mass.
template <int D>
std::vector<Attempt> attemptsFor(const LayoutProblem<D>& problem, const OptimiseOptions& options);

}  // namespace barelattice
