#include "asked.hpp"

#include <cmath>

#include "base/check.hpp"

namespace barelattice {

std::vector<double> valuesOf(const Response& response, const Analysed& at) {
  std::vector<double> values = response.values(at);
  const std::vector<std::string> names = response.names(at.analysis);
  requireCount("values of a response", values.size(), names.size(), "names");
  for (std::size_t k = 0; k < values.size(); ++k)
    if (std::isnan(values[k]))
      throw RunError(fmt::format("{} is not a number", names[k]),
                     "a response has to tell what it cannot find as infinite");
  return values;
}

void gradientOf(const Response& response, const Analysed& at, std::size_t which, std::span<double> gradient) {
  response.gradient(at, which, gradient);
  requireFiniteGradient(response, at, which, gradient);
}

void requireFiniteGradient(const Response& response, const Analysed& at, std::size_t which,
                           std::span<const double> gradient) {
  for (std::size_t c = 0; c < gradient.size(); ++c)
    if (!std::isfinite(gradient[c]))
      throw RunError(fmt::format("the derivative of {} by the density of cell {} is {}",
                                 response.names(at.analysis)[which], c, gradient[c]));
}

}  // namespace barelattice
