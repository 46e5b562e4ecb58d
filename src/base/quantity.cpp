#include "barelattice/base/quantity.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

struct Unit {
  std::string_view name;
  Measure measure;
  double inSi;
};

constexpr double kPound = 0.45359237;  // kg, exact by definition
constexpr double kGravity = 9.80665;   // m/s2, exact by definition
constexpr double kInch = 0.0254;       // m, exact by definition
constexpr double kPoundForce = kPound * kGravity;

constexpr std::array kUnits{
    Unit{"mm", Measure::length, 1e-3},
    Unit{"cm", Measure::length, 1e-2},
    Unit{"m", Measure::length, 1},
    Unit{"um", Measure::length, 1e-6},
    Unit{"in", Measure::length, kInch},
    Unit{"mm2", Measure::area, 1e-6},
    Unit{"cm2", Measure::area, 1e-4},
    Unit{"m2", Measure::area, 1},
    Unit{"N", Measure::force, 1},
    Unit{"kN", Measure::force, 1e3},
    Unit{"MN", Measure::force, 1e6},
    Unit{"lbf", Measure::force, kPoundForce},
    Unit{"MPa", Measure::pressure, 1e6},
    Unit{"GPa", Measure::pressure, 1e9},
    Unit{"kPa", Measure::pressure, 1e3},
    Unit{"Pa", Measure::pressure, 1},
    Unit{"psi", Measure::pressure, kPoundForce / (kInch * kInch)},
    Unit{"kg/m3", Measure::density, 1},
    Unit{"g/cm3", Measure::density, 1e3},
    Unit{"kg", Measure::mass, 1},
    Unit{"g", Measure::mass, 1e-3},
    Unit{"t", Measure::mass, 1e3},
    Unit{"lb", Measure::mass, kPound},
    Unit{"deg", Measure::angle, std::numbers::pi / 180},
    Unit{"rad", Measure::angle, 1},
    Unit{"N m", Measure::moment, 1},
    Unit{"N mm", Measure::moment, 1e-3},
    Unit{"kN m", Measure::moment, 1e3},
    Unit{"lbf in", Measure::moment, kPoundForce* kInch},
    Unit{"N/mm", Measure::stiffness, 1e3},
    Unit{"kN/mm", Measure::stiffness, 1e6},
    Unit{"N/m", Measure::stiffness, 1},
    Unit{"lbf/in", Measure::stiffness, kPoundForce / kInch},
    Unit{"N m/rad", Measure::turningStiffness, 1},
    Unit{"kN m/rad", Measure::turningStiffness, 1e3},
    Unit{"N m/deg", Measure::turningStiffness, 180 / std::numbers::pi},
    Unit{"N/mm3", Measure::bedding, 1e9},
    Unit{"MPa/mm", Measure::bedding, 1e9},
    Unit{"N/m3", Measure::bedding, 1},
    Unit{"kPa/m", Measure::pressureByDepth, 1e3},
    Unit{"Pa/m", Measure::pressureByDepth, 1},
    Unit{"MPa/m", Measure::pressureByDepth, 1e6},
    Unit{"psi/in", Measure::pressureByDepth, kPoundForce / (kInch * kInch * kInch)},
    Unit{"m/s2", Measure::acceleration, 1},
    Unit{"gn", Measure::acceleration, kGravity},
    Unit{"rpm", Measure::turningSpeed, std::numbers::pi / 30},
    Unit{"rad/s", Measure::turningSpeed, 1},
    Unit{"rad/s2", Measure::turningAcceleration, 1},
    Unit{"K", Measure::temperatureChange, 1},
    Unit{"1/K", Measure::expansion, 1},
    Unit{"um/(m K)", Measure::expansion, 1e-6},
    Unit{"Hz", Measure::frequency, 1},
    Unit{"kHz", Measure::frequency, 1e3},
    Unit{"J", Measure::energy, 1},
    Unit{"mJ", Measure::energy, 1e-3},
    Unit{"kJ", Measure::energy, 1e3},
};

