#include "barelattice/layout/cell_maps.hpp"

#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <numbers>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/simd.hpp"

namespace barelattice {
namespace {

// Projection (Wang, Lazarov & Sigmund 2011): with sharpness b and threshold t,
//
//   out = (tanh(b t) + tanh(b (in - t))) / (tanh(b t) + tanh(b (1 - t)))          (1)
//
// which keeps 0 and 1, and tends to a step at t as b grows, to the identity as b falls to 0. Its derivative
// follows from tanh' = 1 - tanh^2:
//
//   d out / d in = b (1 - tanh^2(b (in - t))) / (tanh(b t) + tanh(b (1 - t)))     (2)
//
// At t it is about b: near the threshold a density moves b times as far as its variable, which is what the
// update has to be damped by (optimiser.cpp).

constexpr std::array<double, 14> kInverseFactorials = [] {  // of 13 down to 0
  std::array<double, 14> values{};
  double factorial = 1;
  for (std::size_t k = 0; k < values.size(); ++k) {
    values[values.size() - 1 - k] = 1 / factorial;
    factorial *= static_cast<double>(k + 1);
  }
  return values;
}();

/// e^x by plain arithmetic, so that a loop over it runs in vectors: x = n ln 2 + r, e^r by its series up to
/// r^13 (the next term is below 1e-17), 2^n by adding n to the exponent.
BARELATTICE_INLINE double exponential(double x) {
  constexpr double kLn2High = 0x1.62e42feep-1;  // ends in zeros: its products with n are exact
  constexpr double kLn2Low = 0x1.a39ef35793c76p-33;
  constexpr double kToInteger = 0x1.8p52;  // what is added to it is rounded to an integer, in the low bits
  const double limited = x < -700 ? -700 : x > 700 ? 700 : x;
  const double shifted = limited * std::numbers::log2e + kToInteger;
  const double n = shifted - kToInteger;
  const double r = (limited - n * kLn2High) - n * kLn2Low;
  double sum = kInverseFactorials[0];
#pragma GCC unroll 16
  for (std::size_t k = 1; k < kInverseFactorials.size(); ++k) sum = sum * r + kInverseFactorials[k];
  return std::bit_cast<double>(std::bit_cast<std::uint64_t>(sum) +
                               (std::bit_cast<std::uint64_t>(shifted) << 52U));
}

/// To 3e-16, all a projection needs: tanh x = 1 - 2 / (1 + e^(2 x)).
BARELATTICE_INLINE double fastTanh(double x) {
  return 1 - 2 / (1 + exponential(2 * x));
}

BARELATTICE_DISPATCH void project(const double* in, double* out, std::size_t count, double sharpness,
                                  double threshold, double low, double range) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) out[i] = (low + fastTanh(sharpness * (in[i] - threshold))) / range;
}

BARELATTICE_DISPATCH void projectBack(const double* in, const double* gradientOut, double* gradientIn,
                                      std::size_t count, double sharpness, double threshold, double range) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) {
    const double t = fastTanh(sharpness * (in[i] - threshold));
    gradientIn[i] = gradientOut[i] * sharpness * (1 - t * t) / range;
  }
}

}  // namespace

Projection::Projection(double sharpness, double threshold)
    : sharpness_(sharpness),
      threshold_(threshold),
      low_(std::tanh(sharpness * threshold)),
      range_(low_ + std::tanh(sharpness * (1 - threshold))) {
  requirePositive("sharpness", sharpness);
  requireWithin("threshold", threshold, 0, 1);
}

void Projection::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("out", out.size(), in.size(), "cells");
  forEachBlock(in.size(), [&](std::size_t begin, std::size_t end) {
    project(in.data() + begin, out.data() + begin, end - begin, sharpness_, threshold_, low_, range_);
  });
}

void Projection::backward(std::span<const double> in, std::span<const double> /*out*/,
                          std::span<const double> gradientOut, std::span<double> gradientIn) const {
  requireCount("gradientOut", gradientOut.size(), in.size(), "cells");
  requireCount("gradientIn", gradientIn.size(), in.size(), "cells");
  forEachBlock(in.size(), [&](std::size_t begin, std::size_t end) {
    projectBack(in.data() + begin, gradientOut.data() + begin, gradientIn.data() + begin, end - begin,
                sharpness_, threshold_, range_);
  });
}

void KeepSolid::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("in", in.size(), keep_.size(), "cells");
  requireCount("out", out.size(), keep_.size(), "cells");
  forEach(in.size(), [&](std::size_t i) { out[i] = keep_[i] ? 1 : in[i]; });
}

void KeepSolid::backward(std::span<const double> /*in*/, std::span<const double> /*out*/,
                         std::span<const double> gradientOut, std::span<double> gradientIn) const {
  requireCount("gradientOut", gradientOut.size(), keep_.size(), "cells");
  requireCount("gradientIn", gradientIn.size(), keep_.size(), "cells");
  forEach(gradientIn.size(), [&](std::size_t i) { gradientIn[i] = keep_[i] ? 0 : gradientOut[i]; });
}

}  // namespace barelattice
