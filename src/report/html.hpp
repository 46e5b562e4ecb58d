// Pieces of HTML that pages are put together from. Internal to the room.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <string>
#include <vector>

#include "barelattice/base/quantity.hpp"
#include "barelattice/meshes/vec.hpp"
#include "base/markup.hpp"

namespace barelattice {

inline std::string row(const std::string& name, const std::string& value) {
  return fmt::format("<dt>{}</dt><dd>{}</dd>", escaped(name), value);
}

inline std::string table(const std::vector<std::string>& head,
                         const std::vector<std::vector<std::string>>& rows) {
  std::string html = "<div class=\"scroll\"><table><thead><tr>";
  for (const std::string& cell : head) html += "<th>" + escaped(cell) + "</th>";
  html += "</tr></thead><tbody>";
  for (const auto& cells : rows) {
    html += "<tr>";
    for (const std::string& cell : cells) html += "<td>" + cell + "</td>";
    html += "</tr>";
  }
  return html + "</tbody></table></div>";
}

inline std::string text(double value, const char* format = "{:.4g}") {
  return fmt::format(fmt::runtime(format), value);
}

/// "1.23 &plusmn; 0.02": a figure with its estimated error.
inline std::string withError(double value, double error) {
  return text(value) + fmt::format(" <span class=\"error\">&plusmn; {}</span>", errorText(error));
}

/// A place in mm.
inline std::string placeInMm(const Vec3& place) {
  return coordinatesText(Vec3(place * kMillimetresPerMetre));
}

/// A figure that is missing where a layout did not hold.
inline std::string figureText(double value) {
  return std::isfinite(value) ? text(value) : "none";
}

}  // namespace barelattice
