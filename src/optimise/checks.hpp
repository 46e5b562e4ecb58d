// What a design is given, checked before anything is done with it.
#pragma once

#include "barelattice/optimise/optimiser.hpp"

namespace barelattice {

/// @throws InputError unless the state is one the problem was left in.
template <int D>
void validate(const OptimiseState& state, const LayoutProblem<D>& problem, std::size_t attempts);

}  // namespace barelattice
