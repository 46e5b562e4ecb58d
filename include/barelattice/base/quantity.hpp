/// @file
/// Physical quantities as text with units, read into SI. All of the library computes in SI: metre, kilogram,
/// second, newton, pascal, radian.
#pragma once

#include <string>
#include <string_view>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// What a quantity measures. Each kind accepts its own units only.
enum class Measure {
  length,
  area,
  force,
  pressure,
  density,
  mass,
  angle,
  moment,
  stiffness,         ///< force by length
  turningStiffness,  ///< moment by angle
  bedding,           ///< stiffness by area
  pressureByDepth,
  acceleration,
  turningSpeed,
  turningAcceleration,
  temperatureChange,
  expansion,  ///< strain by temperature
  frequency,
  energy,
};

/// Reads a number followed by a unit, e.g. "12 mm", "1.4 kN", "-3e2 N".
/// @return the value in the SI unit of `measure`.
/// @throws InputError naming the fault (no unit, unknown unit, unit of another measure) and the units
/// allowed.
double parseQuantity(std::string_view text, Measure measure);

/// The units `measure` accepts, e.g. "mm, cm, m, um, in".
std::string unitsOf(Measure measure);

/// A noun with its article for messages, e.g. "a length".
std::string nameOf(Measure measure);

/// The estimated error of a figure, to one significant digit: "0.02", "20" (never "2e+01").
std::string errorText(double error);

/// Millimetres per metre: files for printing and people's eyes are in millimetres.
inline constexpr double kMillimetresPerMetre = 1e3;

}  // namespace barelattice
