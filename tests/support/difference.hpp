// Derivatives against central differences.
#pragma once

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <vector>

namespace barelattice::testing {

/// Compares every `stride`-th entry of a gradient at x with differences of `value`, to a share of the
/// gradient's largest entry. Central differences of fourth order: steps may be long enough that solves need
/// not be exact.
inline void expectGradient(const std::function<double(const std::vector<double>&)>& value,
                           std::vector<double> x, const std::vector<double>& gradient, std::size_t stride,
                           double step, double accuracy) {
  double largest = 0;
  for (const double g : gradient) largest = std::max(largest, std::abs(g));
  EXPECT_GT(largest, 0);
  for (std::size_t i = stride / 2; i < x.size(); i += stride) {
    const double old = x[i];
    const auto across = [&](double reach) {
      x[i] = old + reach;
      const double above = value(x);
      x[i] = old - reach;
      const double below = value(x);
      x[i] = old;
      return above - below;
    };
    EXPECT_NEAR(gradient[i], (8 * across(step) - across(2 * step)) / (12 * step), accuracy * largest)
        << "entry " << i;
  }
}

}  // namespace barelattice::testing
