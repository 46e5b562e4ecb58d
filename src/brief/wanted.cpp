#include "wanted.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "named.hpp"

namespace barelattice {
namespace {

using Kind = Requirement::Kind;

constexpr const char* kSheetSwings =
    "a sheet swings out of its plane first, and is analysed within it: its frequencies are not known";

/// One of each kind of limit, with nothing else said of it.
std::vector<BriefLimit> kindsOfLimits() {
  std::vector<BriefLimit> kinds;
  for (const Kind kind :
       {Kind::safetyFactor, Kind::displacement, Kind::rotation, Kind::vonMises, Kind::tension,
        Kind::compression, Kind::compliance, Kind::frequency, Kind::frequency}) {
    const bool below = !kinds.empty() && kinds.back().kind == kind;  // the second one of frequencies
    kinds.emplace_back().kind = kind;
    kinds.back().below = below;
  }
  return kinds;
}

bool moves(Kind kind) {
  return kind == Kind::displacement || kind == Kind::rotation;
}

Measure measureOf(Kind kind) {
  switch (kind) {
    case Kind::displacement:
      return Measure::length;
    case Kind::rotation:
      return Measure::angle;
    case Kind::compliance:
      return Measure::energy;
    case Kind::frequency:
      return Measure::frequency;
    default:
      return Measure::pressure;
  }
}

/// A bound in per cent of what another body has; nothing if it is a figure.
std::optional<double> shareFrom(TableReader& reader, const std::string& key) {
  const toml::node* node = reader.find(key);
  const auto* text = node ? node->as_string() : nullptr;
  if (!text || text->get().empty() || text->get().back() != '%') return std::nullopt;
  const std::string digits = text->get().substr(0, text->get().size() - 1);
  std::size_t read = 0;
  double share = 0;
  try {
    share = std::stod(digits, &read);
  } catch (const std::exception&) {
    read = 0;
  }
  const bool number = read > 0 && digits.find_first_not_of(' ', read) == std::string::npos;
  if (!number || !(share > 0) || !std::isfinite(share))
    reader.fail(*node, fmt::format("'{}' is no share", key), "give per cent above zero, \"150 %\", say");
  return share / 100;
}

constexpr const char* kMassKey = "mass";

/// A limit as far as its own key states it.
BriefLimit limitFrom(TableReader& reader, BriefLimit limit, const std::string& name, Brief& brief) {
  const std::string key = keyOf(limit);
  limit.name = name;
  limit.place = reader.placeOf(key);
  const Wanted wanted{.otherwise = 0, .above = 0};
  if (const std::optional<double> share = shareFrom(reader, key))
    limit.share = *share;
  else
    limit.bound = limit.kind == Kind::safetyFactor ? reader.number(key, wanted)
                                                   : reader.quantity(key, measureOf(limit.kind), wanted);
  if (limit.ofStress() && limit.kind != Kind::safetyFactor && !brief.regions.empty())
    reader.fail(*reader.find(key), fmt::format("'{}' is one bound, and the part has several materials", key),
                "give safety_factor, which holds each against its own strength");
  if (limit.kind == Kind::frequency) {
    if (brief.sheet) reader.fail(*reader.find(key), kSheetSwings, "leave it out, or make the part a body");
    brief.frequencies = std::max(brief.frequencies, 1);
  }
  return limit;
}

/// Keys that go with motions of faces only.
void parseMotion(TableReader& reader, const Brief& brief, BriefLimit& limit) {
  const std::vector<std::string> faces = namesOf(brief.faces);
  limit.face = numberOf(reader.name("face", "face", faces, "the face that moves"), faces);
  if (const std::string over = reader.name("over", "face", faces, {}); !over.empty()) {
    limit.over = numberOf(over, faces);
    if (*limit.over == limit.face)
      reader.fail(*reader.find("over"), "a face does not move over itself",
                  "name another face, or leave it out");
  }
  const bool turns = limit.kind == Kind::rotation;
  const char* key = turns ? "about" : "along";
  if (const toml::node* node = reader.find(key)) {
    if (turns && brief.sheet) reader.fail(*node, "a sheet turns within its plane only", "leave 'about' out");
    limit.along = reader.direction(*node, key, dimensionsOf(brief));
  }
  if (turns && brief.sheet) limit.along = Vec3::UnitZ();
}

void parseLimit(TableReader& reader, const std::string& name, Brief& brief) {
  std::optional<BriefLimit> stated;
  std::string keys;
  for (const BriefLimit& each : kindsOfLimits()) {
    const std::string key = keyOf(each);
    keys += (keys.empty() ? "" : ", ") + key;
    if (!reader.has(key)) continue;
    if (stated)
      reader.fail(*reader.find(key), fmt::format("'{}' and '{}' are two limits", keyOf(*stated), key),
                  "give each a name of its own");
    stated = each;
  }
  if (!stated) reader.fail("limits nothing", "give one of " + keys);
  BriefLimit limit = limitFrom(reader, *stated, name, brief);
  if (moves(limit.kind)) parseMotion(reader, brief, limit);
  if (const toml::node* of = reader.find("of")) {
    if (limit.share == 0)
      reader.fail(*of, "'of' tells what a share is of, and the bound is a figure", "leave it out");
    limit.ofBaseline = reader.word("of", {"space", "baseline"}) == 1;
    if (limit.ofBaseline && !brief.baseline)
      reader.fail(*of, "there is no baseline", "name one at the top, baseline = \"a shape\"");
  }
  const std::vector<std::string> known = namesOf(brief.cases);
  for (const std::string& c : reader.names("cases", "case", known)) limit.cases.push_back(numberOf(c, known));
  std::sort(limit.cases.begin(), limit.cases.end());
  limit.cases.erase(std::unique(limit.cases.begin(), limit.cases.end()), limit.cases.end());
  if (limit.kind == Kind::frequency && !limit.cases.empty())
    reader.fail(*reader.find("cases"), "a frequency is one of supports, whatever loads there are",
                "leave 'cases' out: it holds for all supports that act together in a case");
  if (limit.ofStress()) {
    const std::vector<std::string> shapes = namesOf(brief.shapes);
    if (const std::string within = reader.name("within", "shape", shapes, {}); !within.empty()) {
      limit.within = brief.judgedPlaces.size();
      brief.judgedPlaces.push_back(numberOf(within, shapes));
    }
  }
  brief.limits.push_back(limit);
}

/// Limits under names of their own; what needs no other key may stand under its own.
void parseLimits(TableReader& top, Brief& brief) {
  const toml::node* node = top.find("limits");
  if (!node) return;
  if (!brief.designs || top.has("layout"))
    top.fail(*node, "[limits] are held by a layout that is designed here, and none is",
             "state them under [require], by which parts are judged");
  TableReader group = top.table(*node, "limits");
  const std::vector<std::string> names = inOrder(group.raw());
  if (names.empty()) group.fail("is empty", "e.g. sag = { displacement = \"0.5 mm\", face = \"...\" }");
  for (const std::string& name : names) {
    if (name == kMassKey) continue;  // see targetFromLimits
    group.checkName(name);
    const toml::node& value = *group.raw().get(name);
    if (value.is_table()) {
      TableReader reader = group.table(value, name);
      parseLimit(reader, name, brief);
      reader.finish();
      continue;
    }
    const std::vector<BriefLimit> kinds = kindsOfLimits();
    const auto whole = std::find_if(kinds.begin(), kinds.end(), [&](const BriefLimit& each) {
      return keyOf(each) == name && !moves(each.kind);
    });
    if (whole == kinds.end())
      group.fail(
          value, fmt::format("'{}' should be a table", name),
          fmt::format("{} = {{ displacement = \"0.5 mm\", face = \"...\" }}, say; safety_factor = 2, a "
                      "stress, a compliance and a frequency need none",
                      name));
    brief.limits.push_back(limitFrom(group, *whole, name, brief));
  }
}

void parseRequirements(TableReader& top, Brief& brief) {
  const toml::node* node = top.find("require");
  if (!node) return;
  TableReader reader = top.table(*node, "require");
  if (const toml::node* mass = reader.find("mass"))
    brief.requirements.push_back({Kind::mass, 0, reader.quantity(*mass, "mass", Measure::mass)});
  if (const toml::node* displacement = reader.find("displacement")) {
    const TableReader list = reader.table(*displacement, "displacement");
    for (const auto& [key, most] : list.raw()) {
      const std::string face(key.str());
      const std::vector<std::string> faces = namesOf(brief.faces);
      list.resolve(most, "face", face, faces);
      brief.requirements.push_back(
          {Kind::displacement, numberOf(face, faces), list.quantity(most, face, Measure::length)});
    }
  }
  if (const double least = reader.number("safety_factor", {.otherwise = 0, .above = 0}); least > 0)
    brief.requirements.push_back({Kind::safetyFactor, 0, least});
  for (const auto& [key, kind] : {std::pair{"wall", Kind::wall}, std::pair{"gap", Kind::gap}})
    if (const double least = reader.quantity(key, Measure::length, {.otherwise = 0, .above = 0}); least > 0)
      brief.requirements.push_back({kind, 0, least});
  if (const double least = reader.quantity("frequency", Measure::frequency, {.otherwise = 0, .above = 0});
      least > 0) {
    if (brief.sheet)
      reader.fail(*reader.find("frequency"), kSheetSwings, "leave 'frequency' out, or make the part a body");
    brief.requirements.push_back({Kind::frequency, 0, least});
    brief.frequencies = std::max(brief.frequencies, 1);
  }
  reader.finish();
}

/// The lightest part is stopped by its limits, and has no target.
void checkLightest(TableReader& top, const Brief& brief) {
  if (const toml::node* target = top.find("target"))
    top.fail(*target, "[target] contradicts goal = \"lightest\", whose mass is what is sought",
             "leave one of them out; a mass the part must not exceed is [require] mass");
  if (limitsMass(top.raw()))
    top.fail(*(*top.find("limits")->as_table()).get(kMassKey),
             "a mass among [limits] contradicts goal = \"lightest\", whose mass is what is sought",
             "leave one of them out; a mass the part must not exceed is [require] mass");
  if (const toml::node* layout = top.find("layout"))
    top.fail(*layout, "a [layout] from elsewhere is not designed here, so none is lightest",
             "leave 'goal' out and give a [target], the mass it is to be read at");
  if (std::none_of(brief.limits.begin(), brief.limits.end(),
                   [](const BriefLimit& limit) { return !limit.below; }))
    top.fail(*top.find("goal"), "goal = \"lightest\" has no limit that stops material from being taken away",
             "give [limits], safety_factor = 2, say: they are what the part is designed for. [require] is "
             "only judged");
}

}  // namespace

bool limitsMass(const toml::table& top) {
  const toml::table* limits = top["limits"].as_table();
  return limits && limits->contains(kMassKey);
}

BriefTarget targetFromLimits(TableReader& top) {
  TableReader limits = top.table(*top.find("limits"), "limits");
  const toml::node& node = *limits.find(kMassKey);
  if (const toml::node* target = top.find("target"))
    top.fail(*target, "[target] and the mass among [limits] are two masses to design for",
             "leave one of them out");
  BriefTarget target;
  target.limit = true;
  target.place = limits.placeOf(kMassKey);
  const Wanted wanted{.otherwise = 0, .above = 0};
  const std::optional<double> share = shareFrom(limits, kMassKey);
  if (share && !(*share < 1))
    limits.fail(node, "a part that weighs as much as the full design space is not designed",
                "give less than 100 %");
  if (share)
    target.fraction = *share;
  else
    target.mass = limits.quantity(kMassKey, Measure::mass, wanted);
  return target;
}

void parseGoal(TableReader& top, Brief& brief) {
  const toml::node* node = top.find("goal");
  if (node && node->is_table()) {
    TableReader reader = top.table(*node, "goal");
    BriefBlend blend;
    for (const auto& [key, weight] :
         {std::pair{"stiffness", &blend.stiffness}, std::pair{"frequency", &blend.frequency},
          std::pair{"stress", &blend.stress}})
      *weight = reader.number(key, {.otherwise = 0, .least = 0});
    reader.finish();
    if (!(blend.stiffness + blend.frequency + blend.stress > 0))
      reader.fail("has no weight above zero", "goal = { stiffness = 1, frequency = 0.5 }, say");
    brief.blend = blend;
  } else {
    constexpr std::size_t kLightest = 2;
    constexpr std::size_t kFrequency = 3;
    constexpr std::size_t kStress = 4;
    const std::size_t goal = top.word(
        "goal", {"stiffest", "stiffest in the worst case", "lightest", "highest frequency", "least stress"});
    brief.lightest = goal == kLightest;
    if (goal < kLightest) brief.goal = static_cast<GoalForm>(goal);
    if (goal == kFrequency) brief.blend = BriefBlend{0, 1, 0};
    if (goal == kStress) brief.blend = BriefBlend{0, 0, 1};
  }
  if (brief.lightest || (brief.blend && brief.blend->stress > 0 && brief.blend->only()))
    brief.goal = GoalForm::worst;
  if (!brief.blend) return;
  if (!top.has("target") && !limitsMass(top.raw()))
    top.fail(*node, "this goal needs a mass: with none the best part would be as good as none",
             "give [target], mass = \"0.8 kg\", say");
  if (top.has("layout"))
    top.fail(*node, "a [layout] from elsewhere is not designed here", "leave 'goal' out");
  if (brief.blend->frequency == 0) return;
  if (brief.sheet) top.fail(*node, kSheetSwings, "take another goal, or make the part a body");
  constexpr int kTold = 3;
  brief.frequencies = std::max(brief.frequencies, kTold);
}

void parseWanted(TableReader& top, Brief& brief) {
  parseRequirements(top, brief);
  parseLimits(top, brief);
  if (brief.lightest) checkLightest(top, brief);
}

}  // namespace barelattice
