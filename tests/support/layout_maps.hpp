// What maps give, and whether their derivatives are exact.
#pragma once

#include <gtest/gtest.h>

#include <vector>

#include "barelattice/layout/layout_map.hpp"
#include "support/difference.hpp"
#include "support/random_field.hpp"

namespace barelattice::testing {

inline std::vector<double> through(const LayoutMap& map, const std::vector<double>& in) {
  std::vector<double> out(in.size());
  map.forward(in, out);
  return out;
}

/// The gradient of a weighted sum of what the map gives, against differences, in every `stride`-th entry.
/// Random fields have no ties, and the step is too short to make any.
inline void expectExactGradient(const LayoutMap& map, std::size_t count, std::size_t stride,
                                const char* what) {
  SCOPED_TRACE(what);
  const std::vector<double> weight = randomField(count, 5);
  const std::vector<double> in = randomField(count, 6);
  std::vector<double> gradient(count);
  map.backward(in, through(map, in), weight, gradient);
  const auto value = [&](const std::vector<double>& x) {
    const std::vector<double> out = through(map, x);
    double sum = 0;
    for (std::size_t i = 0; i < count; ++i) sum += weight[i] * out[i];
    return sum;
  };
  expectGradient(value, in, gradient, stride, 1e-6, 1e-7);
}

}  // namespace barelattice::testing
