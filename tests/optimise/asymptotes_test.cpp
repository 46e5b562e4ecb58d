#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "barelattice/optimise/moving_asymptotes.hpp"

namespace barelattice {
namespace {

/// Variables of the published problems, scaled to 0 ... 1.
double unscaled(double x, double low, double high) {
  return low + x * (high - low);
}

// Svanberg 1987, The method of moving asymptotes, section 4.1: the weight 0.0624 sum x_j of a cantilever of
// five hollow beams under a limit on its tip displacement, 61/x1^3 + 37/x2^3 + 19/x3^3 + 7/x4^3 + 1/x5^3
// <= 1. The optimum is 1.340 at (6.016, 5.309, 4.494, 3.502, 2.153).
TEST(MovingAsymptotes, solveSvanbergsCantilever) {
  const std::array<double, 5> c{61, 37, 19, 7, 1};
  const double low = 1;
  const double high = 10;
  std::vector<double> x(5, (5 - low) / (high - low));
  AsymptotesState state;
  for (int k = 0; k < 40; ++k) {
    AsymptotesProblem p;
    p.goalGradient.assign(5, 0.0624 * (high - low));
    p.shares = {0};
    p.limits = {-1};
    p.limitGradients.emplace_back();
    for (std::size_t j = 0; j < 5; ++j) {
      const double size = unscaled(x[j], low, high);
      p.limits[0] += c[j] / std::pow(size, 3);
      p.limitGradients[0].push_back(-3 * c[j] / std::pow(size, 4) * (high - low));
    }
    x = updateByAsymptotes(x, p, {1}, state);
  }
  double weight = 0;
  const std::array<double, 5> published{6.016, 5.309, 4.494, 3.502, 2.153};
  for (std::size_t j = 0; j < 5; ++j) {
    weight += 0.0624 * unscaled(x[j], low, high);
    EXPECT_NEAR(unscaled(x[j], low, high), published[j], 0.002);
  }
  EXPECT_NEAR(weight, 1.340, 0.0005);
}

// The same paper, section 4.2: a truss of two bars with the stress limits
//   0.124 sqrt(1 + x2^2) (8/x1 + 1/(x1 x2)) <= 1 and 0.124 sqrt(1 + x2^2) (8/x1 - 1/(x1 x2)) <= 1,
// weight x1 sqrt(1 + x2^2), 0.2 <= x1 <= 4, 0.1 <= x2 <= 1.6. The optimum is 1.51 at (1.41, 0.38).
TEST(MovingAsymptotes, solveSvanbergsTwoBarTruss) {
  std::vector<double> x{(1.5 - 0.2) / 3.8, (0.5 - 0.1) / 1.5};
  AsymptotesState state;
  double weight = 0;
  for (int k = 0; k < 40; ++k) {
    const double a = unscaled(x[0], 0.2, 4);
    const double b = unscaled(x[1], 0.1, 1.6);
    const double root = std::sqrt(1 + b * b);
    weight = a * root;
    AsymptotesProblem p;
    p.goalGradient = {root * 3.8, a * b / root * 1.5};
    p.shares = {0, 0};
    for (const double sign : {1.0, -1.0}) {
      const double sum = 8 / a + sign / (a * b);
      p.limits.push_back(0.124 * root * sum - 1);
      p.limitGradients.push_back({0.124 * root * (-8 / (a * a) - sign / (a * a * b)) * 3.8,
                                  0.124 * (b / root * sum - root * sign / (a * b * b)) * 1.5});
    }
    x = updateByAsymptotes(x, p, {1}, state);
  }
  EXPECT_NEAR(weight, 1.51, 0.005);
  EXPECT_NEAR(unscaled(x[0], 0.2, 4), 1.41, 0.01);
  EXPECT_NEAR(unscaled(x[1], 0.1, 1.6), 0.38, 0.01);
}

// The smallest circle round points: minimise the largest distance, here squared. The centre of three points
// on a circle and two inside is the circle's.
TEST(MovingAsymptotes, minimiseTheLargestOfSeveral) {
  const std::array<std::array<double, 2>, 5> points{
      {{0.1, 0.5}, {0.9, 0.5}, {0.5, 0.9}, {0.4, 0.4}, {0.6, 0.3}}};
  std::vector<double> x{0.2, 0.8};
  AsymptotesState state;
  for (int k = 0; k < 60; ++k) {
    AsymptotesProblem p;
    for (const auto& q : points) {
      p.limits.push_back((x[0] - q[0]) * (x[0] - q[0]) + (x[1] - q[1]) * (x[1] - q[1]));
      p.limitGradients.push_back({2 * (x[0] - q[0]), 2 * (x[1] - q[1])});
      p.shares.push_back(1);
    }
    x = updateByAsymptotes(x, p, {0.2}, state);
  }
  EXPECT_NEAR(x[0], 0.5, 1e-3);
  EXPECT_NEAR(x[1], 0.5, 1e-3);
}

}  // namespace
}  // namespace barelattice
