/// @file
/// Right-hand sides that are sums of others, which need no solve.
#pragma once

#include <Eigen/Core>
#include <vector>

namespace barelattice {

/// A base of some right-hand sides f_k, and how the others follow from it:
///   f_k = sum over b of combination(k, b) f_(base[b]).
struct Superposition {
  std::vector<std::size_t> base;
  Eigen::MatrixXd combination;  ///< one row for each right-hand side

  /// True if it is solved for itself.
  bool isBase(std::size_t k) const;
};

/// How much larger the energy error of a sum may be than that asked of its parts, before it is solved on for
/// itself: errors may add up, but hardly ever all do.
inline constexpr double kSumsErrorBy = 4;

/// Finds the first of the right-hand sides that the others follow from, to 1e-7 of their norm.
/// @param products f_i^T f_k.
Superposition superposed(const Eigen::MatrixXd& products);

}  // namespace barelattice
