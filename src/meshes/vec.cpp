#include "barelattice/meshes/vec.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/quantity.hpp"

namespace barelattice {

std::string coordinatesText(const Vec3& v) {
  constexpr double kNothing = 1e-5;   // of the largest
  constexpr double kRounding = 1e-9;  // mm, N, N m: below what anything here is about
  const double least = std::max(kNothing * v.cwiseAbs().maxCoeff(), kRounding);
  const auto entry = [&](double value) { return std::abs(value) <= least ? 0.0 : value; };
  // Four digits; far from the origin as many as tell places of one part apart.
  constexpr double kFar = 1000;
  const auto text = [&](double value) {
    return std::abs(value) < kFar ? fmt::format("{:.4g}", entry(value))
                                  : fmt::format("{}", std::round(10 * value) / 10);
  };
  return fmt::format("{}, {}, {}", text(v.x()), text(v.y()), text(v.z()));
}

std::string placeText(const Vec3& point) {
  return fmt::format("({}) mm", coordinatesText(kMillimetresPerMetre * point));
}

}  // namespace barelattice
