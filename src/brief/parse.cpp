#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <set>
#include <sstream>

#include "barelattice/base/file.hpp"
#include "barelattice/brief/brief.hpp"
#include "table_reader.hpp"

namespace barelattice {
namespace {

constexpr int kDefaultTetrahedra = 200'000;
constexpr int kDefaultIterations = 80;

template <class Entry>
std::vector<std::string> namesOf(const std::vector<Entry>& entries) {
  std::vector<std::string> names;
  for (const Entry& entry : entries) names.push_back(entry.name);
  return names;
}

/// Refuses a name that is not among the known ones.
void resolve(const TableReader& reader, const toml::node& at, const char* what, const std::string& name,
             const std::vector<std::string>& known) {
  if (std::find(known.begin(), known.end(), name) != known.end()) return;
  const std::string near = nearestName(name, known);
  reader.fail(at, fmt::format("names the unknown {} \"{}\"", what, name),
              !near.empty()   ? fmt::format("did you mean \"{}\"?", near)
              : known.empty() ? fmt::format("no {} is defined", what)
                              : fmt::format("known are: {}", fmt::join(known, ", ")));
}

/// Shapes refer to each other by name, in any order.
class ShapeBuilder {
 public:
  explicit ShapeBuilder(TableReader shapes) : shapes_(std::move(shapes)) {
    for (const auto& [key, node] : shapes_.raw()) names_.emplace_back(key.str());
  }

  std::vector<BriefShape> all() {
    // In the order of the file, which tables do not keep.
    std::vector<std::string> order = names_;
    std::sort(order.begin(), order.end(),
              [&](const std::string& a, const std::string& b) { return lineOf(a) < lineOf(b); });
    std::vector<BriefShape> shapes;
    for (const std::string& name : order) shapes.push_back({name, build(name)});
    return shapes;
  }

 private:
  int lineOf(const std::string& name) const { return TableReader::placeOf(*shapes_.raw().get(name)).line; }

  ShapePtr build(const std::string& name) {
    if (const auto done = done_.find(name); done != done_.end()) return done->second;
    const toml::node& node = *shapes_.raw().get(name);
    TableReader reader = shapes_.table(node, name);
    if (!open_.insert(name).second)
      reader.fail("is made from itself", "a shape can only use shapes that do not use it");
    using Maker = std::function<ShapePtr(TableReader&, const toml::node&)>;
    const std::vector<std::pair<std::string, Maker>> makers{
        {"box", [this](TableReader& r, const toml::node& n) { return box(r, n); }},
        {"cylinder", [this](TableReader& r, const toml::node& n) { return cylinder(r, n); }},
        {"extrude", [this](TableReader& r, const toml::node& n) { return extrude(r, n); }},
        {"union", [this](TableReader& r, const toml::node& n) { return makeUnion(parts(r, n, "union", 1)); }},
        {"intersection",
         [this](TableReader& r, const toml::node& n) {
           return makeIntersection(parts(r, n, "intersection", 1));
         }},
        {"difference",
         [this](TableReader& r, const toml::node& n) {
           std::vector<ShapePtr> list = parts(r, n, "difference", 2);
           return makeDifference(list.front(), {list.begin() + 1, list.end()});
         }},
    };
    ShapePtr shape;
    for (const auto& [key, make] : makers) {
      const toml::node* value = reader.find(key);
      if (!value) continue;
      if (shape)
        reader.fail(*value, fmt::format("is given twice: '{}' besides another kind", key),
                    "one shape, one kind");
      try {
        shape = make(reader, *value);
      } catch (const BriefError&) {
        throw;
      } catch (const InputError& error) {
        reader.fail(*value, fmt::format("is not a shape: {}", error.what()), error.cure());
      }
    }
    reader.finish();
    if (!shape) reader.fail("is empty", "give it box, cylinder, extrude, union, intersection or difference");
    open_.erase(name);
    return done_[name] = shape;
  }

  static ShapePtr box(TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "box");
    const Vec3 from = reader.point(reader.need("from", "the corner with the lowest x, y and z"), "from");
    const Vec3 to = reader.point(reader.need("to", "the corner with the highest x, y and z"), "to");
    reader.finish();
    return makeBox(from, to);
  }

