#include "defaults.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "barelattice/base/quantity.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

std::string materialText(const Material& m) {
  return fmt::format("{:.4g} GPa, Poisson's ratio {:.3g}, {:.4g} kg/m3, strength {:.4g} MPa",
                     m.modulus * 1e-9, m.poisson, m.density, m.strength * 1e-6);
}

}  // namespace

std::vector<std::string> defaultsTaken(const toml::table& document, const Brief& brief) {
  std::vector<std::string> taken;
  const auto given = [&](const char* table, const char* key) {
    return static_cast<bool>(document[table][key]);
  };
  const auto open = [&](const char* table, const char* key, const std::string& sentence) {
    if (!given(table, key)) taken.push_back(fmt::format("[{}] {}{}", table, key, sentence));
  };
  if (given("material", "use"))
    taken.push_back("[material] " + brief.material.name + ": " + materialText(brief.material));
  if (brief.sheet) open("sheet", "state", " = \"plane stress\": free to get thinner");
  if (brief.designs && !document.contains("goal") && brief.cases.size() > 1 && !brief.layout)
    taken.emplace_back("goal = \"stiffest\": the least weighted sum of the cases' compliances");
  const toml::table* cases = document["cases"].as_table();
  const auto anyWithout = [&](const char* key) {
    return cases && std::any_of(cases->begin(), cases->end(),
                                [&](const auto& c) { return !toml::node_view(c.second)[key]; });
  };
  if (brief.cases.size() > 1 && anyWithout("weight"))
    taken.emplace_back("[cases] weight = 1 where a case names none");
  if (brief.supports.size() > 1 && anyWithout("supports"))
    taken.emplace_back("[cases] supports: all of them act where a case names none");
  if (brief.designs && !brief.layout) {
    open("making", "boundary",
         " = \"empty\": material keeps off the walls of the space, away from its faces");
    if (!brief.start) open("optimise", "start", ": a uniform density");
    if (brief.inRounds())
      open("optimise", "rounds",
           fmt::format(" = {}: how often at most it is designed again as the proof corrects it",
                       brief.rounds));
  }
  if (!brief.designs) {
    taken.emplace_back("[target] and [making] are not there: nothing is designed, parts are analysed");
    if (!brief.sheet) open("proof", "frequencies", fmt::format(" = {}", brief.frequencies));
  }
  if (brief.requirements.empty() && brief.limits.empty() && !brief.target.limit)
    taken.emplace_back("[require] is not there: nothing is judged");
  open("proof", "tetrahedra", fmt::format(" = {}", brief.tetrahedra));
  if (!brief.designs) return taken;
  const SolidOptions& solid = brief.solid;
  if (!given("solid", "fill_voids"))
    taken.push_back(fmt::format("[solid] fill_voids = \"{:.4g} mm\": smaller enclosed voids are filled",
                                solid.cleanUp.voidSize * kMm));
  open("solid", "largest_crumb", ": all loose pieces are dropped");
  if (solid.keepVolume) open("solid", "mass_tolerance", fmt::format(" = {:.3g}", solid.volumeTolerance));
  open("proof", "exclude_within",
       fmt::format(" = \"{:.4g} mm\": stress closer than this to a support or load is told apart",
                   brief.exclusion * kMm));
  return taken;
}

}  // namespace barelattice