std::string_view trimmed(std::string_view text) {
  const auto first = text.find_first_not_of(" \t");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t") - first + 1);
}

}  // namespace

std::string unitsOf(Measure measure) {
  std::string list;
  for (const Unit& unit : kUnits)
    if (unit.measure == measure) list += (list.empty() ? "" : ", ") + std::string(unit.name);
  return list;
}

std::string nameOf(Measure measure) {
  switch (measure) {
    case Measure::length:
      return "a length";
    case Measure::area:
      return "an area";
    case Measure::force:
      return "a force";
    case Measure::pressure:
      return "a pressure";
    case Measure::density:
      return "a density";
    case Measure::mass:
      return "a mass";
    case Measure::angle:
      return "an angle";
    case Measure::moment:
      return "a moment";
    case Measure::stiffness:
      return "a stiffness";
    case Measure::turningStiffness:
      return "a stiffness against turning";
    case Measure::bedding:
      return "a stiffness by area";
    case Measure::pressureByDepth:
      return "a pressure by depth";
    case Measure::energy:
      return "an energy";
    case Measure::acceleration:
      return "an acceleration";
    case Measure::turningSpeed:
      return "a speed of turning";
    case Measure::turningAcceleration:
      return "an acceleration of turning";
    case Measure::temperatureChange:
      return "a change of temperature";
    case Measure::expansion:
      return "a thermal expansion";
    case Measure::frequency:
      return "a frequency";
  }
  return "a quantity";
}

double parseQuantity(std::string_view text, Measure measure) {
  const std::string_view body = trimmed(text);
  const std::string_view digits = body.starts_with('+') ? body.substr(1) : body;
  double number = 0;
  const auto [rest, fault] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
  if (fault != std::errc{} || !std::isfinite(number))
    throw InputError(fmt::format("\"{}\" is not {}", text, nameOf(measure)),
                     fmt::format("write a number and a unit ({})", unitsOf(measure)));
  const std::string_view name =
      trimmed({rest, static_cast<std::size_t>(digits.data() + digits.size() - rest)});
  const std::string cure = fmt::format("{} is written with one of: {}", nameOf(measure), unitsOf(measure));
  if (name.size() > 1 && name[0] == ',' && std::isdigit(static_cast<unsigned char>(name[1])))
    throw InputError(
        fmt::format("\"{}\" has a comma for its decimal point", text),
        fmt::format("write \"{}.{}\"",
                    std::string_view(digits.data(), static_cast<std::size_t>(rest - digits.data())),
                    name.substr(1)));
  if (name.empty()) throw InputError(fmt::format("\"{}\" has no unit", text), cure);
  for (const Unit& unit : kUnits) {
    if (unit.name != name) continue;
    if (unit.measure != measure)
      throw InputError(
          fmt::format("\"{}\" is {}, but {} is due here", text, nameOf(unit.measure), nameOf(measure)), cure);
    return number * unit.inSi;
  }
  const auto same = [&](const Unit& unit) {
    return unit.measure == measure &&
           std::equal(unit.name.begin(), unit.name.end(), name.begin(), name.end(), [](char a, char b) {
             return std::tolower(static_cast<unsigned char>(a)) ==
                    std::tolower(static_cast<unsigned char>(b));
           });
  };
  const auto meant = std::find_if(kUnits.begin(), kUnits.end(), same);
  throw InputError(fmt::format("\"{}\" has the unknown unit \"{}\"", text, name),
                   meant == kUnits.end() ? cure : fmt::format("did you mean \"{}\"? {}", meant->name, cure));
}

std::string errorText(double error) {
  constexpr double kLargest = 1e9;  // beyond it an exponent is easier to read than zeros
  if (!(error >= 1 && error < kLargest)) return fmt::format("{:.1g}", error);
  const double digit = std::pow(10, std::floor(std::log10(error)));
  return fmt::format("{:.0f}", digit * std::round(error / digit));
}

}  // namespace barelattice