  static ShapePtr cylinder(TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "cylinder");
    const Vec3 from = reader.point(reader.need("from", "the start of the axis"), "from");
    const Vec3 to = reader.point(reader.need("to", "the end of the axis"), "to");
    const double radius = reader.quantity(reader.need("radius", "a length"), "radius", Measure::length);
    reader.finish();
    return makeCylinder(from, to, radius);
  }

  static ShapePtr extrude(TableReader& outer, const toml::node& node) {
    TableReader reader = outer.table(node, "extrude");
    static const std::vector<std::string> planes{"xy", "yz", "zx", "yx", "zy", "xz"};
    Extrusion extrusion;
    const std::string& plane =
        planes[reader.choice(reader.need("plane", "the plane of the outline, e.g. \"xz\""), "plane", planes)];
    extrusion.first = plane[0] - 'x';
    extrusion.second = plane[1] - 'x';
    for (const toml::node& corner : reader.array(reader.need("outline", "a list of corners"), "outline")) {
      const std::vector<double> p = reader.quantities(corner, "outline", Measure::length, 2);
      extrusion.outline.emplace_back(p[0], p[1]);
    }
    extrusion.from =
        reader.quantity(reader.need("from", "where the extrusion starts"), "from", Measure::length);
    extrusion.to = reader.quantity(reader.need("to", "where the extrusion ends"), "to", Measure::length);
    reader.finish();
    return makeExtrusion(extrusion);
  }

  std::vector<ShapePtr> parts(const TableReader& reader, const toml::node& node, const std::string& key,
                              std::size_t least) {
    const toml::array& list = reader.array(node, key);
    if (list.size() < least) reader.fail(node, fmt::format("'{}' needs at least {} shapes", key, least));
    std::vector<ShapePtr> shapes;
    for (const toml::node& entry : list) {
      const std::string name = reader.text(entry, key);
      resolve(reader, entry, "shape", name, names_);
      shapes.push_back(build(name));
    }
    return shapes;
  }

  TableReader shapes_;
  std::vector<std::string> names_;
  std::map<std::string, ShapePtr> done_;
  std::set<std::string> open_;
};

/// Calls read(reader, name) for every table inside the table `key`, in the order of the file.
template <class Read>
void forEachNamed(TableReader& top, const std::string& key, const std::string& cure, const Read& read) {
  TableReader group = top.table(top.need(key, cure), key);
  std::vector<std::string> names;
  for (const auto& [name, node] : group.raw()) names.emplace_back(name.str());
  std::stable_sort(names.begin(), names.end(), [&](const std::string& a, const std::string& b) {
    return TableReader::placeOf(*group.raw().get(a)).line < TableReader::placeOf(*group.raw().get(b)).line;
  });
  if (names.empty()) group.fail("is empty", cure);
  for (const std::string& name : names) {
    TableReader reader = group.table(*group.raw().get(name), name);
    read(reader, name);
    reader.finish();
  }
}

Material parseMaterial(TableReader& top) {
  TableReader reader =
      top.table(top.need("material", "e.g. [material] with use = \"aluminium\""), "material");
  Material material;
  if (const toml::node* use = reader.find("use")) {
    const auto& table = builtinMaterials();
    material.name = reader.text(*use, "use");
    resolve(reader, *use, "material", material.name, namesOf(table));
    material =
        *std::find_if(table.begin(), table.end(), [&](const Material& m) { return m.name == material.name; });
  }
  const bool builtin = !material.name.empty();
  if (const toml::node* name = reader.find("name")) material.name = reader.text(*name, "name");
  const auto property = [&](const std::string& key, Measure measure, double& value) {
    const std::string cure = "give it, or start from the built-in table with 'use'";
    const toml::node* node = builtin ? reader.find(key) : &reader.need(key, cure);
    if (node) value = reader.quantity(*node, key, measure);
  };
  property("modulus", Measure::pressure, material.modulus);
  property("density", Measure::density, material.density);
  property("strength", Measure::pressure, material.strength);
  const toml::node* poisson =
      builtin ? reader.find("poisson") : &reader.need("poisson", "a plain number such as 0.3");
  if (poisson) material.poisson = reader.number(*poisson, "poisson");
  if (material.name.empty()) material.name = "own material";
  reader.finish();
  try {
    validate(material);
  } catch (const InputError& error) {
    reader.fail(error.what(), error.cure());
  }
  return material;
}

