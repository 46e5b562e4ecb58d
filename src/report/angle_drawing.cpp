#include "angle_drawing.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace barelattice {

std::string angleDrawing(const std::vector<std::size_t>& counts, std::size_t tetrahedra) {
  constexpr double kBar = 22;
  constexpr double kHeight = 54;
  const auto most = static_cast<double>(*std::max_element(counts.begin(), counts.end()));
  std::string bars, spoken;
  for (std::size_t bin = 0; bin < counts.size(); ++bin) {
    const auto count = static_cast<double>(counts[bin]);
    // A bin that is not empty shows at least as a line.
    const double height = count > 0 ? std::max(1.0, kHeight * count / most) : 0;
    const double left = kBar * static_cast<double>(bin);
    const std::string range = bin + 1 < counts.size()
                                  ? fmt::format("{} to {} degrees", 10 * bin, 10 * (bin + 1))
                                  : fmt::format("{} degrees and more", 10 * bin);
    const std::string share =
        fmt::format("{}: {:.2f} %", range, 100 * count / static_cast<double>(tetrahedra));
    spoken += (bin ? "; " : "") + share;
    bars += fmt::format(
        "<rect x=\"{:.0f}\" y=\"{:.1f}\" width=\"{:.0f}\" height=\"{:.1f}\"><title>{}</title></rect>"
        "<text x=\"{:.0f}\" y=\"{:.0f}\">{}</text>",
        left + 1, kHeight - height, kBar - 2, height, share, left, kHeight + 13, 10 * bin);
  }
  return fmt::format(
      "<svg class=\"bars\" role=\"img\" aria-label=\"least dihedral angles: {}\" width=\"{:.0f}\" "
      "height=\"{:.0f}\">{}</svg>",
      spoken, kBar * static_cast<double>(counts.size()) + 6, kHeight + 16, bars);
}

}  // namespace barelattice
