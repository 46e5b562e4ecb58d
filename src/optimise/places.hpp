// Cells by the level they have, and places as text.
#pragma once

#include <fmt/format.h>

#include <cstdint>
#include <string>
#include <vector>

#include "barelattice/base/quantity.hpp"
#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// Cells thick enough to be solid at the threshold 0.5 + erosion, and keeps.
inline std::vector<std::uint8_t> thickEnough(const std::vector<std::uint8_t>& keep,
                                             const std::vector<double>& level, double erosion) {
  std::vector<std::uint8_t> chosen(level.size());
  for (std::size_t c = 0; c < chosen.size(); ++c) chosen[c] = keep[c] || level[c] >= 0.5 + erosion;
  return chosen;
}

template <int D>
std::string placeText(const Point<D>& at) {
  std::string text;
  for (int i = 0; i < D; ++i) text += fmt::format("{}{:.4g}", i ? ", " : "", kMillimetresPerMetre * at[i]);
  return "(" + text + ") mm";
}

}  // namespace barelattice
