#include "barelattice/optimise/optimality_criteria.hpp"

#include <algorithm>
#include <cmath>

#include "barelattice/base/parallel.hpp"
#include "barelattice/base/root.hpp"

namespace barelattice {

std::vector<double> updateByOptimality(std::span<const double> variables,
                                       std::span<const double> goalGradient,
                                       std::span<const double> limitGradient,
                                       const std::function<double(std::span<const double>)>& amount,
                                       double target, const OptimalityOptions& options) {
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
  const auto stepTo = [&](double factor) {  // factor = l^-damping
    forEach(updated.size(), [&](std::size_t i) {
      updated[i] = std::clamp(variables[i] * ratio[i] * factor, low(i), high(i));
    });
    return amount(updated);
  };
  // The logarithm of the factor is sought. At the ends every variable sits on its move limit; near the root
  // the ratios of variables free to move are about one, so their mean by amount is the first guess.
  const double weighted = sumBlocks(ratio.size(), [&](std::size_t begin, std::size_t end) {
    double sum = 0;
    for (std::size_t i = begin; i < end; ++i) sum += limitGradient[i] * variables[i] * ratio[i];
    return sum;
  });
  const double weight = sumBlocks(ratio.size(), [&](std::size_t begin, std::size_t end) {
    double sum = 0;
    for (std::size_t i = begin; i < end; ++i) sum += limitGradient[i] * variables[i];
    return sum;
  });
  RootSearch search;
  search.low = std::log(1e-4 / most);
  search.high = std::log(1e4 / least);
  search.guess = weighted > 0 && weight > 0 ? std::log(weight / weighted) : search.low;
  search.step = 0.3;
  // d(variable)/d(log factor) is the variable itself where it is free to move.
  const double factor = std::exp(search.guess);
  search.slope = sumBlocks(ratio.size(), [&](std::size_t begin, std::size_t end) {
    double sum = 0;
    for (std::size_t i = begin; i < end; ++i) {
      const double free = variables[i] * ratio[i] * factor;
      if (free > low(i) && free < high(i)) sum += limitGradient[i] * free;
    }
    return sum;
  });
  search.width = 1e-12 * (std::abs(search.low) + std::abs(search.high));
  constexpr double kAccuracy = 1e-6;  // relative, of the amount: far below what a step changes
  growingRoot([&](double logarithm) { return stepTo(std::exp(logarithm)) - target; }, search,
              kAccuracy * target);
  return updated;
}

}  // namespace barelattice
