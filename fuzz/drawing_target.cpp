// Outlines from SVG drawings, as shapes.

#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/formats/outline_files.hpp"
#include "target.hpp"

using namespace barelattice;

std::vector<std::string> seeds() {
  return {
      R"svg(<svg width="40mm" viewBox="0 0 40 30"><g transform="translate(1 2) rotate(30)"><path id="plate"
d="M0 0 L20,0 A5 5 0 0 1 20 10 H4 C2 10 0 8 0 6 Z M8 4 a2 2 0 1 0 4 0 a2 2 0 1 0 -4 0 z"/></g></svg>)svg",
      R"svg(<svg width="2in" viewBox="0 0 2 2"><circle cx="1" cy="1" r="0.5"/></svg>)svg",
      R"svg(<svg width="4cm" viewBox="0 0 4 4"><polygon points="0,0 3,0 3,3 1,2" transform="matrix(1 0 0 -1 0 0)"/></svg>)svg",
      R"svg(<svg width="9mm" viewBox="0 0 9 9"><path d="m1 1q2 2 4 0t4 0 0 5s-4-1-5 0v-2h-1 z"/></svg>)svg"};
}

std::vector<std::string> words() {
  return {"1e300",
          "1e-300",
          "A0 0 0 1 1 3 3",
          "Z",
          "transform=\"scale(0)\"",
          "M",
          "-",
          "99999999999",
          "viewBox=\"0 0 0 0\"",
          "e",
          "<g>"};
}

void read(std::string_view input) {
  const PlaneOutline outline = parseSvgOutline(input, "drawing", "", std::nullopt);
  const ShapePtr shape = makeExtrusion({.outline = outline.outer, .to = 1, .holes = outline.holes});
  if (std::isnan(shape->distance({0.001, 0.002, 0.5}))) throw InputError("far away");
}
