/// @file
/// The load of a case on a grid.
#pragma once

#include <cstddef>
#include <map>
#include <span>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// Forces by degree of freedom (gridDof), N. Few nodes carry any: what is not named is zero.
using Forces = std::map<std::size_t, double>;

/// The entries that are not zero.
inline Forces forcesOf(std::span<const double> field) {
  Forces forces;
  for (std::size_t dof = 0; dof < field.size(); ++dof)
    if (field[dof] != 0) forces.emplace_hint(forces.end(), dof, field[dof]);
  return forces;
}

}  // namespace barelattice
