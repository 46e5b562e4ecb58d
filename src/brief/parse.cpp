#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

#include "acting.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/brief/brief.hpp"
#include "defaults.hpp"
#include "making.hpp"
#include "named.hpp"
#include "shapes.hpp"
#include "table_reader.hpp"
#include "text_limits.hpp"
#include "wanted.hpp"

namespace barelattice {
namespace {

constexpr int kDefaultTetrahedra = 200'000;
constexpr int kDefaultKeepEvery = 10;
constexpr int kFrequenciesToAnalyse = 3;
constexpr int kDefaultRounds = 4;
constexpr double kDefaultAgreement = 0.1;
constexpr double kDefaultChord = 2e-5;  // m: below what a bore's fit sees

Material parseMaterial(TableReader& top) {
  TableReader reader =
      top.table(top.need("material", "e.g. [material] with use = \"aluminium\""), "material");
  Material material;
  const auto& table = builtinMaterials();
  const std::string use = reader.name("use", "material", namesOf(table), {});
  const bool builtin = !use.empty();
  if (builtin)
    material = *std::find_if(table.begin(), table.end(), [&](const Material& m) { return m.name == use; });
  // Its range is the material's own business.
  const auto wanted = [&](const std::string& need, double otherwise) {
    return Wanted{.need = builtin ? std::string() : need, .otherwise = otherwise};
  };
  const std::string kGive = "give it, or start from the built-in table with 'use'";
  if (const toml::node* name = reader.find("name")) material.name = reader.text(*name, "name");
  material.modulus = reader.quantity("modulus", Measure::pressure, wanted(kGive, material.modulus));
  material.density = reader.quantity("density", Measure::density, wanted(kGive, material.density));
  material.strength = reader.quantity("strength", Measure::pressure, wanted(kGive, material.strength));
  material.expansion = reader.quantity("expansion", Measure::expansion, {.otherwise = material.expansion});
  material.poisson = reader.number("poisson", wanted("a plain number such as 0.3", material.poisson));
  if (material.name.empty()) material.name = "own material";
  reader.finish();
  try {
    validate(material);
  } catch (const InputError& error) {
    reader.fail(error.what(), error.cure());
  }
  return material;
}

void parseGrid(TableReader& top, Brief& brief) {
  constexpr int kCellsToAnalyse =
      200'000;  // they tell pieces and faces apart; what is analysed has its own mesh
  const toml::node* voxel = top.find("voxel");
  if (!brief.designs && !voxel && !top.has("voxels")) {
    brief.voxelBudget = kCellsToAnalyse;
    return;
  }
  if ((voxel == nullptr) != top.has("voxels"))
    top.fail(
        voxel ? *voxel : top.raw(), "needs one of 'voxel' and 'voxels'",
        "the size of the cells, e.g. voxel = \"2.5 mm\", or how many there may be, e.g. voxels = 200000");
  brief.voxelPlace = top.placeOf(voxel ? "voxel" : "voxels");
  brief.voxel = top.quantity("voxel", Measure::length, {.otherwise = 0, .above = 0});
  brief.voxelBudget = top.wholeNumber("voxels", {.otherwise = 0, .least = 100});
}

void parseSheet(TableReader& top, Brief& brief) {
  std::optional<TableReader> reader = top.tableIfThere("sheet");
  if (!reader) return;
  BriefSheet sheet;
  sheet.thickness = reader->quantity("thickness", Measure::length, {.need = "a length", .above = 0});
  sheet.state = static_cast<SheetState>(reader->word("state", {"plane stress", "plane strain"}));
  reader->finish();
  brief.sheet = sheet;
}

/// The number of the shape a key names.
std::size_t parseShape(TableReader& reader, const char* key, const Brief& brief, const std::string& need) {
  const std::vector<std::string> names = namesOf(brief.shapes);
  return numberOf(reader.name(key, "shape", names, need), names);
}

/// The same for a key that may be missing.
std::optional<std::size_t> parseShapeIfThere(TableReader& reader, const char* key, const Brief& brief) {
  const std::vector<std::string> names = namesOf(brief.shapes);
  const std::string name = reader.name(key, "shape", names, {});
  return name.empty() ? std::nullopt : std::optional(numberOf(name, names));
}

/// All but the keeps, which may name faces.
void parseDesign(TableReader& reader, Brief& brief) {
  const std::vector<std::string> names = namesOf(brief.shapes);
  brief.space = parseShape(reader, "space", brief, "the shape the part may occupy");
  for (const std::string& name : reader.names("clear", "shape", names))
    brief.clears.push_back(numberOf(name, names));
}

/// Pieces of other materials: bonded parts, then designed regions.
void parseRegions(TableReader& top, Brief& brief) {
  for (const bool bonded : {true, false}) {
    const char* group = bonded ? "inserts" : "regions";
    if (!top.find(group)) continue;
    forEachNamed(top, group, "name a shape and a material, or leave it out",
                 [&](TableReader& reader, const std::string& name) {
                   BriefRegion region;
                   region.name = name;
                   region.bonded = bonded;
                   region.place = reader.place();
                   region.shape = parseShape(reader, "shape", brief, "the shape it fills");
                   region.material = parseMaterial(reader);
                   brief.regions.push_back(region);
                 });
  }
  constexpr std::size_t kMost = 200;  // a cell's material is a byte
  if (brief.regions.size() > kMost)
    top.fail("has too many [inserts] and [regions]", fmt::format("at most {} together", kMost));
}

void parseKeeps(TableReader& reader, Brief& brief) {
  const toml::node* node = reader.find("keep");
  if (!node) return;
  for (const toml::node& entry : reader.array(*node, "keep")) {
    BriefKeep keep;
    keep.place = TableReader::placeOf(entry);
    if (entry.is_table()) {
      TableReader layer = reader.table(entry, "keep");
      const std::vector<std::string> faces = namesOf(brief.faces);
      keep.face =
          numberOf(layer.name("face", "face", faces, "the face whose surroundings stay solid"), faces);
      keep.depth = layer.quantity("depth", Measure::length,
                                  {.need = "how far below the face, e.g. \"6 mm\"", .above = 0});
      layer.finish();
    } else {
      const std::vector<std::string> shapes = namesOf(brief.shapes);
      const std::string shape = reader.text(entry, "keep");
      reader.resolve(entry, "shape", shape, shapes);
      keep.shape = numberOf(shape, shapes);
    }
    brief.keeps.push_back(keep);
  }
}

/// @param names of all faces: one may be chosen by the faces it meets.
BriefFace parseFace(TableReader& reader, const std::string& name, const Brief& brief,
                    const std::vector<std::string>& names) {
  BriefFace face{name, {}, {}, {}, reader.place()};
  face.shape = parseShape(reader, "of", brief, "the shape the face lies on");
  // In a sheet, an edge is straight or round; it stands for the wall the cutter leaves.
  const std::vector<std::string> kinds =
      brief.sheet ? std::vector<std::string>{"straight", "round"} : patchKindNames();
  face.selector.kind = static_cast<Patch::Kind>(
      reader.choice(reader.need("kind", fmt::format("one of: {}", fmt::join(kinds, ", "))), "kind", kinds));
  if (face.selector.kind != Patch::Kind::plane && face.selector.kind != Patch::Kind::freeform) {
    if (const toml::node* node = reader.find("radius"))
      face.selector.radius = reader.range(*node, "radius", Measure::length);
    if (const toml::node* node = reader.find("side"))
      face.selector.hole = reader.choice(*node, "side", {"boss", "hole"}) == 1;
    if (!brief.sheet)
      if (const toml::node* node = reader.find("axis"))
        face.selector.direction = reader.direction(*node, "axis");
  } else if (face.selector.kind == Patch::Kind::plane) {
    if (const toml::node* node = reader.find("facing"))
      face.selector.direction = reader.direction(*node, "facing");
  }
  if (const toml::node* node = reader.find("area"))
    face.selector.area = reader.range(*node, "area", Measure::area);
  if (const toml::node* node = reader.find("within")) {
    TableReader box = reader.table(*node, "within");
    Vec3 from = box.position(box.need("from", "the lowest corner"), "from", dimensionsOf(brief));
    Vec3 to = box.position(box.need("to", "the highest corner"), "to", dimensionsOf(brief));
    box.finish();
    if (brief.sheet) to.z() = brief.sheet->thickness;
    if (!(from.array() < to.array()).all()) reader.fail(*node, "'within' needs its lowest corner first");
    face.selector.within = Box(from, to);
  }
  if (const toml::node* node = reader.find("beside")) {
    const std::vector<std::string> others =
        node->is_string() ? std::vector{reader.text(*node, "beside")} : reader.texts(*node, "beside");
    for (const std::string& other : others) {
      reader.resolve(*node, "face", other, names);
      face.beside.push_back(numberOf(other, names));
    }
  }
  if (const toml::node* node = reader.find("near")) {
    face.selector.near = reader.position(*node, "near", dimensionsOf(brief));
    if (brief.sheet) face.selector.near->z() = 0.5 * brief.sheet->thickness;
  }
  face.selector.count = reader.wholeNumber("count", {.otherwise = 1, .least = 1});
  return face;
}

BriefTarget parseTarget(TableReader& top, const Brief& brief) {
  TableReader reader = top.table(
      top.need("target", "[target] with mass_fraction = 0.2, mass_reduction = 0.8 or mass = \"1.5 kg\""),
      "target");
  BriefTarget target;
  const std::vector<std::string> keys{"mass_fraction", "mass_reduction", "mass"};
  const auto given =
      std::count_if(keys.begin(), keys.end(), [&](const auto& key) { return reader.has(key); });
  const double fraction = reader.number("mass_fraction", {.otherwise = 0, .above = 0, .below = 1});
  const double reduction = reader.number("mass_reduction", {.otherwise = 0, .above = 0, .below = 1});
  const double mass = reader.quantity("mass", Measure::mass, {.otherwise = 0, .above = 0});
  if (given == 0) reader.finish();  // perhaps it is there under another name
  if (given != 1)
    reader.fail("needs one of 'mass_fraction', 'mass_reduction' and 'mass'", "give exactly one");
  if (mass > 0)
    target.mass = mass;
  else
    target.fraction = fraction > 0 ? fraction : 1 - reduction;
  target.place = reader.placeOf(mass > 0 ? "mass" : fraction > 0 ? "mass_fraction" : "mass_reduction");
  target.countKeeps = reader.yesNo("count_keeps", true);
  for (TableReader& within : reader.tablesIfThere("within")) {
    BriefPartTarget part;
    part.place = within.place();
    part.shape = parseShape(within, "shape", brief, "the shape in which the material lies");
    if (within.has("mass") == within.has("mass_fraction"))
      within.fail("needs one of 'mass' and 'mass_fraction'", "give exactly one");
    if (within.has("mass"))
      part.mass = within.quantity("mass", Measure::mass, {.otherwise = 0, .above = 0});
    else
      part.fraction = within.number("mass_fraction", {.otherwise = 0, .above = 0, .below = 1});
    within.finish();
    target.within.push_back(part);
  }
  reader.finish();
  return target;
}

void parseSolid(TableReader& top, Brief& brief) {
  SolidOptions& solid = brief.solid;
  solid.cleanUp.voidSize = brief.walls().smallestMember;
  solid.chord = kDefaultChord;
  std::optional<TableReader> reader = top.tableIfThere("solid");
  if (!reader) return;
  const auto length = [&](const char* key, double otherwise) {
    return reader->quantity(key, Measure::length, {.otherwise = otherwise, .least = 0});
  };
  solid.cleanUp.voidSize = length("fill_voids", solid.cleanUp.voidSize);
  solid.cleanUp.gap = length("close_gaps", solid.cleanUp.gap);
  solid.cleanUp.fillet = length("fillet", solid.cleanUp.fillet);
  solid.deviation = length("deviation", solid.deviation);
  solid.chord = length("chord", solid.chord);
  constexpr double kLeastChord = 1e-6;  // m: finer triangles than any file tells apart
  if (solid.chord > 0 && solid.chord < kLeastChord)
    reader->fail(*reader->find("chord"),
                 "'chord' should be 0.001 mm or more, or 0 for the triangles of the lattice");
  if (const double crumb = length("largest_crumb", kNotGiven); crumb != kNotGiven) solid.largestCrumb = crumb;
  solid.keepVolume = !reader->has("threshold");
  solid.threshold = reader->number("threshold", {.otherwise = solid.threshold, .above = 0, .below = 1});
  if (!solid.keepVolume && reader->has("mass_tolerance"))
    reader->fail(*reader->find("mass_tolerance"), "'mass_tolerance' contradicts 'threshold'",
                 "a fixed threshold lets the mass go: leave one out");
  solid.volumeTolerance =
      reader->number("mass_tolerance", {.otherwise = solid.volumeTolerance, .least = 0.0005, .most = 0.1});
  if (const toml::node* node = reader->find("formats"))
    for (const toml::node& format : reader->array(*node, "formats"))
      brief.formats.push_back(static_cast<MeshFormat>(reader->choice(format, "formats", meshFormatNames())));
  reader->finish();
}

/// Settings that have defaults.
void parseSettings(TableReader& top, Brief& brief) {
  const double exclusion = brief.designs ? brief.walls().smallestMember : kNotGiven;
  brief.exclusion = exclusion;
  backByDefault(brief);
  brief.tetrahedra = kDefaultTetrahedra;
  brief.keepEvery = kDefaultKeepEvery;
  brief.rounds = kDefaultRounds;
  brief.agreement = kDefaultAgreement;
  if (std::optional<TableReader> reader = top.tableIfThere("optimise")) {
    brief.iterations = reader->wholeNumber("iterations", {.otherwise = 0, .least = 1});
    if (const toml::node* rounds = reader->find("rounds"); rounds && !brief.inRounds())
      reader->fail(*rounds, "'rounds' are those of [limits], of which this brief has none", "leave it out");
    brief.rounds = reader->wholeNumber("rounds", {.otherwise = kDefaultRounds, .least = 1, .most = 20});
    brief.keepEvery = reader->wholeNumber("keep_every", {.otherwise = kDefaultKeepEvery, .least = 0});
    brief.start = parseShapeIfThere(*reader, "start", brief);
    reader->finish();
  }
  if (std::optional<TableReader> reader = top.tableIfThere("proof")) {
    brief.exclusion = reader->quantity("exclude_within", Measure::length, {.otherwise = exclusion});
    brief.tetrahedra = reader->wholeNumber("tetrahedra", {.otherwise = kDefaultTetrahedra, .least = 1000});
    brief.frequencies = reader->wholeNumber(
        "frequencies", {.otherwise = static_cast<double>(brief.frequencies), .least = 0, .most = 50});
    if (brief.frequencies > 0 && brief.sheet)
      reader->fail(
          *reader->find("frequencies"),
          "a sheet swings out of its plane first, and is analysed within it: its frequencies are not known",
          "leave 'frequencies' out, or make the part a body");
    brief.agreement =
        reader->number("mesh_difference", {.otherwise = kDefaultAgreement, .above = 0, .below = 1});
    reader->finish();
  }
}

void parseLayout(TableReader& top, Brief& brief) {
  std::optional<TableReader> reader = top.tableIfThere("layout");
  if (!reader) return;
  BriefLayout layout;
  layout.file = brief.path.parent_path() /
                reader->text("from", "a .vti, .vtu or .csv file with a density field, relative to the brief");
  layout.field = reader->text("field", "the name of the density field in the file");
  layout.unit =
      reader->fileUnit(reader->need("unit", "the unit of the file's coordinates: mm, cm, m or in"), "unit");
  reader->finish();
  try {
    layout.hash = hashOf(readFile(layout.file));
  } catch (const InputError& error) {
    reader->fail(*reader->find("from"), error.what(), error.cure());
  }
  brief.layout = layout;
  brief.files.push_back(layout.file);
}

toml::table parseToml(std::string_view text, const std::filesystem::path& path) {
  try {
    return toml::parse(text, path.string());
  } catch (const toml::parse_error& error) {
    const auto& begin = error.source().begin;
    const std::string what(error.description());
    const bool broken =
        what.find("inline table") != std::string::npos && what.find("\\n") != std::string::npos;
    throw BriefError(
        path, {static_cast<int>(begin.line), static_cast<int>(begin.column)},
        broken ? "a table in braces { } goes on over the end of its line" : "this is not TOML: " + what,
        broken ? "write { ... } on one line, or as a [table] of its own; only lists in [ ] may be broken"
               : "see docs/brief.md for the form");
  }
}

}  // namespace

BriefError::BriefError(const std::filesystem::path& file, TextPlace place, const std::string& what,
                       const std::string& cure)
    : InputError(place.line
                     ? fmt::format("{}:{}:{}: {}", file.string(), place.line, place.column, shortened(what))
                     : fmt::format("{}: {}", file.string(), shortened(what)),
                 shortened(cure)),
      place_(place) {}

double Brief::widestMeasured() const {
  constexpr double kMore = 1.25;
  double widest = 2 * walls().smallestMember;
  for (const Requirement& requirement : requirements)
    if (requirement.kind == Requirement::Kind::wall || requirement.kind == Requirement::Kind::gap)
      widest = std::max(widest, kMore * requirement.bound);
  return widest;
}

Brief parseBrief(std::string_view text, const std::filesystem::path& path) {
  refuseDeepKeys(text, path);
  const toml::table document = parseToml(text, path);
  TableReader top(path, document, "");
  Brief brief;
  brief.path = path;
  brief.title = path.stem().string();
  const bool wanted = document["goal"].value_or(std::string()) == "lightest" || document["goal"].is_table();
  brief.designs = wanted || limitsMass(document) || top.has("target") || top.has("making") ||
                  top.has("layout") || top.has("optimise");
  if (const toml::node* node = top.find("title")) brief.title = top.text(*node, "title");
  parseGrid(top, brief);
  parseSheet(top, brief);
  brief.material = parseMaterial(top);
  const toml::node& shapes = top.need("shapes", "define at least the design space");
  brief.shapes =
      buildShapes(top.table(shapes, "shapes"), brief.sheet, path.parent_path(), brief.notes, brief.files);
  brief.baseline = parseShapeIfThere(top, "baseline", brief);
  TableReader design = top.table(top.need("design", "[design] with space = \"...\""), "design");
  parseDesign(design, brief);
  parseRegions(top, brief);
  std::vector<std::string> faceNames;
  if (const toml::table* faces = document["faces"].as_table()) faceNames = inOrder(*faces);
  forEachNamed(top, "faces", "name the faces that are held and loaded",
               [&](TableReader& r, const std::string& name) {
                 brief.faces.push_back(parseFace(r, name, brief, faceNames));
               });
  parseKeeps(design, brief);
  design.finish();
  parseActing(top, brief);
  parseGoal(top, brief);
  if (brief.designs) {
    if (!brief.lightest)
      brief.target = limitsMass(document) ? targetFromLimits(top) : parseTarget(top, brief);
    parseMaking(top, brief);
  } else {
    brief.making.push_back({Walls{}, {}, false});
    brief.frequencies = brief.sheet ? 0 : kFrequenciesToAnalyse;
  }
  parseWanted(top, brief);
  parseSettings(top, brief);
  parseSolid(top, brief);
  parseLayout(top, brief);
  top.finish();
  brief.defaults = defaultsTaken(document, brief);
  return brief;
}

Brief readBrief(const std::filesystem::path& path) {
  return parseBrief(readFile(path, 2 * kMostBriefBytes), path);
}

}  // namespace barelattice
