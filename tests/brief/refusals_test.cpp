// Every message a brief can provoke, besides those brief_test.cpp checks for their place as well.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>

#include "barelattice/base/file.hpp"
#include "barelattice/prepare/job.hpp"
#include "support/brief.hpp"
#include "support/own_folder.hpp"

namespace barelattice {
namespace {

using testing::changed;
using testing::changedIn;
using ::testing::HasSubstr;
using testing::kSheet;

struct Spoilt {
  const char* from;
  const char* to;
  const char* message;
};

void expectRefused(const std::string& text, const std::string& message, const std::string& what) {
  try {
    prepare(parseBrief(text, ownFolder() / "test.toml"));
    ADD_FAILURE() << what << " was accepted; due was: " << message;
  } catch (const BriefError& error) {
    EXPECT_THAT(error.what(), HasSubstr(message)) << what;
    EXPECT_THAT(error.what(), HasSubstr("test.toml:")) << what;
  }
}

/// Shapes that take the place of the one named slab.
TEST(ShapeRefusals, nameTheFault) {
  const std::vector<std::pair<const char*, const char*>> shapes{
      {"{ cylinder = { from = ['0 mm','0 mm','0 mm'], to = ['0 mm','0 mm','1 mm'], radius = '0 mm' } }",
       "a cylinder needs a radius above zero"},
      {"{ cylinder = { from = ['0 mm','0 mm','0 mm'], to = ['0 mm','0 mm','0 mm'], radius = '1 mm' } }",
       "two different end points"},
      {"{ cone = { from = ['0 mm','0 mm','0 mm'], to = ['0 mm','0 mm','1 mm'], radius = '-1 mm', end_radius "
       "= '1 mm' } }",
       "radii of zero or more"},
      {"{ cone = { from = ['0 mm','0 mm','0 mm'], to = ['0 mm','0 mm','1 mm'], radius = '1 mm', end_radius = "
       "'1 mm' } }",
       "two different radii"},
      {"{ cone = { from = ['0 mm','0 mm','1 mm'], to = ['0 mm','0 mm','1 mm'], radius = '2 mm', end_radius = "
       "'1 mm' } }",
       "a cone needs two different end points"},
      {"{ sphere = { centre = ['0 mm','0 mm','0 mm'], radius = '0 mm' } }",
       "a sphere needs a radius above zero"},
      {"{ torus = { centre = ['0 mm','0 mm','0 mm'], axis = 'z', radius = '1 mm', tube = '2 mm' } }",
       "thinner than its ring's radius"},
      {"{ torus = { centre = ['0 mm','0 mm','0 mm'], axis = [0, 0, 0], radius = '1 mm', tube = '2 mm' } }",
       "has no direction"},
      {"{ torus = { centre = ['0 mm','0 mm','0 mm'], axis = [0, 1], radius = '1 mm', tube = '2 mm' } }",
       "should hold three numbers"},
      {"{ extrude = { plane = 'xx', outline = [], from = '0 mm', to = '1 mm' } }", "'plane' is \"xx\""},
      {"{ extrude = { plane = 'xy', outline = [['0 mm','0 mm'],['1 mm','0 mm']], from = '0 mm', to = '1 mm' "
       "} }",
       "at least three corners, or two with an arc"},
      {"{ extrude = { plane = 'xy', outline = [['0 mm','0 mm'],['1 mm','0 mm'],['1 mm','0 mm']], from = '0 "
       "mm', to = '1 mm' } }",
       "same corner twice"},
      {"{ extrude = { plane = 'xy', outline = [['0 mm','0 mm'],['1 mm','0 mm'],['2 mm','0 mm']], from = '0 "
       "mm', to = '1 mm' } }",
       "encloses no area"},
      {"{ extrude = { plane = 'xy', outline = [['0 mm','0 mm'],['1 mm','1 mm'],['2 mm','0 mm'],['1 mm','3 "
       "mm'],['1 mm','-1 mm']], from = '0 mm', to = '1 mm' } }",
       "crosses itself"},
      {"{ extrude = { plane = 'xy', outline = [['0 mm','0 mm'],['1 mm','0 mm'],['1 mm','1 mm']], from = '1 "
       "mm', to = '0 mm' } }",
       "'from' below 'to'"},
      {"{ extrude = { plane = 'xy', outline = [['0 mm','0 mm'],['9 mm','0 mm'],['9 mm','9 mm']], holes = "
       "[[['20 mm','0 mm'],['21 mm','0 mm'],['21 mm','1 mm']]], from = '0 mm', to = '1 mm' } }",
       "a hole lies outside the outline"},
      {"{ extrude = { plane = 'xy', outline = [['0 mm','0 mm'],['9 mm','0 mm'],{ through = ['12 mm','0 mm'], "
       "to = ['15 mm','0 mm'] }], from = '0 mm', to = '1 mm' } }",
       "do not lie on one line"},
      {"{ offset = { of = 'block', by = '-10 mm' } }", "nothing is left of the shape"},
      {"{ offset = { of = 'both', by = '-1 mm' } }\nboth = { union = ['block', 'pad'] }",
       "a union cannot be shrunk"},
      {"{ extrude = { plane = 'xy', outline = [], drawing = 'a.svg', from = '0 mm', to = '1 mm' } }",
       "needs one of 'outline', 'drawing' and 'cad'"},
      {"{ extrude = { plane = 'xy', from = '0 mm', to = '1 mm' } }",
       "needs one of 'outline', 'drawing' and 'cad'"},
      {"{ extrude = { plane = 'xy', drawing = 'nowhere.svg', from = '0 mm', to = '1 mm' } }", "cannot read"},
      {"{ extrude = { plane = 'xy', drawing = 'bow.svg', from = '0 mm', to = '1 mm' } }", "crosses itself"},
      {"{ extrude = { plane = 'xy', drawing = 'unsized.svg', from = '0 mm', to = '1 mm' } }",
       "does not say how large it is"},
      {"{ extrude = { plane = 'xy', drawing = 'bow.svg', path = 'tie', from = '0 mm', to = '1 mm' } }",
       "has no outline \"tie\""},
      {"{ extrude = { plane = 'xy', drawing = 'bow.svg', unit = 'ell', from = '0 mm', to = '1 mm' } }",
       "'unit' is \"ell\""},
      {"{ extrude = { plane = 'xy', cad = 'words.stl', from = '0 mm', to = '1 mm' } }", "is not a STEP file"},
      {"{ fill = { of = 'block' } }", "needs one of 'holes_up_to' and 'pockets_up_to'"},
      {"{ fill = { of = 'block', holes_up_to = '1 mm', pockets_up_to = '1 mm' } }",
       "needs one of 'holes_up_to' and 'pockets_up_to'"},
      {"{ fill = { of = 'block', pockets_up_to = '8 mm' } }", "there is no pocket of up to 8 mm"},
      {"{ fill = { of = 'block', pockets_up_to = '0.01 mm' } }", "too small to be found"},
      {"{ fill = { of = 'block', pockets_up_to = '0 mm' } }", "a size above zero"},
      {"{ union = [] }", "'union' needs at least 1 shapes"},
      {"{ difference = ['block'] }", "'difference' needs at least 2 shapes"},
      {"{ repeat = { of = 'block', times = 1, step = ['1 mm','0 mm','0 mm'] } }",
       "whole number of at least 2"},
      {"{ repeat = { of = 'block', times = 2000, step = ['1 mm','0 mm','0 mm'] } }",
       "'times' should be at most 1000"},
      {"{ repeat = { of = 'block', times = 3 } }", "needs one of 'step' and 'angle'"},
      {"{ mirror = { of = 'block', across = 'w', at = '0 mm' } }", "'across' is \"w\""},
      {"{ mesh = { file = 'nowhere.stl' } }", "cannot read"},
      {"{ mesh = { file = 'nowhere.obj' } }", "cannot read"},
      {"{ mesh = { file = '/dev/zero' } }", "cannot read"},
      {"{ mesh = { file = 'open.stl', unit = 'ell' } }", "'unit' is \"ell\""},
      {"{ mesh = { file = 'short.stl' } }", "too short for a binary STL file"},
      {"{ mesh = { file = 'cut.stl' } }", "cut off"},
      {"{ mesh = { file = 'open.stl' } }", "does not enclose a body"},
      {"{ mesh = { file = 'empty.stl' } }", "holds no triangle"},
      {"{ mesh = { file = 'words.stl' } }", "neither text nor binary STL"},
      {"{ mesh = { file = 'other.dxf' } }", "is not a triangle file by its name"},
      {"{ box = { from = ['0 mm','0 mm','0 mm'], to = ['1 mm','1 mm','1 mm'] }, union = ['pad'] }",
       "is given twice"},
      {"{ }", "is empty"},
      {"{ disc = { centre = ['0 mm','0 mm'], radius = '1 mm' } }", "unknown key 'disc'"},
      {"7", "should be a table"},
      {"{ box = 'big' }", "should be a table"},
      {"{ box = { to = ['1 mm','1 mm','1 mm'] } }", "'from' is missing"},
      {"{ box = { from = '0 mm', to = ['1 mm','1 mm','1 mm'] } }", "should be a list"},
      {"{ box = { from = [0, 0, 0], to = ['1 mm','1 mm','1 mm'] } }", "bare number"},
      {"{ box = { from = ['0', '0 mm', '0 mm'], to = ['1 mm','1 mm','1 mm'] } }", "has no unit"},
      {"{ box = { from = ['zero mm', '0 mm', '0 mm'], to = ['1 mm','1 mm','1 mm'] } }", "is not a length"},
      {"{ box = { from = [true, '0 mm', '0 mm'], to = ['1 mm','1 mm','1 mm'] } }",
       "should be text in quotes"},
  };
  const std::filesystem::path folder = ownFolder();
  writeFile(folder / "short.stl", "x");
  writeFile(folder / "bow.svg", "<svg width='9mm' viewBox='0 0 9 9'><path d='M0 0 H9 L1 -4 L5 9Z'/></svg>");
  writeFile(folder / "unsized.svg", "<svg><path d='M0 0 H9 V9Z'/></svg>");
  writeFile(folder / "cut.stl", "solid a\nfacet\n");
  writeFile(folder / "empty.stl", "solid a\nendsolid a\n");
  writeFile(folder / "words.stl", "solid a\nhello\nendsolid a\n");
  writeFile(folder / "other.dxf", "v 0 0 0\n");
  writeFile(folder / "open.stl",
            "solid a\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendsolid a\n");
  const std::string slab =
      "slab = { box = { from = [\"28 mm\", \"-1 mm\", \"-1 mm\"], to = [\"32 mm\", \"21 mm\", \"21 mm\"] } }";
  for (const auto& [shape, message] : shapes)
    expectRefused(changed(slab, std::string("slab = ") + shape), message, shape);
}

TEST(BriefRefusals, nameTheFault) {
  const std::vector<Spoilt> all{
      {"voxel = \"2 mm\"", "", "needs one of 'voxel' and 'voxels'"},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\nvoxels = 1000", "needs one of 'voxel' and 'voxels'"},
      {"voxel = \"2 mm\"", "voxel = \"-2 mm\"", "'voxel' should be above zero"},
      {"voxel = \"2 mm\"", "voxel = \"2 um\"", "voxels of 0.002 mm"},
      {"voxel = \"2 mm\"", "voxels = 10", "whole number of at least 100"},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\ntitle = 3", "should be text in quotes"},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\nbaseline = \"none\"", "unknown shape \"none\""},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\ngoal = \"softest\"", "'goal' is \"softest\""},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\n[sheet]\nstate = \"plane stress\"", "'thickness' is missing"},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\n[sheet]\nthickness = \"0 mm\"",
       "'thickness' should be above zero"},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\n[sheet]\nthickness = \"4 mm\"\nstate = \"bent\"",
       "'state' is \"bent\""},
      {"voxel = \"2 mm\"", "voxel = \"2 mm\"\n[sheet]\nthickness = \"4 mm\"", "unknown key 'box'"},
      {"use = \"steel\"", "use = \"steel\"\nmodulus = \"-1 GPa\"", "modulus must be above zero"},
      {"use = \"steel\"", "use = \"steel\"\npoisson = \"0.3\"", "should be a plain number"},
      {"use = \"steel\"", "modulus = \"1 GPa\"", "'density' is missing"},
      {"[material]\nuse = \"steel\"\n", "", "'material' is missing"},
      {"keep = [\"pad\"]", "keep = [\"pod\"]", "unknown shape \"pod\""},
      {"keep = [\"pad\"]", "keep = [{ face = \"tep\", depth = \"1 mm\" }]", "unknown face \"tep\""},
      {"keep = [\"pad\"]", "keep = [{ face = \"tip\" }]", "'depth' is missing"},
      {"keep = [\"pad\"]", "keep = [{ face = \"tip\", depth = \"0 mm\" }]", "'depth' should be above zero"},
      {"keep = [\"pad\"]", "keep = [{ depth = \"1 mm\" }]", "'face' is missing"},
      {"keep = [\"pad\"]\nclear = [\"pin\"]", "keep = [\"pad\", \"pin\"]\nclear = [\"pin\"]",
       "inside clear regions"},
      {"clear = [\"pin\"]", "clear = [\"pim\"]", "unknown shape \"pim\""},
      {"keep = [\"pad\"]\nclear = [\"pin\"]", "clear = [\"block\"]", "empty once the clear regions"},
      {"space = \"block\"\n", "", "'space' is missing"},
      {"root = { of = \"block\", kind = \"plane\"", "root = { of = \"block\", kind = \"straight\"",
       "'kind' is \"straight\""},
      {"root = { of = \"block\",", "root = { of = \"bloc\",", "unknown shape \"bloc\""},
      {"facing = \"-x\"", "facing = \"left\"", "'facing' is \"left\""},
      {"facing = \"-x\"", "count = 2", "6 pieces of surface fit, but count is 2"},
      {"facing = \"-x\"", "facing = \"-x\", count = 0", "whole number of at least 1"},
      {"root = { face = \"root\" }", "root = { face = \"root\", hold = [] }", "'hold' holds no direction"},
      {"root = { face = \"root\" }", "root = { face = \"root\", hold = [\"w\"] }", "'hold' is \"w\""},
      {"root = { face = \"root\" }", "root = { face = \"root\", hold = [\"x\"] }",
       "leave a rigid motion free"},
      {"root = { face = \"root\" }", "root = { }", "'face' is missing"},
      {"[supports]\nroot = { face = \"root\" }\n", "", "'supports' is missing"},
      {"[supports]\nroot = { face = \"root\" }\n", "[supports]\n", "is empty"},
      {", force = [\"0 N\", \"0 N\", \"-1 kN\"]", "", "'force', 'pressure' or another action is missing"},
      {"force = [\"0 N\", \"0 N\", \"-1 kN\"]", "force = [\"0 N\", \"0 N\", \"0 N\"]", "is zero"},
      {"weight = 2.0", "weight = 0", "'weight' should be above zero"},
      {"loads = { push = 1.5 }", "loads = { push = 0.0 }", "has no load"},
      {"loads = { push = 1.5 }", "loads = { }", "has no load"},
      {"loads = { push = 1.5 }", "loads = { push = nan }", "should be a plain number"},
      {"loads = { push = 1.5 }", "loads = { push = 1.5 }, supports = []", "'supports' names none"},
      {"loads = { push = 1.5 }", "loads = { push = 1.5 }, supports = [\"rood\"]", "unknown support \"rood\""},
      {"mass_fraction = 0.4", "mass = \"0 kg\"", "'mass' should be above zero"},
      {"mass_fraction = 0.4", "mass_reduction = 1.0", "'mass_reduction' should lie between 0 and 1"},
      {"mass_fraction = 0.4", "", "needs one of 'mass_fraction'"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"0 mm\"", "'smallest_member' should be above zero"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nboundary = \"soft\"",
       "'boundary' is \"soft\""},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nrepeat = { times = 3 }",
       "needs one of 'axis' and 'along'"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nrepeat = { axis = \"z\", times = 3 }",
       "'centre'"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nrepeat = { axis = \"z\", centre = [\"0 mm\", \"0 mm\", \"0 mm\"], times "
       "= 1 }",
       "'times'"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nrepeat = { along = \"x\", step = \"7 mm\" }", "has no room for a member"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nrepeat = { along = \"x\", step = \"7 m\" }",
       "as long as the design space"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\ncast = { draft = \"2 deg\" }", "'draw'"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\ncast = { draw = \"+z\", draft = \"50 deg\" }",
       "should be at most 30 deg"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\ncast = { draw = \"+z\", parting = \"middle\" }",
       "'parting' should be \"back\", \"free\", \"flat\", or a length"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\ncast = { draw = \"+z\", parting = \"900 mm\" }",
       "lies beside the design space"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nmill = { sides = [] }", "names none"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nmill = { sides = [\"up\"] }", "'sides'"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nprint = { up = \"+z\", overhang = \"80 deg\" }",
       "should be at most 70 deg"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nprint = { up = \"+z\" }\nmill = { sides = [\"+z\"] }",
       "'print' and 'mill' (line"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nmill = { sides = [\"+z\"], corner = \"1 mm\" }", "belongs to a 'tool'"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nmill = { sides = [\"+z\"], tool = \"6 mm\", corner = \"4 mm\" }",
       "'corner' is more than half"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nmill = { sides = [\"+z\"], tool = \"6 mm\", reach = \"20 mm\" }",
       "go together"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nmill = { sides = [\"+z\"], tool = \"6 mm\", reach = \"20 mm\", holder = "
       "\"4 mm\" }",
       "slimmer than the tool"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nmill = { sides = [\"+z\"], tool = \"6 mm\", taper = \"40 deg\" }",
       "should be at most 30 deg"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nmill = { sides = [\"+z\"], tool = \"6 m\" }",
       "wider than the design space"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nmill = { sides = [\"+z\"], tool = \"-1 mm\" }",
       "'tool' should be above zero"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\ndrain = { opening = \"0 mm\" }",
       "'opening' should be above zero"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\ndrain = { opening = \"30 mm\" }",
       "wider than the design space"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\ndrain = { hole = \"1 mm\" }", "'hole'"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nmade_within = \"3 mm\"",
       "'made_within' should be at most 1."},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nsmallest_gap = \"1 mm\"\nmade_within = \"0.5 mm\"",
       "is closed by twice 'made_within'"},
      {"mass_fraction = 0.4", "mass_fraction = 0.4\nwithin = { mass = \"0.1 kg\" }", "'shape'"},
      {"mass_fraction = 0.4", "mass_fraction = 0.4\nwithin = { shape = \"pad\" }",
       "needs one of 'mass' and 'mass_fraction'"},
      {"mass_fraction = 0.4", "mass_fraction = 0.4\nwithin = { shape = \"edge\", mass_fraction = 0.5 }",
       "holds nothing of the design space"},
      {"mass_fraction = 0.4", "mass_fraction = 0.4\nwithin = { shape = \"pad\", mass_fraction = 0.5 }",
       "the keeps there weigh"},
      {"mass_fraction = 0.4", "mass_fraction = 0.4\nwithin = { shape = \"block\", mass = \"1 kg\" }", "full"},
      {"mass_fraction = 0.4", "mass_fraction = 0.4\nwithin = { shape = \"block\", mass_fraction = 0.3 }",
       "no more than"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nprint = { up = \"+z\", impose = \"no\" }",
       "true or false"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nlargest_member = \"7 mm\"",
       "no room above smallest_member"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nlocal_share = { within = \"20 mm\", most = 1.2 }", "'most'"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nlocal_share = { within = \"20 mm\", most = 0.2 }",
       "and the target fills"},
      {"smallest_member = \"6 mm\"",
       "smallest_member = \"6 mm\"\nlocal_share = { within = \"1 mm\", most = 0.6 }", "less than a voxel"},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nmirror = { across = \"y\" }",
       "'at' is missing"},
      {"[require]", "[optimise]\niterations = 0\n[require]", "whole number of at least 1"},
      {"[require]", "[optimise]\nkeep_every = -1\n[require]", "whole number of at least 0"},
      {"[require]", "[proof]\ntetrahedra = 5\n[require]", "whole number of at least 1000"},
      {"[require]", "[proof]\nmesh_difference = 2.0\n[require]",
       "'mesh_difference' should lie between 0 and 1"},
      {"[require]", "[proof]\nexclude_within = 3\n[require]", "bare number"},
      {"[require]", "[proof]\ntetrahedra = 90000000\n[require]", "this machine has"},
      {"[require]", "[solid]\nfill_voids = \"-1 mm\"\n[require]", "'fill_voids' should not be negative"},
      {"[require]", "[solid]\nlargest_crumb = \"-1 mm\"\n[require]",
       "'largest_crumb' should not be negative"},
      {"[require]", "[solid]\nthreshold = 1.5\n[require]", "'threshold' should lie between 0 and 1"},
      {"[require]", "[solid]\nthreshold = 0.5\nmass_tolerance = 0.01\n[require]", "contradicts 'threshold'"},
      {"[require]", "[solid]\nmass_tolerance = 0.9\n[require]", "between 0.0005 and 0.1"},
      {"[require]", "[solid]\nformats = [\"dxf\"]\n[require]", "'formats' is \"dxf\""},
      {"[require]", "[require]\nsafety_factor = 0", "'safety_factor' should be above zero"},
      {"displacement = { tip = \"1 mm\" }", "displacement = { top = \"1 mm\" }", "unknown face \"top\""},
      {"displacement = { tip = \"1 mm\" }", "displacement = \"1 mm\"", "should be a table"},
  };
  for (const Spoilt& s : all) expectRefused(changed(s.from, s.to), s.message, s.to);
}

TEST(SheetRefusals, nameTheFault) {
  ASSERT_EQ(prepare(parseBrief(kSheet, "test.toml")).cellCount(), 300U);
  const std::vector<Spoilt> all{
      {"to = [\"60 mm\", \"20 mm\"]", "to = [\"60 mm\", \"-20 mm\"]",
       "a rectangle needs its first corner below"},
      {"radius = \"4 mm\"", "radius = \"0 mm\"", "a disc needs a radius above zero"},
      {"disc = { centre = [\"30 mm\", \"10 mm\"], radius = \"4 mm\" }", "outline = { }",
       "needs one of 'corners', 'drawing' and 'cad'"},
      {"force = [\"0 N\", \"-1 kN\"]", "force = [\"0 N\", \"0 N\", \"-1 kN\"]",
       "should hold 2 values, not 3"},
      {"kind = \"straight\", facing = \"-x\"", "kind = \"plane\", facing = \"-x\"", "'kind' is \"plane\""},
      {"{ face = \"root\" }", "{ face = \"root\", hold = [\"x\"] }", "sliding along y"},
      {"{ face = \"root\" }", "{ face = \"root\", hold = [\"z\"] }", "'hold' is \"z\""},
      {"smallest_member = \"6 mm\"", "smallest_member = \"6 mm\"\nmirror = { across = \"z\", at = \"0 mm\" }",
       "'across' is \"z\""},
  };
  for (const Spoilt& s : all) expectRefused(changedIn(kSheet, s.from, s.to), s.message, s.to);
}

TEST(PartRefusals, thereIsAMostOfThem) {
  std::string parts;
  for (int i = 0; i < 201; ++i)
    parts += "[inserts.p" + std::to_string(i) + "]\nshape = \"pin\"\nmaterial = { use = \"steel\" }\n";
  expectRefused(changed("[design]", parts + "[design]"), "too many [inserts] and [regions]", "201 parts");
}

}  // namespace
}  // namespace barelattice
