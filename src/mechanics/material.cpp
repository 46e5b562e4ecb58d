#include "barelattice/mechanics/material.hpp"

#include <fmt/format.h>

#include <cmath>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"

namespace barelattice {

const std::vector<Material>& builtinMaterials() {
  static const std::vector<Material> table{
      {"aluminium", 69e9, 0.33, 2700, 240e6, 23e-6},        {"steel", 205e9, 0.29, 7850, 350e6, 12e-6},
      {"stainless steel", 193e9, 0.29, 8000, 210e6, 16e-6}, {"titanium", 114e9, 0.34, 4430, 830e6, 8.6e-6},
      {"magnesium", 45e9, 0.35, 1800, 150e6, 26e-6},        {"polyamide", 1.7e9, 0.39, 1010, 45e6, 90e-6},
  };
  return table;
}

Material sheetMaterial(const Material& material, SheetState state, double thickness) {
  requirePositive("thickness of the sheet", thickness);
  Material sheet = material;
  if (state == SheetState::planeStrain) {
    sheet.expansion *= 1 + material.poisson;
    sheet.modulus /= 1 - material.poisson * material.poisson;
    sheet.poisson /= 1 - material.poisson;
  }
  sheet.modulus *= thickness;
  return sheet;
}

template <>
BARELATTICE_API Eigen::Matrix3d constitutiveMatrix<2>(double nu) {
  Eigen::Matrix3d c = Eigen::Matrix3d::Zero();
  c.topLeftCorner<2, 2>() << 1, nu, nu, 1;
  c(2, 2) = (1 - nu) / 2;
  return c / (1 - nu * nu);
}

template <>
BARELATTICE_API Eigen::Matrix<double, 6, 6> constitutiveMatrix<3>(double nu) {
  Eigen::Matrix<double, 6, 6> c = Eigen::Matrix<double, 6, 6>::Zero();
  c.topLeftCorner<3, 3>().setConstant(nu);
  c.diagonal().head<3>().setConstant(1 - nu);
  c.diagonal().tail<3>().setConstant((1 - 2 * nu) / 2);
  return c / ((1 + nu) * (1 - 2 * nu));
}

template <>
BARELATTICE_API double hydrostaticStiffness<2>(double nu) {
  return 1 / (1 - nu);
}

template <>
BARELATTICE_API double hydrostaticStiffness<3>(double nu) {
  return 1 / (1 - 2 * nu);
}

void validate(const Material& material) {
  const auto positive = [](double value, const char* what) {
    if (!std::isfinite(value)) throw InputError(fmt::format("the material's {} is {}", what, value));
    if (!(value > 0)) throw InputError(fmt::format("the material's {} must be above zero", what));
  };
  positive(material.modulus, "modulus");
  positive(material.density, "density");
  positive(material.strength, "strength");
  requireFinite("the material's expansion", material.expansion);
  if (!(material.poisson >= 0 && material.poisson <= kMostPoisson))
    throw InputError(fmt::format("Poisson's ratio {} is outside 0 to {}", material.poisson, kMostPoisson),
                     "nearly incompressible materials need an element that does not lock; there is none yet");
}

}  // namespace barelattice
