#include "inputs.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>
#include <optional>
#include <set>
#include <vector>

#include "barelattice/base/hash.hpp"
#include "barelattice/base/quantity.hpp"

namespace barelattice {
namespace {

std::string textOf(double value) {
  return fmt::format("{:.12g}", value);
}

std::string textOf(const Vec3& v) {
  return fmt::format("{:.12g} {:.12g} {:.12g}", v.x(), v.y(), v.z());
}

std::string textOf(const std::optional<Range>& range) {
  return range ? textOf(range->low) + " to " + textOf(range->high) : "any";
}

/// What a shape is made from with its lengths and angles by value.
std::string byValue(const std::string& text) {
  const auto valueOf = [](const std::string& quoted) -> std::optional<std::string> {
    constexpr std::size_t kLongest = 40;  // of a number with its unit
    if (quoted.size() > kLongest) return std::nullopt;
    for (const Measure measure : {Measure::length, Measure::angle}) try {
        return textOf(parseQuantity(quoted, measure));
      } catch (const InputError&) {  // it is a name
      }
    return std::nullopt;
  };
  std::string result;
  for (std::size_t at = 0; at < text.size();) {
    const char quote = text[at];
    const std::size_t end = quote == '"' || quote == '\'' ? text.find(quote, at + 1) : std::string::npos;
    if (end == std::string::npos) {
      result += text[at++];
      continue;
    }
    const std::optional<std::string> value = valueOf(text.substr(at + 1, end - at - 1));
    result += value ? *value : text.substr(at, end + 1 - at);
    at = end + 1;
  }
  return result;
}

/// Shapes and all they are made from.
void addShapes(Inputs& inputs, const Brief& brief, std::vector<std::string> names) {
  std::set<std::string> done;
  while (!names.empty()) {
    const std::string name = names.back();
    names.pop_back();
    if (!done.insert(name).second) continue;
    const auto shape = std::find_if(brief.shapes.begin(), brief.shapes.end(),
                                    [&](const BriefShape& s) { return s.name == name; });
    inputs.add("[shapes] " + name, byValue(shape->text));
    names.insert(names.end(), shape->parts.begin(), shape->parts.end());
  }
}

void addFace(Inputs& inputs, const Brief& brief, std::size_t number) {
  const BriefFace& face = brief.faces[number];
  const std::string table = "[faces." + face.name + "] ";
  const FaceSelector& s = face.selector;
  inputs.add(table + "of", brief.shapes[face.shape].name);
  inputs.add(table + "kind", nameOf(s.kind));
  inputs.add(table + "radius", textOf(s.radius));
  inputs.add(table + "area", textOf(s.area));
  inputs.add(table + "within",
             s.within ? textOf(s.within->min()) + ", " + textOf(s.within->max()) : "anywhere");
  inputs.add(table + "side", !s.hole ? "any" : *s.hole ? "hole" : "boss");
  inputs.add(table + "direction", s.direction ? textOf(*s.direction) : "any");
  inputs.add(table + "near", s.near ? textOf(*s.near) : "anywhere");
  inputs.add(table + "count", s.count);
  std::vector<std::string> besides;
  for (const std::size_t other : face.beside) besides.push_back(brief.faces[other].name);
  inputs.add(table + "beside", fmt::format("{}", fmt::join(besides, ", ")));
  addShapes(inputs, brief, {brief.shapes[face.shape].name});
  for (const std::size_t other : face.beside) addFace(inputs, brief, other);
}

std::string axesText(const Eigen::Matrix3d& axes) {
  std::string text;
  for (int i = 0; i < 3; ++i) text += "; " + textOf(Vec3(axes.col(i)));
  return text;
}
std::string kindText(const Held& held) {
  std::string text = fmt::format("held {}", held.directions) + axesText(held.axes);
  if (!held.moved.isZero())
    text += "; moved " + textOf(held.moved.shift) + "; " + textOf(held.moved.turn) + "; " +
            textOf(held.moved.about);
  return text;
}
std::string kindText(const Slide& /*has no numbers*/) {
  return "sliding";
}
std::string kindText(const Pin& /*has no numbers*/) {
  return "pin";
}
std::string kindText(const Bolt& bolt) {
  return fmt::format("bolt {} {} {} {} {} {}", bolt.seat, textOf(bolt.diameter), textOf(bolt.grip),
                     textOf(bolt.modulus), textOf(bolt.poisson), textOf(bolt.preload));
}
std::string kindText(const Foundation& foundation) {
  return "bedding " + textOf(foundation.normal) + " " + textOf(foundation.tangential);
}
std::string kindText(const MeanSprings& springs) {
  return "springs " + textOf(springs.slide) + "; " + textOf(springs.turn) + axesText(springs.axes) + "; at " +
         (springs.at ? textOf(*springs.at) : "each piece");
}
std::string kindText(const FaceAction& action) {
  return textOf(action.force) + "; " + textOf(action.pressure);
}
std::string kindText(const DepthPressure& liquid) {
  return "liquid " + textOf(liquid.surface) + "; " + textOf(liquid.down) + "; " + textOf(liquid.perDepth);
}
std::string kindText(const Bearing& bearing) {
  return "bearing " + textOf(bearing.force);
}
std::string kindText(const Remote& remote) {
  std::string text = "at " + (remote.at ? textOf(*remote.at) : "its centre") + "; " + textOf(remote.force) +
                     "; " + textOf(remote.moment);
  if (remote.spot)
    text += "; spot " + textOf(remote.spot->from) + "; " + textOf(remote.spot->to) + "; " +
            textOf(remote.spot->reach);
  return text;
}
std::string kindText(const BodyForce& force) {
  return "per mass " + textOf(force.perMass) + axesText(force.gradient);
}
std::string kindText(const Temperature& temperature) {
  return "temperature " + textOf(temperature.change);
}
/// No brief has kinds of a program's own.
template <class Own>
std::string kindText(const std::shared_ptr<const Own>&) {
  return "own";
}

/// Faces, supports, loads and cases. Faces that nothing acts on do not count. Order does: figures by case
/// stand in the brief's, and what two supports hold is the first one's.
void addActing(Inputs& inputs, const Job& job) {
  const Setup& setup = job.setup;
  const auto addOrder = [&](const std::string& table, const auto& entries) {
    std::string names;
    for (const auto& entry : entries) names += entry.name + "; ";
    inputs.add(table + " order", names);
  };
  addOrder("[supports]", setup.supports);
  addOrder("[loads]", setup.loads);
  addOrder("[cases]", setup.cases);
  for (const Support& support : setup.supports) {
    const std::string table = "[supports." + support.name + "] ";
    inputs.add(table + "face", setup.faces[support.face].name);
    inputs.add(table + "hold", std::visit([](const auto& kind) { return kindText(kind); }, support.kind));
    for (const std::size_t face : facesOf(support)) addFace(inputs, job.brief, face);
  }
  for (std::size_t l = 0; l < setup.loads.size(); ++l) {
    const Load& load = setup.loads[l];
    const std::string table = "[loads." + load.name + "] ";
    inputs.add(table + "force", std::visit([](const auto& kind) { return kindText(kind); }, load.kind));
    if (!setup.actsOnFace(l)) {
      if (std::holds_alternative<Temperature>(load.kind))
        for (const Material& material : setup.materials)
          inputs.add("expansion of " + material.name, material.expansion);
      continue;
    }
    inputs.add(table + "face", setup.faces[load.face].name);
    addFace(inputs, job.brief, load.face);
  }
  for (const PointMass& mass : setup.masses) {
    const std::string table = "[masses." + mass.name + "] ";
    inputs.add(table + "face", setup.faces[mass.face].name);
    inputs.add(table + "at", textOf(mass.at));
    inputs.add(table + "mass", mass.mass);
    addFace(inputs, job.brief, mass.face);
  }
  for (const Connection& connection : setup.connections) {
    const std::string table = "[connections." + connection.name + "] ";
    inputs.add(table + "between",
               setup.faces[connection.first].name + ", " + setup.faces[connection.second].name);
    inputs.add(table + "springs", textOf(connection.slide) + "; " + textOf(connection.turn) +
                                      axesText(connection.axes) + "; at " +
                                      (connection.at ? textOf(*connection.at) : "the middle"));
    addFace(inputs, job.brief, connection.first);
    addFace(inputs, job.brief, connection.second);
  }
  for (const LoadCase& c : setup.cases) {
    const std::string table = "[cases." + c.name + "] ";
    std::string loads;
    for (const LoadCase::Factor& f : c.loads)
      loads += setup.loads[f.load].name + " " + textOf(f.factor) + "; ";
    std::string supports;
    for (const std::size_t s : c.supports) supports += setup.supports[s].name + "; ";
    inputs.add(table + "loads", loads);
    inputs.add(table + "supports", supports);
    inputs.add(table + "weight", c.weight);
  }
}

/// What the layout is made by.
void addMaking(Inputs& inputs, const Brief& brief) {
  std::map<std::string, std::string> rules;  // by what they are called; mirrors, for one, may be many
  for (const BriefRule& each : brief.making) {
    if (!each.imposed) continue;
    if (const auto* walls = std::get_if<Walls>(&each.rule)) {
      inputs.add("[making] smallest_member", walls->smallestMember);
      inputs.add("[making] smallest_gap", walls->smallestGap);
      inputs.add("[making] boundary", static_cast<int>(walls->boundary));
      if (walls->madeWithin > 0) inputs.add("[making] made_within", walls->madeWithin);
    } else {
      rules[nameOf(each.rule)] += textOf(each.rule) + "; ";
    }
  }
  for (const auto& [name, text] : rules) inputs.add("[making] " + name, text);
}

/// Where material may, must and must not be, and what it is made of; not how strong it is.
void addRegions(Inputs& inputs, const Job& job) {
  const Brief& brief = job.brief;
  inputs.add("voxel", job.cellSize());
  if (brief.sheet) {
    inputs.add("[sheet] thickness", brief.sheet->thickness);
    inputs.add("[sheet] state", static_cast<int>(brief.sheet->state));
  }
  const auto addMaterial = [&](const std::string& table, const Material& material) {
    inputs.add(table + "modulus", material.modulus);
    inputs.add(table + "poisson", material.poisson);
    inputs.add(table + "density", material.density);
  };
  addMaterial("[material] ", brief.material);
  const auto nameOf = [&](std::size_t shape) { return brief.shapes[shape].name; };
  std::vector<std::string> shapes{nameOf(brief.space)};
  for (std::size_t r = 0; r < brief.regions.size(); ++r) {
    const BriefRegion& region = brief.regions[r];
    const std::string table = fmt::format("[{}.{}] ", region.bonded ? "inserts" : "regions", region.name);
    addMaterial(table, region.material);
    inputs.add(table + "shape", fmt::format("{}, {}", nameOf(region.shape), r));
    shapes.push_back(nameOf(region.shape));
  }
  inputs.add("[design] space", nameOf(brief.space));
  std::vector<std::string> clears;
  for (const std::size_t clear : brief.clears) clears.push_back(nameOf(clear));
  inputs.add("[design] clear", fmt::format("{}", fmt::join(clears, ", ")));
  shapes.insert(shapes.end(), clears.begin(), clears.end());
  std::string keeps;
  for (const BriefKeep& keep : brief.keeps) {
    keeps += brief.nameOf(keep) + " " + textOf(keep.depth) + "; ";
    if (keep.shape)
      shapes.push_back(nameOf(*keep.shape));
    else
      addFace(inputs, brief, keep.face);
  }
  inputs.add("[design] keep", keeps);
  addShapes(inputs, brief, shapes);
}

void addStrengths(Inputs& inputs, const Brief& brief) {
  const auto addStrength = [&](const std::string& table, const Material& material) {
    inputs.add(table + "name", material.name);
    inputs.add(table + "strength", material.strength);
  };
  addStrength("[material] ", brief.material);
  for (const BriefRegion& region : brief.regions)
    addStrength(fmt::format("[{}.{}] ", region.bonded ? "inserts" : "regions", region.name), region.material);
}

/// All that states a requirement but its bound.
std::string keyOf(const Requirement& requirement, const Job& job) {
  const Setup& setup = job.setup;
  const bool limit = !requirement.name.empty();
  std::string key = (limit ? "[limits] " : "[require] ") + keyOf(requirement);
  if (limit && requirement.name != keyOf(requirement))
    key = "[limits] " + requirement.name + ": " + keyOf(requirement);
  const bool moves =
      requirement.kind == Requirement::Kind::displacement || requirement.kind == Requirement::Kind::rotation;
  if (moves) key += " of " + setup.faces[requirement.face].name;
  if (requirement.over) key += " over " + setup.faces[*requirement.over].name;
  if (requirement.along)
    key += fmt::format(" along {:.17g}, {:.17g}, {:.17g}", requirement.along->x(), requirement.along->y(),
                       requirement.along->z());
  for (const std::size_t k : requirement.cases) key += " in " + setup.cases[k].name;
  if (requirement.within)
    key += " within " + job.brief.shapes[job.brief.judgedPlaces[*requirement.within]].name;
  return key;
}

}  // namespace

void Inputs::add(const std::string& key, double value) {
  values_[key] = textOf(value);
}

std::string Inputs::hash() const {
  std::string text = kMethodVersion;
  for (const auto& [key, value] : values_) text += ";" + key + "=" + value;
  return hashOf(text);
}

std::string Inputs::changeSince(const std::map<std::string, std::string>& before) const {
  if (before.empty()) return {};
  std::vector<std::string> changed;
  for (const auto& [key, value] : values_)
    if (const auto found = before.find(key); found == before.end())
      changed.push_back(key + " is new");
    else if (found->second != value)
      changed.push_back(key + " changed");
  for (const auto& [key, value] : before)
    if (!values_.contains(key)) changed.push_back(key + " is gone");
  constexpr std::size_t kTold = 2;
  if (changed.size() <= kTold) return fmt::format("{}", fmt::join(changed, ", "));
  return fmt::format("{}, {} and {} more", changed[0], changed[1], changed.size() - kTold);
}

Inputs inputsOfLayout(const Job& job) {
  const Brief& brief = job.brief;
  Inputs inputs;
  addRegions(inputs, job);
  if (brief.layout) {
    inputs.add("[layout] from", brief.layout->hash);
    inputs.add("[layout] field", brief.layout->field);
    inputs.add("[layout] unit", brief.layout->unit);
  }
  addActing(inputs, job);
  inputs.add("goal", static_cast<int>(brief.goal));
  if (brief.lightest)
    inputs.add("goal", "lightest");
  else
    inputs.add("[target] mass", job.targetMass);
  if (brief.blend) {
    inputs.add("goal stiffness", brief.blend->stiffness);
    inputs.add("goal frequency", brief.blend->frequency);
    inputs.add("goal stress", brief.blend->stress);
  }
  bool stress = brief.blend && brief.blend->stress > 0;
  for (std::size_t r = 0; r < brief.limits.size(); ++r) {
    const BriefLimit& limit = brief.limits[r];
    const std::string key = keyOf(limit, job);
    inputs.add(key, limit.bound);
    if (limit.share > 0) inputs.add(key + " relative", limit.ofBaseline ? -limit.share : limit.share);
    if (!job.corrections.empty()) inputs.add("correction of " + key, job.corrections[r]);
    if (limit.kind == Requirement::Kind::displacement || limit.kind == Requirement::Kind::rotation)
      addFace(inputs, brief, limit.face);
    if (limit.over) addFace(inputs, brief, *limit.over);
    if (limit.within) addShapes(inputs, brief, {brief.shapes[brief.judgedPlaces[*limit.within]].name});
    stress = stress || limit.ofStress();
  }
  if (stress) {
    inputs.add("[proof] exclude_within", brief.exclusion);
    addStrengths(inputs, brief);
  }
  for (const PartTarget& part : job.partTargets) {
    const std::string& name = brief.shapes[part.shape].name;
    inputs.add("[target] mass within " + name, part.most);
    addShapes(inputs, brief, {name});
  }
  addMaking(inputs, brief);
  inputs.add("[optimise] keep_every", brief.keepEvery);
  const std::string start = brief.start ? brief.shapes[*brief.start].name : "";
  inputs.add("[optimise] start", start);
  if (brief.start) addShapes(inputs, brief, {start});
  return inputs;
}

Inputs inputsOfFaces(const Job& job) {
  Inputs inputs;
  for (std::size_t f = 0; f < job.brief.faces.size(); ++f) addFace(inputs, job.brief, f);
  return inputs;
}

Inputs inputsOfSolid(const Job& job) {
  const SolidOptions& solid = job.brief.solid;
  Inputs inputs = inputsOfFaces(job);
  inputs.add("[solid] fill_voids", solid.cleanUp.voidSize);
  inputs.add("[solid] close_gaps", solid.cleanUp.gap);
  inputs.add("[solid] fillet", solid.cleanUp.fillet);
  inputs.add("[solid] deviation", solid.deviation);
  inputs.add("[solid] chord", solid.chord);
  inputs.add("[solid] largest_crumb", solid.largestCrumb ? textOf(*solid.largestCrumb) : "any");
  inputs.add("[solid] threshold", solid.keepVolume ? "of the mass" : textOf(solid.threshold));
  inputs.add("[solid] mass_tolerance", solid.volumeTolerance);
  return inputs;
}

Inputs inputsOfProof(const Job& job) {
  const Brief& brief = job.brief;
  Inputs inputs = inputsOfFaces(job);
  inputs.add("[proof] tetrahedra", brief.tetrahedra);
  inputs.add("[proof] exclude_within", brief.exclusion);
  inputs.add("[proof] frequencies", brief.frequencies);
  inputs.add("[making] tolerance", brief.tolerance);
  for (const std::size_t shape : job.brief.judgedPlaces) {
    inputs.add("judged within " + job.brief.shapes[shape].name, 1);
    addShapes(inputs, job.brief, {job.brief.shapes[shape].name});
  }
  inputs.add("widest wall or gap", brief.widestMeasured());
  std::string measured;  // besides the rules the layout was made by
  for (const BriefRule& each : brief.making)
    if (!each.imposed) measured += nameOf(each.rule) + " " + textOf(each.rule) + "; ";
  inputs.add("[making] rules that are measured only", measured);
  addStrengths(inputs, brief);
  return inputs;
}

Inputs inputsOfVerdict(const Job& job) {
  Inputs inputs;
  inputs.add("[proof] mesh_difference", job.brief.agreement);
  for (const Requirement& requirement : job.brief.judgedBy())
    inputs.add(keyOf(requirement, job), requirement.bound);
  return inputs;
}

Inputs inputsOfBlock(const Job& job, std::optional<std::size_t> baseline) {
  Inputs inputs;
  addRegions(inputs, job);
  addActing(inputs, job);
  const std::string name = baseline ? job.brief.shapes[*baseline].name : "";
  inputs.add("baseline", name);
  if (baseline) addShapes(inputs, job.brief, {name});
  inputs.add(inputsOfProof(job));
  return inputs;
}

}  // namespace barelattice
