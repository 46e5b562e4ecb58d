/// @file
/// Derivatives held against differences: for goals, limits and making maps of one's own.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/optimise/optimiser.hpp"

namespace barelattice BARELATTICE_API {

struct GradientCheckOptions {
  Reading reading{4, 0.15, 1};  ///< where it is taken: sharp enough for every map to count
  std::size_t cells = 12;       ///< how many derivatives of each function are looked at, 1 or more
  double step = 8e-3;           ///< of a variable, above 0 up to 0.1
  std::uint32_t seed = 21;      ///< of the variables, which are random between 0.3 and 0.7
};

/// How far the derivatives of one function are from its differences.
struct GradientCheck {
  std::string name;       ///< of the function, as a column of the history is headed
  double error = 0;       ///< largest difference over the largest derivative; ideal 0, good up to 1e-6
  std::size_t cell = 0;   ///< where it is
  double derivative = 0;  ///< there
  double difference = 0;  ///< there: what it should be
};

/// Compares the derivatives a design steps by, through all maps and both readings, with central differences
/// of fourth order: of the goal (of each of its terms where the worst governs) and of each limit, the mass
/// first. Takes four solves of all cases for each cell and function, at 1e-16 of the energy: give it a small
/// problem.
/// @throws as optimiseLayout.
template <int D>
std::vector<GradientCheck> checkGradients(const LayoutProblem<D>& problem,
                                          const GradientCheckOptions& options = {});

}  // namespace barelattice
