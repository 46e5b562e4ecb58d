#include "barelattice/optimise/material_laws.hpp"

#include <cmath>

#include "base/check.hpp"

namespace barelattice {

void validate(const StiffnessLaw& law) {
  if (!(law.penalty >= 1) || !std::isfinite(law.penalty))
    throw InputError(fmt::format("penalty is {}", law.penalty), "give 1 or more");
  if (!(law.floor > 0 && law.floor < 1))
    throw InputError(fmt::format("floor is {}", law.floor), "give above 0, below 1");
}

double StiffnessLaw::share(double density) const {
  return floor + (1 - floor) * (penalty == 3 ? density * density * density : std::pow(density, penalty));
}

double StiffnessLaw::derivative(double density) const {
  return (1 - floor) * penalty * (penalty == 3 ? density * density : std::pow(density, penalty - 1));
}

}  // namespace barelattice
