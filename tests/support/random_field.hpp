// Fields without any pattern.
#pragma once

#include <cstddef>
#include <random>
#include <vector>

namespace barelattice::testing {

/// Values from 0.05 to 0.95, the same for the same seed.
inline std::vector<double> randomField(std::size_t count, unsigned seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> value(0.05, 0.95);
  std::vector<double> field(count);
  for (double& v : field) v = value(random);
  return field;
}

}  // namespace barelattice::testing
