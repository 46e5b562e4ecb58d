/// @file
/// What two meshes and their recovered stresses say about the errors of a proof.
#pragma once

#include <cmath>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/proof/proof.hpp"

namespace barelattice BARELATTICE_API {

/// A figure found on two meshes, and what they say about its error.
struct Estimated {
  double value = 0;   ///< on the fine mesh
  double coarse = 0;  ///< on the coarse one
  double error = 0;   ///< estimated error of `value`, same unit, not negative
  /// Relative difference of the two meshes.
  double difference() const { return value == 0 ? 0 : std::abs(coarse / value - 1); }
};

/// A vector found on two meshes. The error is that of any component.
struct EstimatedVector {
  Vec3 value = Vec3::Zero(), coarse = Vec3::Zero();
  double error = 0;
  Estimated size() const { return {value.norm(), coarse.norm(), error}; }
  /// Its part along a direction, whichever way.
  Estimated along(const Vec3& direction) const {
    const Vec3 d = direction.normalized();
    return {std::abs(d.dot(value)), std::abs(d.dot(coarse)), error};
  }
  /// What it is over another. Both errors count: what they share is not known.
  EstimatedVector over(const EstimatedVector& other) const {
    return {value - other.value, coarse - other.coarse, error + other.error};
  }
};

/// Richardson's extrapolation from two meshes: with an error of order p and spacings in the ratio r, the fine
/// value is off by (fine - coarse) / (r^p - 1).
Estimated extrapolated(double coarse, double fine, double ratio, double order);

/// The errors of one case's figures. Two meshes alone may agree by accident, and a recovered stress alone
/// does not see what straight edges cut off round faces; so each is the larger of what both say, times
/// constants found on exact solutions (docs/performance.md):
///   compliance           2 |C_c - C_f| / (r^p - 1), and half of the recovery gap;
///   displacement of face 1.5 |u_c - u_f| / (r^p - 1), and half of the compliance's relative error, and so
///   for
///                        its rotation;
///   stress               1.2 |s_c - s_f| / (r - 1), 0.7 of judgedSpread, and 2.5 times the relative
///                        error of the energy norm, sqrt(gap / C).
/// The order p is the one the recovery gap shows, 1 (a crack) to 2 (straight edges on round faces).
struct CaseErrors {
  double order = 0;
  Estimated compliance;                     ///< J
  Estimated used;                           ///< share of its strength the judged material uses
  Estimated judgedStress;                   ///< Pa
  Estimated tension;                        ///< largest principal stress, Pa
  Estimated compression;                    ///< size of the smallest principal stress, Pa
  std::vector<Estimated> faceDisplacement;  ///< size of the mean motion, by face of the problem, m
  std::vector<EstimatedVector> faceShift;   ///< that motion, m
  std::vector<EstimatedVector> faceTurn;    ///< mean rotation, rad
  struct Place {
    Estimated used, tension, compression;
  };
  std::vector<Place> places = {};  ///< stresses within the places of the problem
};

/// The order with which the stress's error is taken to fall.
inline constexpr double kStressOrder = 1;

/// @param coarse the same problem on a mesh whose spacing is `ratio` times as large.
/// @param k which case.
CaseErrors errorsOf(const Proof& coarse, const Proof& fine, std::size_t k, double ratio);

}  // namespace barelattice