void parseDesign(TableReader& top, Brief& brief) {
  TableReader reader = top.table(top.need("design", "[design] with space = \"...\""), "design");
  const std::vector<std::string> shapes = namesOf(brief.shapes);
  const toml::node& space = reader.need("space", "the shape the part may occupy");
  brief.space = reader.text(space, "space");
  resolve(reader, space, "shape", brief.space, shapes);
  const auto list = [&](const char* key, std::vector<std::string>& names) {
    const toml::node* node = reader.find(key);
    if (!node) return;
    for (const toml::node& entry : reader.array(*node, key)) {
      names.push_back(reader.text(entry, key));
      resolve(reader, entry, "shape", names.back(), shapes);
    }
  };
  list("keep", brief.keeps);
  list("clear", brief.clears);
  reader.finish();
}

/// "+x", "-z", or three plain numbers.
Vec3 parseDirection(const TableReader& reader, const toml::node& node, const std::string& key) {
  if (node.is_string()) {
    static const std::vector<std::string> words{"+x", "-x", "+y", "-y", "+z", "-z", "x", "y", "z"};
    const std::string& word = words[reader.choice(node, key, words)];
    return (word[0] == '-' ? -1.0 : 1.0) * Vec3::Unit(word.back() - 'x');
  }
  const toml::array& list = reader.array(node, key);
  if (list.size() != 3) reader.fail(node, fmt::format("'{}' should hold three numbers", key));
  Vec3 direction;
  for (std::size_t i = 0; i < 3; ++i) direction[static_cast<Eigen::Index>(i)] = reader.number(list[i], key);
  if (direction.norm() == 0) reader.fail(node, fmt::format("'{}' has no direction", key));
  return direction.normalized();
}

BriefFace parseFace(TableReader& reader, const std::string& name, const Brief& brief) {
  BriefFace face{name, {}, {}, reader.place()};
  const toml::node& of = reader.need("of", "the shape the face lies on");
  face.shape = reader.text(of, "of");
  resolve(reader, of, "shape", face.shape, namesOf(brief.shapes));
  const bool round =
      reader.choice(reader.need("kind", "\"plane\" or \"cylinder\""), "kind", {"plane", "cylinder"}) == 1;
  face.selector.kind = round ? Patch::Kind::cylinder : Patch::Kind::plane;
  if (round) {
    if (const toml::node* node = reader.find("radius"))
      face.selector.radius = reader.quantity(*node, "radius", Measure::length);
    if (const toml::node* node = reader.find("side"))
      face.selector.hole = reader.choice(*node, "side", {"boss", "hole"}) == 1;
    if (const toml::node* node = reader.find("axis"))
      face.selector.direction = parseDirection(reader, *node, "axis");
  } else if (const toml::node* node = reader.find("facing")) {
    face.selector.direction = parseDirection(reader, *node, "facing");
  }
  if (const toml::node* node = reader.find("near")) face.selector.near = reader.point(*node, "near");
  if (const toml::node* node = reader.find("count"))
    face.selector.count = reader.wholeNumber(*node, "count", 1);
  return face;
}

std::string parseFaceName(TableReader& reader, const Brief& brief, const char* use) {
  const toml::node& node = reader.need("face", std::string("the face ") + use);
  std::string name = reader.text(node, "face");
  resolve(reader, node, "face", name, namesOf(brief.faces));
  return name;
}

BriefCase parseCase(TableReader& reader, const std::string& name, const Brief& brief) {
  BriefCase result{name, 1, {}, reader.place()};
  if (const toml::node* weight = reader.find("weight")) {
    result.weight = reader.number(*weight, "weight");
    if (!(result.weight > 0))
      reader.fail(*weight, "'weight' should be above zero", "leave the case out instead");
  }
  const toml::node& loads = reader.need("loads", "a table of factors, e.g. loads = { pull = 1.0 }");
  const TableReader factors = reader.table(loads, "loads");
  for (const auto& [key, node] : factors.raw()) {
    const std::string load(key.str());
    resolve(factors, node, "load", load, namesOf(brief.loads));
    result.loads[load] = factors.number(node, load);
  }
  if (result.loads.empty()) reader.fail(loads, "has no load", "name at least one load with its factor");
  return result;
}

