#include "barelattice/geometry/vec.hpp"

#include <fmt/format.h>

#include "barelattice/base/quantity.hpp"

namespace barelattice {

std::string coordinatesText(const Vec3& v) {
  constexpr double kNothing = 1e-7;
  const double largest = v.cwiseAbs().maxCoeff();
  const auto entry = [&](double value) { return std::abs(value) <= kNothing * largest ? 0.0 : value; };
  return fmt::format("{:.4g}, {:.4g}, {:.4g}", entry(v.x()), entry(v.y()), entry(v.z()));
}

std::string placeText(const Vec3& point) {
  return fmt::format("({}) mm", coordinatesText(kMillimetresPerMetre * point));
}

}  // namespace barelattice
