// What a layout is measured by, each by means that are not the optimiser's own.
#pragma once

#include "barelattice/optimise/optimiser.hpp"

namespace barelattice::bench {

/// The goal of a layout at a stiffness floor of 1e-9, each case by a sparse direct solve (CHOLMOD).
template <int D>
double directGoal(const LayoutProblem<D>& problem, const std::vector<double>& density);

/// The share of a layout's volume that an opening with a ball removes: what is thinner than the ball. Read on
/// a grid `fine` times as fine as the layout's, levels in between by (bi-, tri-)linear interpolation. Keeps,
/// and what lies within a member of a held or loaded node, are not counted.
/// @param diameter of the ball, in cells.
template <int D>
double thinShare(const LayoutProblem<D>& problem, const std::vector<double>& level, double threshold,
                 double diameter, int fine);

}  // namespace barelattice::bench