BriefTarget parseTarget(TableReader& top) {
  TableReader reader =
      top.table(top.need("target", "[target] with mass_fraction = 0.2 or mass = \"1.5 kg\""), "target");
  BriefTarget target;
  target.place = reader.place();
  if (const toml::node* node = reader.find("mass_fraction")) {
    target.fraction = reader.number(*node, "mass_fraction");
    target.place = TableReader::placeOf(*node);
    if (!(*target.fraction > 0 && *target.fraction < 1))
      reader.fail(*node, "'mass_fraction' should lie between 0 and 1");
  }
  if (const toml::node* node = reader.find("mass")) {
    target.mass = reader.quantity(*node, "mass", Measure::mass);
    target.place = TableReader::placeOf(*node);
    if (!(*target.mass > 0)) reader.fail(*node, "'mass' should be above zero");
  }
  if (target.fraction.has_value() == target.mass.has_value())
    reader.fail("needs one of 'mass_fraction' and 'mass'", "give exactly one");
  reader.finish();
  return target;
}

void parseMaking(TableReader& top, Brief& brief) {
  TableReader reader = top.table(top.need("making", "[making] with smallest_member = \"8 mm\""), "making");
  const toml::node& member =
      reader.need("smallest_member", "the thinnest wall or bar you can make, e.g. \"8 mm\"");
  brief.smallestMember = reader.quantity(member, "smallest_member", Measure::length);
  if (brief.smallestMember < 2 * brief.voxel)
    reader.fail(member,
                fmt::format("'smallest_member' is under two voxels ({:.4g} mm)",
                            2 * brief.voxel * kMillimetresPerMetre),
                "make the voxel smaller or the member thicker");
  if (const toml::node* node = reader.find("mirror")) {
    TableReader mirror = reader.table(*node, "mirror");
    const std::vector<std::string> axes{"x", "y", "z"};
    MirrorPlane plane;
    plane.axis = static_cast<int>(
        mirror.choice(mirror.need("across", "the axis the plane is perpendicular to"), "across", axes));
    plane.at = mirror.quantity(mirror.need("at", "where the plane crosses that axis"), "at", Measure::length);
    mirror.finish();
    brief.mirror = plane;
    brief.mirrorPlace = TableReader::placeOf(*node);
  }
  if (const toml::node* node = reader.find("walls"))
    brief.walls = reader.choice(*node, "walls", {"empty", "reflecting"}) == 1 ? FilterBoundary::reflecting
                                                                              : FilterBoundary::empty;
  reader.finish();
}

void parseRequirements(TableReader& top, Brief& brief) {
  const toml::node* node = top.find("require");
  if (!node) return;
  TableReader reader = top.table(*node, "require");
  if (const toml::node* mass = reader.find("mass"))
    brief.requirements.push_back(
        {Requirement::Kind::mass, {}, reader.quantity(*mass, "mass", Measure::mass)});
  if (const toml::node* displacement = reader.find("displacement")) {
    const TableReader list = reader.table(*displacement, "displacement");
    for (const auto& [key, most] : list.raw()) {
      const std::string face(key.str());
      resolve(list, most, "face", face, namesOf(brief.faces));
      brief.requirements.push_back(
          {Requirement::Kind::displacement, face, list.quantity(most, face, Measure::length)});
    }
  }
  reader.finish();
}

/// Settings that have defaults.
void parseSettings(TableReader& top, Brief& brief) {
  brief.exclusion = brief.smallestMember;
  brief.tetrahedra = kDefaultTetrahedra;
  brief.iterations = kDefaultIterations;
  if (const toml::node* node = top.find("optimise")) {
    TableReader reader = top.table(*node, "optimise");
    if (const toml::node* n = reader.find("iterations"))
      brief.iterations = reader.wholeNumber(*n, "iterations", 1);
    reader.finish();
  }
  if (const toml::node* node = top.find("proof")) {
    TableReader reader = top.table(*node, "proof");
    if (const toml::node* n = reader.find("set_apart"))
      brief.exclusion = reader.quantity(*n, "set_apart", Measure::length);
    if (const toml::node* n = reader.find("tetrahedra"))
      brief.tetrahedra = reader.wholeNumber(*n, "tetrahedra", 1000);
    reader.finish();
  }
}

