#include "barelattice/optimise/optimality_criteria.hpp"

#include <algorithm>
#include <cmath>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/root.hpp"

namespace barelattice {

void validate(const OptimalityOptions& options) {
  if (!(options.move > 0 && options.move <= 1))
    throw InputError(fmt::format("move is {}", options.move), "give above 0, up to 1");
  requirePositive("damping", options.damping);
}

// To be minimised is c(x) under m(x) = M, 0 <= x <= 1, with dc/dx_i <= 0 < dm/dx_i. Stationary in the
// Lagrangian c + l (m - M), a variable between its bounds has
//
//   -dc/dx_i = l dm/dx_i,   so   B_i = -dc/dx_i / (l dm/dx_i) = 1                 (1)
//
// More material is worth its price where B_i > 1, less where B_i < 1. The fixed-point iteration
//
//   x_i <- x_i B_i^d, within [x_i - move, x_i + move] and [0, 1]                  (2)
//
// (Bendsoe & Sigmund 2003, section 1.2) with d = 1/2 is exact for a bar structure of fixed forces,
// c = sum a_i / x_i: there (1) says x_i^2 = a_i / (l dm/dx_i), which is (2) after one step. With
// b_i = (-dc/dx_i / dm/dx_i)^d and F = l^(-d), (2) is x_i b_i F: the ratios are formed once, and F is
// sought so that the mass is met. m is a growing function of log F, since every x_i is, and
//
//   dm/d(log F) = sum over variables that are free to move of dm/dx_i x_i         (3)
//
// gives the first step of the search. A variable that neither goal nor mass depends on, as one in front of
// which a mould or a tool meets a fuller cell, stays as it is: (1) says nothing of it, and once what hides it
// is gone it counts again from there.

std::vector<double> updateByOptimality(std::span<const double> variables,
                                       std::span<const double> goalGradient,
                                       std::span<const double> limitGradient,
                                       const std::function<double(std::span<const double>)>& amount,
                                       double target, const OptimalityOptions& options) {
  requireCount("goalGradient", goalGradient.size(), variables.size(), "variables");
  requireCount("limitGradient", limitGradient.size(), variables.size(), "variables");
  requireGiven("amount", amount);
  requirePositive("target", target);
  validate(options);
  std::vector<double> ratio(variables.size());  // (-goal gradient / limit gradient)^damping
  forEach(ratio.size(), [&](std::size_t i) {
    const double quotient = limitGradient[i] > 0 ? std::max(0.0, -goalGradient[i]) / limitGradient[i] : 0;
    ratio[i] = std::pow(quotient, options.damping);
  });
  double least = std::numeric_limits<double>::max();
  double most = 0;
  for (const double r : ratio) {
    if (r > 0 && r < least) least = r;
    if (r > most) most = r;
  }

  std::vector<double> updated(variables.begin(), variables.end());
  if (most == 0) return updated;
  const auto low = [&](std::size_t i) { return std::max(0.0, variables[i] - options.move); };
  const auto high = [&](std::size_t i) { return std::min(1.0, variables[i] + options.move); };
  const auto idle = [&](std::size_t i) { return goalGradient[i] == 0 && limitGradient[i] == 0; };
  const auto stepped = [&](std::size_t i, double factor) {  // factor = l^-damping
    if (idle(i)) return variables[i];
    return std::clamp(variables[i] * ratio[i] * factor, low(i), high(i));  // (2)
  };
  const auto sumOf = [&](const auto& term) {
    return sumBlocks(ratio.size(), [&](std::size_t begin, std::size_t end) {
      double sum = 0;
      for (std::size_t i = begin; i < end; ++i) sum += term(i);
      return sum;
    });
  };

  // The logarithm of the factor is sought. At the ends every variable sits on its move limit; near the root
  // the ratios of variables free to move are about one, so their mean by amount is the first guess.
  const double amountNow = sumOf([&](std::size_t i) { return limitGradient[i] * variables[i]; });
  const double amountThen = sumOf([&](std::size_t i) { return limitGradient[i] * variables[i] * ratio[i]; });
  RootSearch search;
  search.low = std::log(1e-4 / most);
  search.high = std::log(1e4 / least);
  search.guess = amountThen > 0 && amountNow > 0 ? std::log(amountNow / amountThen) : search.low;
  search.step = 0.3;
  search.width = 1e-12 * (std::abs(search.low) + std::abs(search.high));
  // First with the amount taken as linear, which costs a tenth of finding it: the limits on the variables are
  // most of what bends it. It starts from the target, or close to it.
  search.guess = growingRoot(
      [&](double logarithm) {
        const double factor = std::exp(logarithm);
        return sumOf([&](std::size_t i) { return limitGradient[i] * (stepped(i, factor) - variables[i]); });
      },
      search, 1e-5 * amountNow);
  const double factor = std::exp(search.guess);
  search.slope = sumOf([&](std::size_t i) {  // (3)
    const double free = variables[i] * ratio[i] * factor;
    return free > low(i) && free < high(i) ? limitGradient[i] * free : 0;
  });
  constexpr double kAccuracy = 1e-6;  // relative, of the amount: far below what a step changes
  growingRoot(
      [&](double logarithm) {
        forEach(updated.size(),
                [&, to = std::exp(logarithm)](std::size_t i) { updated[i] = stepped(i, to); });
        return amount(updated) - target;
      },
      search, kAccuracy * target);
  return updated;
}

}  // namespace barelattice
