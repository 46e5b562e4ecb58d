/// @file
/// Isotropic linear-elastic materials.
#pragma once

#include <Eigen/Core>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/matrix_layout.hpp"

namespace barelattice BARELATTICE_API {

struct Material {
  std::string name;
  double modulus = 0;    ///< Young's modulus, Pa, above zero
  double poisson = 0;    ///< Poisson's ratio, 0 up to kMostPoisson
  double density = 0;    ///< kg/m3, above zero
  double strength = 0;   ///< stress that must not be exceeded (yield), Pa, above zero
  double expansion = 0;  ///< strain by temperature, 1/K
};

/// Above this Poisson's ratio the full-integration brick locks; such materials are refused.
inline constexpr double kMostPoisson = 0.45;

/// Common engineering materials with typical room-temperature values; a real part deserves its data sheet.
const std::vector<Material>& builtinMaterials();

/// What a part cut from sheet is assumed to do across its thickness.
enum class SheetState {
  planeStress,  ///< free to thin: a plate
  planeStrain,  ///< kept from it: a slice of something long
};

/// The material as two-dimensional elements of a sheet see it: plane-stress elements with this modulus (N/m:
/// times the thickness) and this Poisson's ratio behave like a sheet of `material` in the given state. In
/// plane strain E' = E / (1 - nu^2) and nu' = nu / (1 - nu), so the ratio may reach 0.82; kept from growing
/// across, it grows by alpha' = (1 + nu) alpha within its plane.
Material sheetMaterial(const Material& material, SheetState state, double thickness);

/// Stress from strain for unit modulus, in Voigt order xx, yy, zz, yz, xz, xy with engineering shear
/// (D = 2: xx, yy, xy in plane stress).
template <int D>
Eigen::Matrix<double, D*(D + 1) / 2, D*(D + 1) / 2> constitutiveMatrix(double poisson);

/// The stress in all directions of a material of unit modulus that is kept from a unit strain in all of them:
/// 1 / (1 - 2 nu), in plane stress (D = 2) 1 / (1 - nu).
template <int D>
double hydrostaticStiffness(double poisson);

/// @throws InputError naming the first property out of range.
void validate(const Material& material);

}  // namespace barelattice
