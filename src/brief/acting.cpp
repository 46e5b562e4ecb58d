#include "acting.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "named.hpp"

namespace barelattice {
namespace {

/// The number of the face something acts on.
std::size_t parseFaceNumber(TableReader& reader, const Brief& brief, const char* use,
                            const std::string& key = "face") {
  const std::vector<std::string> names = namesOf(brief.faces);
  return numberOf(reader.name(key, "face", names, std::string("the face ") + use), names);
}

std::vector<std::string> axesOf(const Brief& brief) {
  return brief.sheet ? std::vector<std::string>{"x", "y"} : std::vector<std::string>{"x", "y", "z"};
}

/// Refuses keys that say different things of the same table.
/// @return the one that is there; empty for none.
std::string onlyOneOf(TableReader& reader, const std::vector<std::string>& keys, const std::string& cure) {
  std::string given;
  for (const std::string& key : keys) {
    if (!reader.has(key)) continue;
    if (!given.empty())
      reader.fail(*reader.find(key), fmt::format("has both '{}' and '{}'", given, key), cure);
    given = key;
  }
  return given;
}

/// The axes of a frame of its own: two directions at right angles, of which the third follows; in a sheet
/// one.
Eigen::Matrix3d parseFrame(TableReader& reader, const Brief& brief) {
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();
  const toml::node* node = reader.find("frame");
  if (!node) return axes;
  TableReader frame = reader.table(*node, "frame");
  const std::vector<std::string> names = axesOf(brief);
  std::vector<int> given;
  for (int i = 0; i < static_cast<int>(names.size()); ++i) {
    const std::string& name = names[static_cast<std::size_t>(i)];
    if (const toml::node* direction = frame.find(name)) {
      axes.col(i) = frame.direction(*direction, name, dimensionsOf(brief));
      given.push_back(i);
    }
  }
  frame.finish();
  const std::size_t needed = names.size() - 1;
  if (given.size() != needed)
    reader.fail(*node, fmt::format("'frame' names {} of its axes", given.size()),
                brief.sheet ? "give one, e.g. frame = { x = [1, 1] }"
                            : "give two, e.g. frame = { x = [1, 1, 0], z = \"+z\" }; the third follows");
  if (brief.sheet) given.push_back(2);
  const double cosine = axes.col(given[0]).dot(axes.col(given[1]));
  constexpr double kSquare = 1e-3;
  if (std::abs(cosine) > kSquare)
    reader.fail(*node,
                fmt::format("the axes of 'frame' are {:.4g} degrees apart",
                            std::acos(std::clamp(cosine, -1.0, 1.0)) * 180 / std::numbers::pi),
                "give axes at right angles");
  axes.col(given[1]) = (axes.col(given[1]) - cosine * axes.col(given[0])).normalized();
  const int third = 3 - given[0] - given[1];
  axes.col(third) = axes.col((third + 1) % 3).cross(axes.col((third + 2) % 3));
  return axes;
}

Vec3 parsePlace(TableReader& reader, const toml::node& node, const std::string& key, const Brief& brief) {
  Vec3 place = reader.position(node, key, dimensionsOf(brief));
  if (brief.sheet) place.z() = 0.5 * brief.sheet->thickness;
  return place;
}

std::optional<Vec3> parsePlaceIfThere(TableReader& reader, const std::string& key, const Brief& brief) {
  const toml::node* node = reader.find(key);
  if (!node) return {};
  return parsePlace(reader, *node, key, brief);
}

/// A turn or moment about the axes; in a sheet one number, about z.
Vec3 parseAbout(TableReader& reader, const toml::node& node, const std::string& key, Measure measure,
                const Brief& brief) {
  if (brief.sheet) return Vec3(0, 0, reader.quantity(node, key, measure));
  return reader.point(node, key, measure);
}

/// Stiffnesses along the axes: a list, one for all, or "rigid".
Vec3 parseStiffness(TableReader& reader, const std::string& key, Measure measure, const Vec3& otherwise) {
  const toml::node* node = reader.find(key);
  if (!node) return otherwise;
  const auto one = [&](const toml::node& value) {
    if (value.is_string() && reader.text(value, key) == "rigid") return kRigid;
    const double stiffness = reader.quantity(value, key, measure);
    if (stiffness < 0) reader.fail(value, fmt::format("'{}' is below zero", key), "give 0 or more");
    return stiffness;
  };
  if (!node->is_array()) return Vec3::Constant(one(*node));
  const toml::array& list = reader.array(*node, key);
  if (list.size() != 3)
    reader.fail(*node, fmt::format("'{}' has {} entries", key, list.size()),
                "give one for each axis, x, y and z, or one for all");
  return {one(list[0]), one(list[1]), one(list[2])};
}

/// Springs on mean motions, the keys 'slide' and 'turn' of a table.
/// @return by mean displacement and mean rotation; in a sheet what leaves its plane has none.
std::pair<Vec3, Vec3> parseSprings(TableReader& reader, const Brief& brief, double otherwise) {
  std::pair<Vec3, Vec3> springs{
      parseStiffness(reader, "slide", Measure::stiffness, Vec3::Constant(otherwise)),
      parseStiffness(reader, "turn", Measure::turningStiffness, Vec3::Constant(otherwise))};
  if (brief.sheet) {
    springs.first.z() = 0;
    springs.second.head<2>().setZero();
  }
  return springs;
}

const char* const kHoldCure =
    "\"fixed\", \"sliding\", \"pin\", or a list of directions such as [\"x\", \"z\"]";

/// Held directions in words: bit i along axis i, bit 3 + i about it.
unsigned parseDirections(TableReader& reader, const toml::node& hold, const Brief& brief, bool turns) {
  std::vector<std::string> words = axesOf(brief);
  const std::size_t slides = words.size();
  if (turns)
    for (const char* axis : {"x", "y", "z"})
      if (!brief.sheet || *axis == 'z') words.push_back(std::string("turn ") + axis);
  unsigned directions = 0;
  for (const toml::node& word : reader.array(hold, "hold")) {
    const std::size_t number = reader.choice(word, "hold", words);
    directions |= 1U << (number < slides ? number : brief.sheet ? 5 : number);
  }
  if (directions == 0)
    reader.fail(hold, "'hold' holds no direction", "\"fixed\", or a list such as [\"x\", \"z\"]");
  return directions;
}

/// A point that is held, joined to the face by its mean motion.
MeanSprings parseHeldPoint(TableReader& reader, const Vec3& at, const Brief& brief) {
  MeanSprings point;
  point.at = at;
  point.axes = parseFrame(reader, brief);
  const toml::node* hold = reader.find("hold");
  unsigned directions = brief.sheet ? 0b100011U : 0b111111U;
  if (hold && hold->is_string()) {
    if (reader.text(*hold, "hold") != "fixed")
      reader.fail(*hold, "a point is held \"fixed\" or in some directions",
                  "\"fixed\", or a list such as [\"x\", \"y\", \"turn z\"]");
  } else if (hold) {
    directions = parseDirections(reader, *hold, brief, true);
  }
  for (int i = 0; i < 3; ++i) {
    if (directions >> i & 1U) point.slide[i] = kRigid;
    if (directions >> (3 + i) & 1U) point.turn[i] = kRigid;
  }
  return point;
}

RigidMotion parseMoved(TableReader& reader, const Brief& brief) {
  RigidMotion moved;
  const toml::node* node = reader.find("moved");
  if (!node) return moved;
  TableReader table = reader.table(*node, "moved");
  if (const toml::node* shift = table.find("shift"))
    moved.shift = table.position(*shift, "shift", dimensionsOf(brief));
  if (const toml::node* turn = table.find("turn")) {
    moved.turn = parseAbout(table, *turn, "turn", Measure::angle, brief);
    moved.about = parsePlace(table, table.need("about", "the point it turns about"), "about", brief);
  }
  table.finish();
  if (moved.isZero())
    reader.fail(*node, "'moved' moves nothing", "give a 'shift', or a 'turn' about a point, or leave it out");
  return moved;
}

SupportKind parseHeld(TableReader& reader, const Brief& brief) {
  Held held;
  held.directions = brief.sheet ? 3U : 7U;
  const toml::node* hold = reader.find("hold");
  if (hold && hold->is_string()) {
    const std::string word = reader.text(*hold, "hold");
    if (word == "sliding" || word == "pin") {
      for (const char* key : {"frame", "moved"})
        if (const toml::node* node = reader.find(key))
          reader.fail(*node, fmt::format("'{}' does not go with hold = \"{}\"", key, word),
                      "its directions are those of the face; list directions instead");
      if (word == "pin") return Pin{};
      return Slide{};
    }
    if (word != "fixed") reader.fail(*hold, fmt::format("'hold' is \"{}\"", word), kHoldCure);
  } else if (hold) {
    held.directions = parseDirections(reader, *hold, brief, false);
  }
  held.axes = parseFrame(reader, brief);
  held.moved = parseMoved(reader, brief);
  return held;
}

Bolt parseBolt(TableReader& reader, const Brief& brief) {
  TableReader table = reader.table(reader.need("bolt", "a table"), "bolt");
  if (brief.sheet)
    reader.fail("a sheet has no bolts that lie across it", "hold the bore as a pin, or on springs");
  Bolt bolt;
  bolt.seat = parseFaceNumber(table, brief, "under its head", "seat");
  bolt.diameter = table.quantity("diameter", Measure::length, {.need = "of the shank", .above = 0});
  bolt.grip =
      table.quantity("grip", Measure::length, {.need = "the length from the base to the head", .above = 0});
  const auto& known = builtinMaterials();
  const std::string use = table.name("material", "material", namesOf(known), {});
  const Material& material = *std::find_if(
      known.begin(), known.end(), [&](const Material& m) { return m.name == (use.empty() ? "steel" : use); });
  bolt.modulus = table.quantity("modulus", Measure::pressure, {.otherwise = material.modulus, .above = 0});
  bolt.poisson = material.poisson;
  bolt.preload = table.quantity("preload", Measure::force, {.otherwise = 0, .least = 0});
  table.finish();
  return bolt;
}

SupportKind parseSupportKind(TableReader& reader, const Brief& brief) {
  const std::string given = onlyOneOf(reader, {"hold", "bedding", "springs", "bolt"},
                                      "what holds a face is one of them; a face may have several supports");
  if (given == "bolt") return parseBolt(reader, brief);
  if (given == "bedding") {
    TableReader table = reader.table(*reader.find("bedding"), "bedding");
    const Foundation bed{table.quantity("normal", Measure::bedding, {.otherwise = 0, .least = 0}),
                         table.quantity("across", Measure::bedding, {.otherwise = 0, .least = 0})};
    table.finish();
    if (bed.normal + bed.tangential == 0)
      table.fail("is zero", "give a stiffness 'normal' to the face, 'across' it, or both");
    return bed;
  }
  if (given == "springs") {
    TableReader table = reader.table(*reader.find("springs"), "springs");
    MeanSprings springs;
    std::tie(springs.slide, springs.turn) = parseSprings(table, brief, 0);
    table.finish();
    if (springs.slide.isZero() && springs.turn.isZero())
      table.fail("has no stiffness", "give 'slide', 'turn' or both");
    springs.axes = parseFrame(reader, brief);
    springs.at = parsePlaceIfThere(reader, "at", brief);
    return springs;
  }
  if (const std::optional<Vec3> at = parsePlaceIfThere(reader, "at", brief))
    return parseHeldPoint(reader, *at, brief);
  return parseHeld(reader, brief);
}

BriefSupport parseSupport(TableReader& reader, const std::string& name, const Brief& brief) {
  BriefSupport support{{name, parseFaceNumber(reader, brief, "that is held"), Held{}}, reader.place()};
  support.kind = parseSupportKind(reader, brief);
  support.backing =
      reader.quantity("backing", Measure::length,
                      {.otherwise = kNotGiven, .least = 0, .cure = "0 mm leaves the layout free there"});
  return support;
}

Spot parseSpot(TableReader& reader, const toml::node& node, const Brief& brief) {
  TableReader table = reader.table(node, "spot");
  Spot spot;
  spot.reach = table.quantity("reach", Measure::length, {.need = "how far it is spread", .above = 0});
  if (const std::optional<Vec3> at = parsePlaceIfThere(table, "at", brief)) {
    spot.from = spot.to = *at;
  } else {
    spot.from =
        parsePlace(table, table.need("from", "an end of the edge; or 'at' for a point"), "from", brief);
    spot.to = parsePlace(table, table.need("to", "its other end"), "to", brief);
  }
  table.finish();
  return spot;
}

/// Forces in the keys of a load: spread evenly, or with a moment, at a point, or on a spot.
LoadKind parseForce(TableReader& reader, const Brief& brief) {
  const auto forceUnder = [&](const char* key) {
    const toml::node* node = reader.find(key);
    return node ? reader.position(*node, key, dimensionsOf(brief), Measure::force) : Vec3::Zero();
  };
  const Vec3 force = forceUnder("force");
  if (!reader.has("moment") && !reader.has("at") && !reader.has("spot")) {
    FaceAction action;
    action.force = force;
    action.pressure = reader.quantity("pressure", Measure::pressure, {.otherwise = 0});
    return action;
  }
  if (const toml::node* pressure = reader.find("pressure"))
    reader.fail(*pressure, "'pressure' acts on the whole face, and not at a point",
                "make it a load of its own");
  Vec3 moment = Vec3::Zero();
  if (const toml::node* node = reader.find("moment"))
    moment = parseAbout(reader, *node, "moment", Measure::moment, brief);
  std::optional<Vec3> at = parsePlaceIfThere(reader, "at", brief);
  const toml::node* node = reader.find("spot");
  if (!node) return Remote{at, force, moment, {}};
  const Spot spot = parseSpot(reader, *node, brief);
  if (!at) at = 0.5 * (spot.from + spot.to);
  return Remote{at, force, moment, spot};
}

DepthPressure parseDepth(TableReader& reader, const Brief& brief) {
  TableReader table = reader.table(*reader.find("liquid"), "liquid");
  DepthPressure liquid;
  liquid.down = table.direction(table.need("down", "the way down, e.g. \"-z\""), "down", dimensionsOf(brief));
  liquid.surface = parsePlace(table, table.need("surface", "a point of its surface"), "surface", brief);
  liquid.perDepth = table.quantity("per_depth", Measure::pressureByDepth,
                                   {.need = "e.g. \"9.81 kPa/m\" for water", .above = 0});
  table.finish();
  return liquid;
}

/// Loads on the whole body.
LoadKind parseWhole(TableReader& reader, const std::string& given, const Brief& brief) {
  constexpr double kGravity = 9.80665;  // m/s2, standard
  const toml::node& node = *reader.find(given);
  const std::size_t dimensions = dimensionsOf(brief);
  if (given == "gravity") return BodyForce{kGravity * reader.direction(node, "gravity", dimensions)};
  if (given == "acceleration")
    return BodyForce{-reader.position(node, "acceleration", dimensions, Measure::acceleration)};
  if (given == "temperature")
    return Temperature{reader.quantity(node, "temperature", Measure::temperatureChange)};
  const double speed = reader.quantity("spin", Measure::turningSpeed, {.otherwise = 0});
  const double spinUp = reader.quantity("spin_up", Measure::turningAcceleration, {.otherwise = 0});
  const Vec3 axis = brief.sheet
                        ? Vec3::UnitZ()
                        : reader.direction(reader.need("axis", "what it turns about, e.g. \"z\""), "axis");
  const Vec3 through = parsePlace(reader, reader.need("through", "a point of the axis"), "through", brief);
  return spinning(through, axis, speed, spinUp);
}

bool isNothing(const FaceAction& action) {
  return action.force.isZero() && action.pressure == 0;
}
bool isNothing(const BodyForce& force) {
  return force.isZero();
}
bool isNothing(const Bearing& bearing) {
  return bearing.force.isZero();
}
bool isNothing(const Remote& remote) {
  return remote.force.isZero() && remote.moment.isZero();
}
bool isNothing(const Temperature& temperature) {
  return temperature.change == 0;
}
bool isNothing(const DepthPressure& liquid) {
  return liquid.perDepth == 0;
}
bool isNothing(const std::shared_ptr<const OwnLoad>& own) {
  return !own;
}

BriefLoad parseLoad(TableReader& reader, const std::string& name, const Brief& brief) {
  const std::vector<std::string> whole{"gravity", "acceleration", "spin", "spin_up", "temperature"};
  BriefLoad load{{name, 0, FaceAction{}}, reader.place()};
  const auto found =
      std::find_if(whole.begin(), whole.end(), [&](const auto& key) { return reader.has(key); });
  if (found != whole.end()) {
    for (const char* key : {"face", "force", "pressure", "moment", "torque", "bearing", "liquid", "backing"})
      if (const toml::node* node = reader.find(key))
        reader.fail(*node, fmt::format("has both '{}' and '{}', which acts on the whole part", key, *found),
                    "make two loads of it; a case may have both");
    onlyOneOf(reader, {"gravity", "acceleration", "temperature", *found == "spin_up" ? "spin_up" : "spin"},
              "make two loads of it; a case may have both");
    load.kind = parseWhole(reader, *found, brief);
  } else {
    load.face = parseFaceNumber(reader, brief, "the load acts on");
    const std::string given = onlyOneOf(reader,
                                        {reader.has("pressure") ? "pressure"
                                         : reader.has("moment") ? "moment"
                                                                : "force",
                                         "bearing", "torque", "liquid"},
                                        "make two loads of it; a case may have both");
    if (given.empty())
      reader.fail("'force', 'pressure' or another action is missing",
                  brief.sheet
                      ? "e.g. force = [\"0 N\", \"-1 kN\"], or pressure = \"2 MPa\"; see docs/acting.md"
                      : "e.g. force = [\"0 N\", \"0 N\", \"-1 kN\"], or pressure = \"2 MPa\"; see "
                        "docs/acting.md");
    if (given == "bearing")
      load.kind =
          Bearing{reader.position(*reader.find("bearing"), "bearing", dimensionsOf(brief), Measure::force)};
    else if (given == "torque") {
      load.torque = reader.quantity(*reader.find("torque"), "torque", Measure::moment);
      if (*load.torque == 0) reader.fail("is zero", "give it a size, or leave it out");
    } else if (given == "liquid")
      load.kind = parseDepth(reader, brief);
    else
      load.kind = parseForce(reader, brief);
    load.backing =
        reader.quantity("backing", Measure::length,
                        {.otherwise = kNotGiven, .least = 0, .cure = "0 mm leaves the layout free there"});
  }
  if (!load.torque && std::visit([](const auto& kind) { return isNothing(kind); }, load.kind))
    reader.fail("is zero", "give it a size, or leave it out");
  return load;
}

BriefMass parseMass(TableReader& reader, const std::string& name, const Brief& brief) {
  BriefMass mass{{name, parseFaceNumber(reader, brief, "that carries it")}, reader.place()};
  mass.at = parsePlace(reader, reader.need("at", "where its centre of gravity is"), "at", brief);
  mass.mass = reader.quantity("mass", Measure::mass, {.need = "how heavy it is", .above = 0});
  mass.backing =
      reader.quantity("backing", Measure::length,
                      {.otherwise = kNotGiven, .least = 0, .cure = "0 mm leaves the layout free there"});
  return mass;
}

BriefConnection parseConnection(TableReader& reader, const std::string& name, const Brief& brief) {
  BriefConnection connection{{name}, reader.place()};
  const std::vector<std::string> faces = namesOf(brief.faces);
  const toml::node* node = reader.find("between");
  if (node && node->is_string()) {  // both pieces of one face
    connection.first = connection.second = numberOf(reader.name("between", "face", faces, {}), faces);
  } else {
    const std::vector<std::string> between = reader.names("between", "face", faces);
    if (between.size() != 2 || between[0] == between[1])
      reader.fail("'between' names two faces, or one of two pieces",
                  "e.g. between = [\"left eye\", \"right eye\"], or between = \"both eyes\"");
    connection.first = numberOf(between[0], faces);
    connection.second = numberOf(between[1], faces);
  }
  connection.at = parsePlaceIfThere(reader, "at", brief);
  std::tie(connection.slide, connection.turn) = parseSprings(reader, brief, kRigid);
  connection.axes = parseFrame(reader, brief);
  if (connection.slide.isZero() && connection.turn.isZero())
    reader.fail("has no stiffness", "give 'slide' or 'turn', or leave both out for a rigid one");
  return connection;
}

bool moves(const Support& support) {
  const Held* held = std::get_if<Held>(&support.kind);
  return held && !held->moved.isZero();
}

BriefCase parseCase(TableReader& reader, const std::string& name, const Brief& brief) {
  const std::vector<std::string> supports = namesOf(brief.supports);
  BriefCase result{{name, 1, {}, std::vector<std::size_t>(supports.size())}, reader.place()};
  std::iota(result.supports.begin(), result.supports.end(), std::size_t{0});
  result.weight = reader.number("weight", {.otherwise = 1, .above = 0, .cure = "leave the case out instead"});
  const toml::node& loads = reader.need("loads", "a table of factors, e.g. loads = { pull = 1.0 }");
  const TableReader factors = reader.table(loads, "loads");
  for (const auto& [key, node] : factors.raw())
    factors.resolve(node, "load", std::string(key.str()), namesOf(brief.loads));
  bool acts = false;
  for (std::size_t l = 0; l < brief.loads.size(); ++l)
    if (const toml::node* node = factors.raw().get(brief.loads[l].name)) {
      result.loads.push_back({l, factors.number(*node, brief.loads[l].name)});
      acts = acts || result.loads.back().factor != 0;
    }
  if (const toml::node* given = reader.find("supports")) {
    const std::vector<std::string> named = reader.names("supports", "support", supports);
    if (named.empty()) reader.fail(*given, "'supports' names none", "leave it out to hold all of them");
    std::erase_if(result.supports, [&](std::size_t s) {
      return std::find(named.begin(), named.end(), supports[s]) == named.end();
    });
  }
  for (const std::size_t s : result.supports) acts = acts || moves(brief.supports[s]);
  if (!acts) reader.fail(loads, "has no load", "name at least one load with a factor that is not zero");
  return result;
}

}  // namespace

void parseActing(TableReader& top, Brief& brief) {
  forEachNamed(top, "supports", "hold at least one face", [&](TableReader& r, const std::string& name) {
    brief.supports.push_back(parseSupport(r, name, brief));
  });
  const auto readLoad = [&](TableReader& r, const std::string& name) {
    brief.loads.push_back(parseLoad(r, name, brief));
  };
  const bool moved = std::any_of(brief.supports.begin(), brief.supports.end(),
                                 [](const BriefSupport& support) { return moves(support); });
  if (moved)
    forEachNamedIfThere(top, "loads", "load at least one face, or leave the table out", readLoad);
  else
    forEachNamed(top, "loads", "load at least one face", readLoad);
  forEachNamedIfThere(
      top, "masses", "name what is carried, or leave the table out",
      [&](TableReader& r, const std::string& name) { brief.masses.push_back(parseMass(r, name, brief)); });
  forEachNamedIfThere(top, "connections", "name what is joined, or leave the table out",
                      [&](TableReader& r, const std::string& name) {
                        brief.connections.push_back(parseConnection(r, name, brief));
                      });
  forEachNamed(top, "cases", "combine loads that act together", [&](TableReader& r, const std::string& name) {
    brief.cases.push_back(parseCase(r, name, brief));
  });
}

void backByDefault(Brief& brief) {
  const double member = brief.walls().smallestMember;
  for (BriefLoad& load : brief.loads)
    if (load.backing == kNotGiven) load.backing = member;
  for (BriefMass& mass : brief.masses)
    if (mass.backing == kNotGiven) mass.backing = member;
  for (BriefSupport& support : brief.supports)
    if (support.backing == kNotGiven) {
      const bool byMean =
          std::holds_alternative<MeanSprings>(support.kind) || std::holds_alternative<Bolt>(support.kind);
      support.backing = byMean ? member : 0;
    }
}

}  // namespace barelattice
