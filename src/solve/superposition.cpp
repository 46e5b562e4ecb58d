#include "superposition.hpp"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace barelattice {

// f_k follows from a base F = [f_b] if the least of |f_k - F c|^2 is nothing. It is reached where
//
//   (F^T F) c = F^T f_k,   and is   f_k^T f_k - 2 c^T F^T f_k + c^T (F^T F) c      (1)
//
// Only products of loads are needed, which for sparse forces, and for forces on all mass whose layout
// changes, are known without making a field. (1) loses half of the digits: 1e-14 of the square is 1e-7 of the
// norm. Loads that follow, but with factors far above one (nearly parallel bases), would multiply the errors
// of the base, and are taken into it.

bool Superposition::isBase(std::size_t k) const {
  return std::binary_search(base.begin(), base.end(), k);
}

Superposition superposed(const Eigen::MatrixXd& products) {
  constexpr double kNothing = 1e-14;   // of the square: what rounding leaves of the difference of products
  constexpr double kMostFactor = 100;  // times the norm: beyond, errors of the base would be multiplied
  const Eigen::Index count = products.rows();
  Superposition result;
  std::vector<Eigen::VectorXd> factors;
  for (Eigen::Index k = 0; k < count; ++k) {
    const auto rank = static_cast<Eigen::Index>(result.base.size());
    Eigen::MatrixXd among(rank, rank);
    Eigen::VectorXd with(rank);
    for (Eigen::Index i = 0; i < rank; ++i) {
      const auto b = static_cast<Eigen::Index>(result.base[static_cast<std::size_t>(i)]);
      with[i] = products(b, k);
      for (Eigen::Index j = 0; j < rank; ++j)
        among(i, j) = products(b, static_cast<Eigen::Index>(result.base[static_cast<std::size_t>(j)]));
    }
    const Eigen::VectorXd own = rank > 0 ? Eigen::VectorXd(among.ldlt().solve(with)) : with;
    const double rest = products(k, k) - 2 * own.dot(with) + own.dot(among * own);
    double largest = 0;
    for (Eigen::Index i = 0; i < rank; ++i)
      largest = std::max(largest, std::abs(own[i]) * std::sqrt(among(i, i)));
    const bool follows = products(k, k) > 0 && std::abs(rest) <= kNothing * products(k, k) &&
                         largest <= kMostFactor * std::sqrt(products(k, k));
    factors.push_back(own);
    if (follows) continue;
    factors.back() = Eigen::VectorXd::Unit(rank + 1, rank);
    result.base.push_back(static_cast<std::size_t>(k));
  }
  result.combination = Eigen::MatrixXd::Zero(count, static_cast<Eigen::Index>(result.base.size()));
  for (Eigen::Index k = 0; k < count; ++k)
    result.combination.row(k).head(factors[static_cast<std::size_t>(k)].size()) =
        factors[static_cast<std::size_t>(k)];
  return result;
}

}  // namespace barelattice
