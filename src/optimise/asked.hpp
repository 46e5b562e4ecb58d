// Responses as the loop asks them: what one's own may get wrong is told, not computed with.
#pragma once

#include <span>
#include <vector>

#include "barelattice/optimise/response.hpp"

namespace barelattice {

/// @throws InputError if there are not as many values as names; RunError naming one that is not a number.
std::vector<double> valuesOf(const Response& response, const Analysed& at);

/// @throws RunError naming the value and the cell where a derivative is not finite.
void gradientOf(const Response& response, const Analysed& at, std::size_t which, std::span<double> gradient);
void requireFiniteGradient(const Response& response, const Analysed& at, std::size_t which,
                           std::span<const double> gradient);

}  // namespace barelattice