toml::table parseToml(std::string_view text, const std::filesystem::path& path) {
  try {
    return toml::parse(text, path.string());
  } catch (const toml::parse_error& error) {
    const auto& begin = error.source().begin;
    throw BriefError(path, {static_cast<int>(begin.line), static_cast<int>(begin.column)},
                     std::string("this is not TOML: ") + std::string(error.description()),
                     "see docs/brief.md for the form");
  }
}

}  // namespace

BriefError::BriefError(const std::filesystem::path& file, TextPlace place, const std::string& what,
                       const std::string& cure)
    : InputError(place.line ? fmt::format("{}:{}:{}: {}", file.string(), place.line, place.column, what)
                            : fmt::format("{}: {}", file.string(), what),
                 cure),
      place_(place) {}

const ShapePtr& Brief::shape(const std::string& name) const {
  return std::find_if(shapes.begin(), shapes.end(), [&](const BriefShape& s) { return s.name == name; })
      ->shape;
}

Regions Brief::regions() const {
  Regions regions;
  regions.space = shape(space);
  for (const std::string& name : keeps) regions.keeps.push_back(shape(name));
  for (const std::string& name : clears) regions.clears.push_back(shape(name));
  return regions;
}

Brief parseBrief(std::string_view text, const std::filesystem::path& path) {
  const toml::table document = parseToml(text, path);
  TableReader top(path, document, "");
  Brief brief;
  brief.path = path;
  for (const auto& [key, node] : document) {
    std::ostringstream normal;
    node.visit([&](const auto& value) { normal << value; });
    brief.sections[std::string(key.str())] = normal.str();
  }
  brief.title = path.stem().string();
  if (const toml::node* node = top.find("title")) brief.title = top.text(*node, "title");
  const toml::node& voxel = top.need("voxel", "the size of the cells, e.g. voxel = \"2.5 mm\"");
  brief.voxel = top.quantity(voxel, "voxel", Measure::length);
  if (!(brief.voxel > 0)) top.fail(voxel, "'voxel' should be above zero");
  brief.material = parseMaterial(top);
  brief.shapes =
      ShapeBuilder(top.table(top.need("shapes", "define at least the design space"), "shapes")).all();
  parseDesign(top, brief);
  forEachNamed(
      top, "faces", "name the faces that are held and loaded",
      [&](TableReader& r, const std::string& name) { brief.faces.push_back(parseFace(r, name, brief)); });
  forEachNamed(top, "supports", "hold at least one face", [&](TableReader& r, const std::string& name) {
    brief.supports.push_back({name, parseFaceName(r, brief, "that is held"), r.place()});
    if (const toml::node* hold = r.find("hold")) r.choice(*hold, "hold", {"fixed"});
  });
  forEachNamed(top, "loads", "load at least one face", [&](TableReader& r, const std::string& name) {
    BriefLoad load{name, parseFaceName(r, brief, "the load acts on"), Vec3::Zero(), r.place()};
    load.force = r.point(r.need("force", "three components, e.g. [\"0 N\", \"0 N\", \"-1 kN\"]"), "force",
                         Measure::force);
    brief.loads.push_back(load);
  });
  forEachNamed(top, "cases", "combine loads that act together", [&](TableReader& r, const std::string& name) {
    brief.cases.push_back(parseCase(r, name, brief));
  });
  if (const toml::node* goal = top.find("goal")) top.choice(*goal, "goal", {"stiffest"});
  brief.target = parseTarget(top);
  parseMaking(top, brief);
  parseRequirements(top, brief);
  parseSettings(top, brief);
  top.finish();
  return brief;
}

Brief readBrief(const std::filesystem::path& path) {
  return parseBrief(readFile(path), path);
}

}  // namespace barelattice
