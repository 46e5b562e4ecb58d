/// @file
/// The check of a direction, for what public calls are given.
#pragma once

#include <cmath>
#include <string_view>

#include "base/check.hpp"

namespace barelattice {

/// @param direction a vector of Eigen's.
template <class Direction>
void requireUnit(std::string_view name, const Direction& direction) {
  constexpr double kSlack = 1e-6;
  requireFinite(name, direction);
  if (std::abs(direction.norm() - 1) > kSlack)
    throw InputError(fmt::format("{} has the length {}", name, direction.norm()), "give it the length one");
}

}  // namespace barelattice
