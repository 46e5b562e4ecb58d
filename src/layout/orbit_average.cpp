#include "barelattice/layout/orbit_average.hpp"

#include <algorithm>
#include <cmath>

#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {

// Cells that motions carry onto each other form an orbit; the layout is to be equal on each. The average over
// orbits, P_ij = 1 / |orbit| where i and j share one, is the projection onto such layouts: P P = P, P^T = P.
// So every layout is reached from variables that are symmetric already, none is changed twice, and the way
// back is the way forward.

OrbitAverage::OrbitAverage(const std::vector<int>& orbit) : members_(orbit.size()) {
  for (const int o : orbit)
    requireIndex("number of an orbit", static_cast<std::size_t>(o), orbit.size(), "cells");
  const int count = orbit.empty() ? 0 : *std::max_element(orbit.begin(), orbit.end()) + 1;
  first_.assign(static_cast<std::size_t>(count) + 1, 0);
  for (const int o : orbit) ++first_[static_cast<std::size_t>(o) + 1];
  for (std::size_t o = 0; o + 1 < first_.size(); ++o) first_[o + 1] += first_[o];
  std::vector<std::size_t> next(first_.begin(), first_.end() - 1);
  for (std::size_t c = 0; c < orbit.size(); ++c)
    members_[next[static_cast<std::size_t>(orbit[c])]++] = static_cast<int>(c);
}

void OrbitAverage::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("in", in.size(), members_.size(), "cells");
  requireCount("out", out.size(), members_.size(), "cells");
  forEach(first_.size() - 1, [&](std::size_t o) {
    double sum = 0;
    for (std::size_t m = first_[o]; m < first_[o + 1]; ++m) sum += in[static_cast<std::size_t>(members_[m])];
    const double mean = sum / static_cast<double>(first_[o + 1] - first_[o]);
    for (std::size_t m = first_[o]; m < first_[o + 1]; ++m) out[static_cast<std::size_t>(members_[m])] = mean;
  });
}

void OrbitAverage::backward(std::span<const double> /*in*/, std::span<const double> /*out*/,
                            std::span<const double> gradientOut, std::span<double> gradientIn) const {
  forward(gradientOut, gradientIn);
}

}  // namespace barelattice
