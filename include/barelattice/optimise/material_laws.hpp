/// @file
/// What a cell of a given density is worth: the laws by which half-full cells are read.
#pragma once

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// How stiffness grows with density: modified SIMP (Bendsoe & Sigmund 1999; Sigmund 2007),
///   share = v (floor + (1 - floor) rho^penalty).
struct StiffnessLaw {
  double penalty = 3;   ///< 1 or more; 3 makes intermediate densities uneconomical
  double floor = 1e-9;  ///< stiffness of empty cells, above 0, so that every displacement is defined

  double share(double density) const;
  double derivative(double density) const;
};

/// @throws InputError for one out of range.
void validate(const StiffnessLaw& law);

}  // namespace barelattice
