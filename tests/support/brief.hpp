// Small briefs the tests change and spoil.
#pragma once

#include <gtest/gtest.h>

#include <string>

namespace barelattice::testing {

// Line numbers matter: errors name them.
inline const std::string kBrief = R"(voxel = "2 mm"
[material]
use = "steel"
[shapes]
block = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["60 mm", "20 mm", "20 mm"] } }
pad = { box = { from = ["54 mm", "0 mm", "0 mm"], to = ["60 mm", "20 mm", "20 mm"] } }
pin = { cylinder = { from = ["30 mm", "-1 mm", "10 mm"], to = ["30 mm", "21 mm", "10 mm"], radius = "4 mm" } }
slab = { box = { from = ["28 mm", "-1 mm", "-1 mm"], to = ["32 mm", "21 mm", "21 mm"] } }
edge = { box = { from = ["0 mm", "0 mm", "0 mm"], to = ["1 mm", "20 mm", "1 mm"] } }
[design]
space = "block"
keep = ["pad"]
clear = ["pin"]
[faces]
root = { of = "block", kind = "plane", facing = "-x" }
tip = { of = "pad", kind = "plane", facing = "+x" }
[supports]
root = { face = "root" }
[loads]
push = { face = "tip", force = ["0 N", "0 N", "-1 kN"] }
[cases]
down = { weight = 2.0, loads = { push = 1.5 } }
[target]
mass_fraction = 0.4
[making]
smallest_member = "6 mm"
[require]
mass = "0.2 kg"
displacement = { tip = "1 mm" }
)";

/// The same of a sheet.
inline const std::string kSheet = R"(voxel = "2 mm"
sheet = { thickness = "5 mm" }
[material]
use = "steel"
[shapes]
plate = { rectangle = { from = ["0 mm", "0 mm"], to = ["60 mm", "20 mm"] } }
spare = { disc = { centre = ["30 mm", "10 mm"], radius = "4 mm" } }
[design]
space = "plate"
[faces]
root = { of = "plate", kind = "straight", facing = "-x" }
tip = { of = "plate", kind = "straight", facing = "+x" }
[supports]
root = { face = "root" }
[loads]
push = { face = "tip", force = ["0 N", "-1 kN"] }
[cases]
down = { loads = { push = 1.0 } }
[target]
mass_fraction = 0.4
[making]
smallest_member = "6 mm"
)";

/// A text with the first of a passage in it changed.
inline std::string changedIn(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from;
  return at == std::string::npos ? text : text.replace(at, from.size(), to);
}

inline std::string changed(const std::string& from, const std::string& to) {
  return changedIn(kBrief, from, to);
}

}  // namespace barelattice::testing
