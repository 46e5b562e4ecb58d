#include "barelattice/brief/brief.hpp"
#include "barelattice/brief/shipped.hpp"
#include "target.hpp"

std::vector<std::string> seeds() {
  const std::string sheet = R"(voxel = "2 mm"
sheet = { thickness = "5 mm", state = "plane strain" }
goal = "stiffest in the worst case"
[material]
name = "own"
modulus = "70 GPa"
poisson = 0.3
density = "2700 kg/m3"
strength = "200 MPa"
[shapes]
plate = { outline = { corners = [["0 mm", "0 mm"], ["90 mm", "0 mm"], { through = ["95 mm", "20 mm"], to = ["90 mm", "40 mm"] }, ["0 mm", "40 mm"]], holes = [[["10 mm", "10 mm"], ["20 mm", "10 mm"], ["15 mm", "20 mm"]]] } }
eye = { ring = { centre = ["70 mm", "20 mm"], hole = "5 mm", wall = "4 mm" } }
many = { repeat = { of = "eye", times = 3, step = ["-15 mm", "0 mm"] } }
fat = { offset = { of = "eye", by = "1 mm" } }
[design]
space = "plate"
keep = ["fat", { face = "side", depth = "3 mm" }]
[faces]
side = { of = "plate", kind = "straight", facing = "-x" }
hole = { of = "eye", kind = "round", side = "hole", count = 2 }
[supports]
side = { face = "side", hold = ["x", "y"] }
[loads]
push = { face = "hole", pressure = "2 MPa" }
[cases]
one = { weight = 2, loads = { push = 1.0 }, supports = ["side"] }
[target]
mass_reduction = 0.5
[making]
smallest_member = "5 mm"
mirror = { across = "y", at = "20 mm" }
[solid]
fill_voids = "3 mm"
close_gaps = "2 mm"
deviation = "0.05 mm"
formats = ["obj", "ply"]
[require]
safety_factor = 1.5
displacement = { hole = "1 mm" }
)";
  return {std::string(barelattice::firstBrief()), std::string(barelattice::riggerBrief()), sheet};
}

std::vector<std::string> words() {
  return {"[shapes]",
          "\"0 mm\"",
          "\"-1 mm\"",
          "[[",
          "]]",
          "{",
          "}",
          "=",
          "\n",
          "\"",
          "inf",
          "1e400",
          "[]",
          "{}",
          "true",
          "union = [\"plate\"]",
          "mesh = { file = \"/dev/zero\" }",
          "mesh = { file = \"..\" }",
          "1979-05-27",
          "keep = [{}]"};
}

void read(std::string_view input) {
  barelattice::parseBrief(input, "fuzz.toml");
}
