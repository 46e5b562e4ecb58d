// What the CAD reader's process answers, as shapes, and the outlines of its faces.

#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/formats/cad.hpp"
#include "barelattice/formats/outline_files.hpp"
#include "support/cad_answer.hpp"
#include "target.hpp"

using namespace barelattice;

std::vector<std::string> seeds() {
  return {cadAnswer(R"({"unit":"mm","loose_faces":0,"solids":[{"name":"wedge","volume":0.1666,"valid":true,
"deviation":0.001,"low":[0,0,0],"high":[1,1,1],"vertices":[0,0,0,1,0,0,0,1,0,0,0,1],
"triangles":[0,2,1,0,0,1,3,1,0,3,2,2,1,2,3,3],"faces":[
{"kind":"plane","origin":[0,0,0],"axis":[0,0,-1],"area":0.5,"centre":[0.3,0.3,0],"adjacent":[1,2,3]},
{"kind":"cylinder","origin":[0,0,0],"axis":[0,0,1],"from":[1,0,0],"length":1,"radius":1,"sweep":1.57,
"inward":false,"area":0.5,"centre":[0.3,0,0.3],"adjacent":[0,2,3]},
{"kind":"cone","origin":[0,0,0],"axis":[0,0,1],"from":[1,0,0],"length":1,"radius":1,"end_radius":0.5,
"sweep":6.2832,"inward":true,"area":0.5,"centre":[0,0.3,0.3],"adjacent":[0,1,3]},
{"kind":"freeform","area":0.86,"centre":[0.3,0.3,0.3],"adjacent":[0,1,2]}]}]})"),
          cadAnswer(R"({"error":"is no STEP file"})")};
}

std::vector<std::string> words() {
  return {cadAnswer(R"("sphere")"), cadAnswer(R"("torus")"), cadAnswer("1e308"), cadAnswer("-1"),
          cadAnswer("4294967296"), cadAnswer("null"), cadAnswer("[]"), cadAnswer("{}"),
          cadAnswer(R"("faces")"),
          // An array and a text that say they go on for ever, and one that only its end closes.
          "\x9b\xff\xff\xff\xff\xff\xff\xff\xff", "\x7b\xff\xff\xff\xff\xff\xff\xff\xff", "\x9f"};
}

void read(std::string_view input) {
  for (const CadSolid& solid : parseCadModel(std::string(input), "answer").solids) {
    const ShapePtr shape = makeCadShape(solid);
    if (std::isnan(shape->distance({0.1, 0.2, 0.3}))) throw InputError("far away");
    for (std::size_t f = 0; f < solid.faces.size(); ++f) {
      try {
        const PlaneOutline outline = outlineOf(solid, f);
        makeExtrusion({.outline = outline.outer, .to = 1, .holes = outline.holes});
      } catch (const InputError&) {
      }
    }
  }
}
