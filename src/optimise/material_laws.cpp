#include "barelattice/optimise/material_laws.hpp"

#include <cmath>

namespace barelattice {

double StiffnessLaw::share(double density) const {
  return floor + (1 - floor) * (penalty == 3 ? density * density * density : std::pow(density, penalty));
}

double StiffnessLaw::derivative(double density) const {
  return (1 - floor) * penalty * (penalty == 3 ? density * density : std::pow(density, penalty - 1));
}

}  // namespace barelattice
