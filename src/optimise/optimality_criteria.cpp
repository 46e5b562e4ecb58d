#include "barelattice/optimise/optimality_criteria.hpp"

#include <algorithm>
#include <cmath>

#include "barelattice/base/parallel.hpp"

namespace barelattice {

std::vector<double> updateByOptimality(std::span<const double> variables,
                                       std::span<const double> goalGradient,
                                       std::span<const double> limitGradient,
                                       const std::function<double(std::span<const double>)>& amount,
                                       double target, const OptimalityOptions& options) {
  std::vector<double> ratio(variables.size());  // (-goal gradient / limit gradient)^damping
  double least = std::numeric_limits<double>::max();
  double most = 0;
  for (std::size_t i = 0; i < ratio.size(); ++i) {
    const double quotient = limitGradient[i] > 0 ? std::max(0.0, -goalGradient[i]) / limitGradient[i] : 0;
    ratio[i] = std::pow(quotient, options.damping);
    if (ratio[i] > 0) least = std::min(least, ratio[i]);
    most = std::max(most, ratio[i]);
  }
  std::vector<double> updated(variables.begin(), variables.end());
  if (most == 0) return updated;
  const auto stepTo = [&](double factor) {  // factor = l^-damping
    forEach(updated.size(), [&](std::size_t i) {
      const double low = std::max(0.0, variables[i] - options.move);
      const double high = std::min(1.0, variables[i] + options.move);
      updated[i] = std::clamp(variables[i] * ratio[i] * factor, low, high);
    });
    return amount(updated);
  };
  // Bisection on the logarithm of the factor. At the ends every variable sits on its move limit.
  double low = std::log(1e-4 / most);
  double high = std::log(1e4 / least);
  constexpr double kAccuracy = 1e-6;  // relative, of the amount: far below what a step changes
  while (high - low > 1e-12 * (std::abs(low) + std::abs(high))) {
    const double middle = 0.5 * (low + high);
    const double excess = stepTo(std::exp(middle)) - target;
    if (std::abs(excess) < kAccuracy * target) break;
    (excess > 0 ? high : low) = middle;
  }
  return updated;
}

}  // namespace barelattice
