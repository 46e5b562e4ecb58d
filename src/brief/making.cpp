#include "making.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "barelattice/base/quantity.hpp"
#include "barelattice/layout/directed_maps.hpp"

namespace barelattice {
namespace {

MakingRule parseRepeat(TableReader& table, std::size_t dimensions) {
  if (table.has("axis") == table.has("along"))
    table.fail(
        "needs one of 'axis' and 'along'",
        "axis with centre and times: the same round an axis; along with step: the same from cell to cell");
  if (table.has("along")) {
    RepeatAlong along;
    along.direction = table.direction(*table.find("along"), "along", dimensions);
    along.step = table.quantity("step", Measure::length, {.need = "the length of a cell", .above = 0});
    along.from = table.quantity("from", Measure::length, {.otherwise = 0});
    along.mirrored = table.yesNo("mirrored", false);
    return along;
  }
  RepeatRound round;
  round.axis = table.direction(*table.find("axis"), "axis");
  if (dimensions == 2 && std::abs(round.axis.z()) != 1)
    table.fail(*table.find("axis"), "'axis' of a sheet is \"z\"");
  round.through = table.position(table.need("centre", "a point of the axis"), "centre", dimensions);
  round.times = table.wholeNumber("times", {.need = "how many pieces there are round the axis", .least = 2});
  if (constexpr int kMost = 180; round.times > kMost)
    table.fail(*table.find("times"), fmt::format("'times' should be at most {}", kMost));
  return round;
}

/// An angle up to a largest one, which is told in degrees.
double angle(TableReader& table, const char* key, double otherwise, double most) {
  const double value = table.quantity(key, Measure::angle, {.otherwise = otherwise, .least = 0});
  constexpr double kRounding = 1e-3;
  if (value > most + kRounding)
    table.fail(*table.find(key),
               fmt::format("'{}' should be at most {:.0f} deg", key, most * 180 / std::numbers::pi));
  return std::min(value, most);
}

MakingRule parseCast(TableReader& table, std::size_t dimensions) {
  Casting cast;
  cast.draw =
      table.direction(table.need("draw", "where the mould opens to, e.g. \"+z\""), "draw", dimensions);
  cast.draft = angle(table, "draft", 0, kMostDraft);
  const toml::node* parting = table.find("parting");
  if (!parting) return cast;
  const std::string text = table.text(*parting, "parting");
  if (text == "back") return cast;
  cast.parting = text == "free"   ? Casting::Parting::free
                 : text == "flat" ? Casting::Parting::flat
                                  : Casting::Parting::plane;
  if (cast.parting == Casting::Parting::plane) {
    try {
      cast.at = parseQuantity(text, Measure::length);
    } catch (const InputError& error) {
      table.fail(
          *parting, "'parting' should be \"back\", \"free\", \"flat\", or a length",
          "back: one half of the mould and a flat back; free: two halves that meet where it suits; "
          "\"12 mm\": two halves that meet in a plane there, along draw; flat: in a plane, at the best of "
          "several places");
    }
  }
  return cast;
}

MakingRule parseMill(TableReader& table, std::size_t dimensions) {
  Milling mill;
  const toml::node& sides = table.need("sides", "where the tool comes from, e.g. [\"+z\", \"-z\"]");
  for (const toml::node& side : table.array(sides, "sides"))
    mill.sides.push_back(table.direction(side, "sides", dimensions));
  if (mill.sides.empty()) table.fail(sides, "'sides' names none", "give one or more, e.g. [\"+z\"]");
  Tool& tool = mill.tool;
  tool.diameter = table.quantity("tool", Measure::length, {.otherwise = 0, .above = 0});
  tool.cornerRadius = table.quantity("corner", Measure::length, {.otherwise = 0, .least = 0});
  tool.taper = angle(table, "taper", 0, kMostTaper);
  tool.reach = table.quantity("reach", Measure::length, {.otherwise = 0, .above = 0});
  tool.holder = table.quantity("holder", Measure::length, {.otherwise = 0, .above = 0});
  for (const char* key : {"corner", "taper", "reach", "holder"})
    if (tool.diameter == 0 && table.has(key))
      table.fail(*table.find(key), fmt::format("'{}' belongs to a 'tool', and there is none", key),
                 "give its diameter, e.g. tool = \"8 mm\"");
  if (tool.cornerRadius > 0.5 * tool.diameter)
    table.fail(*table.find("corner"), "'corner' is more than half of 'tool'",
               "it is the radius of the tool's edge: half of the diameter makes it a ball");
  try {
    validate(tool);
  } catch (const InputError& error) {
    table.fail(*table.find("tool"), error.what(), error.cure());
  }
  return mill;
}

/// The directions of a print: one, or several of which the best is to be found.
std::vector<MakingRule> parsePrints(TableReader& table, std::size_t dimensions) {
  const toml::node& up = table.need("up", "where layers grow to, e.g. \"+z\"");
  Printing print;
  print.overhang = angle(table, "overhang", print.overhang, kMostOverhang);
  if (print.overhang == 0)
    table.fail(*table.find("overhang"), "'overhang' should be above zero",
               "it is the largest angle between a wall that faces down and the vertical");
  std::vector<MakingRule> ways;
  const toml::array* list = up.as_array();
  if (!list || list->empty() || list->front().is_number()) {
    print.up = table.direction(up, "up", dimensions);
    return {print};
  }
  constexpr std::size_t kMost = 12;
  if (list->size() > kMost) table.fail(up, fmt::format("'up' names more than {} directions", kMost));
  for (const toml::node& one : *list) {
    print.up = table.direction(one, "up", dimensions);
    ways.emplace_back(print);
  }
  return ways;
}

MakingRule parseDrain(TableReader& table, std::size_t /*dimensions*/) {
  return OpenVoids{table.quantity("opening", Measure::length, {.otherwise = 0, .above = 0})};
}

}  // namespace

void parseMaking(TableReader& top, Brief& brief) {
  TableReader reader = top.table(top.need("making", "[making] with smallest_member = \"8 mm\""), "making");
  const std::size_t dimensions = dimensionsOf(brief);
  Walls walls;
  walls.smallestMember =
      reader.quantity("smallest_member", Measure::length,
                      {.need = "the thinnest wall or bar you can make, e.g. \"8 mm\"", .above = 0});
  walls.boundary = reader.word("boundary", {"empty", "reflecting"}) == 1 ? FilterBoundary::reflecting
                                                                         : FilterBoundary::empty;
  walls.smallestGap = reader.quantity("smallest_gap", Measure::length, {.otherwise = 0, .above = 0});
  walls.madeWithin = reader.quantity("made_within", Measure::length, {.otherwise = 0, .above = 0});
  if (const double most = mostMadeWithin(walls.smallestMember, dimensions == 2 ? 2 : 3);
      walls.madeWithin > most)
    reader.fail(*reader.find("made_within"),
                fmt::format("'made_within' should be at most {:.3g} mm: made thinner by more on either side, "
                            "little is left of a smallest_member",
                            most * kMillimetresPerMetre),
                "take a larger smallest_member, or a better process");
  if (walls.smallestGap > 0 && walls.smallestGap <= 2 * walls.madeWithin)
    reader.fail(*reader.find("smallest_gap"), "a gap of 'smallest_gap' is closed by twice 'made_within'",
                "give a wider one");
  brief.making.push_back({walls, reader.placeOf("smallest_member")});
  if (const double most = reader.quantity("largest_member", Measure::length, {.otherwise = 0, .above = 0});
      most > 0) {
    if (most < 1.5 * walls.smallestMember)
      reader.fail(*reader.find("largest_member"), "'largest_member' leaves no room above smallest_member",
                  "give at least one and a half times that");
    brief.making.push_back({largestMember(most), reader.placeOf("largest_member")});
  }
  brief.tolerance = reader.quantity("tolerance", Measure::length, {.otherwise = 0, .above = 0});
  const auto addAll = [&](const char* key, const auto& read) {
    for (TableReader& table : reader.tablesIfThere(key)) {
      const MakingRule rule = read(table, dimensions);
      const bool imposed = table.yesNo("impose", true);
      brief.making.push_back({rule, table.place(), imposed});
      table.finish();
    }
  };
  for (TableReader& table : reader.tablesIfThere("mirror")) {
    BriefRule rule{table.mirrorPlane(dimensions), table.place(), table.yesNo("impose", true)};
    rule.half = table.yesNo("half", false);
    if (rule.half && !rule.imposed)
      table.fail(*table.find("half"), "half a job stands for all of it only where the layout is mirrored",
                 "leave out 'impose', or 'half'");
    brief.making.push_back(rule);
    table.finish();
  }
  addAll("repeat", parseRepeat);
  addAll("section", [](TableReader& table, std::size_t d) -> MakingRule {
    return ConstantSection{
        table.direction(table.need("along", "the axis along which the section stays the same"), "along", d)};
  });
  addAll("local_share", [](TableReader& table, std::size_t) -> MakingRule {
    LocalShare share;
    share.within = table.quantity("within", Measure::length,
                                  {.need = "how far round any place is looked, e.g. \"20 mm\"", .above = 0});
    share.most = table.number(
        "most", {.need = "the share that may be filled there, e.g. 0.6", .above = 0, .below = 1});
    return share;
  });
  addAll("cast", parseCast);
  addAll("mill", parseMill);
  for (TableReader& table : reader.tablesIfThere("print")) {
    const std::vector<MakingRule> ways = parsePrints(table, dimensions);
    BriefRule rule{ways.front(), table.place(), table.yesNo("impose", true)};
    // What is only measured is measured for all of them.
    if (rule.imposed && ways.size() > 1) rule.ways = ways;
    brief.making.push_back(rule);
    for (std::size_t k = 1; k < ways.size() && !rule.imposed; ++k)
      brief.making.push_back({ways[k], table.place(), false});
    table.finish();
  }
  addAll("drain", parseDrain);
  reader.finish();
}

}  // namespace barelattice
