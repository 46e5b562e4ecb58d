/// @file
/// What a part is milled with.
#pragma once

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// A cutter that turns about the direction it comes from, and what holds it.
struct Tool {
  double diameter = 0;      ///< at its end, m; zero for one without width, which goes into every corner
  double cornerRadius = 0;  ///< of its edge, up to half the diameter, m
  double taper = 0;         ///< by which its side leans from its axis, rad; 0 up to kMostTaper
  double reach = 0;         ///< from its tip to what holds it, m; zero for any
  double holder = 0;        ///< diameter of what holds it, above the tool's there, m; needed with a reach

  /// How high above the tip a surface of the tool lies at a distance from its axis, m; infinite where there
  /// is none.
  double heightAt(double radius) const;
  /// The same of what cuts, without the holder.
  double cuttingHeightAt(double radius) const;
  /// The radius of what cuts at most, in work up to `depth` deep, m.
  double cuttingRadius(double depth) const;

  bool operator==(const Tool&) const = default;
};

inline constexpr double kMostTaper = 0.5236;  ///< 30 degrees, rad

/// @throws InputError naming the size that is out of range or contradicts another.
void validate(const Tool& tool);

}  // namespace barelattice
