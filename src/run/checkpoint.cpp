#include "barelattice/run/checkpoint.hpp"

#include <cmath>
#include <cstring>
#include <limits>
#include <nlohmann/json.hpp>
#include <string_view>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/base/json_text.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

/// The state's fields of numbers, in the order of the file.
std::vector<std::vector<double>*> fieldsOf(OptimiseState& state) {
  std::vector<std::vector<double>*> fields{
      &state.variables,      &state.accepted,        &state.appraisal.terms,     &state.appraisal.limits,
      &state.asymptotes.low, &state.asymptotes.high, &state.asymptotes.previous, &state.asymptotes.earlier};
  for (auto* gradients : {&state.gradients.goal, &state.gradients.limits})
    for (std::vector<double>& g : *gradients) fields.push_back(&g);
  for (CaseStates* states : {&state.states.nominal, &state.states.eroded})
    for (std::vector<double>& u : states->displacements) fields.push_back(&u);
  return fields;
}

json progressionJson(const Progression& at) {
  return {at.place, at.ahead, at.stride,  at.pace,    at.goal,
          at.goals, at.owns,  at.changes, at.blocked, at.sinceBlocked};
}

Progression progressionFrom(const json& at) {
  return {at.at(0), at.at(1), at.at(2), at.at(3), at.at(4), at.at(5), at.at(6), at.at(7), at.at(8), at.at(9)};
}

/// What is infinite, the goal of a layout that did not hold, JSON has no number for.
json numberJson(double value) {
  return std::isfinite(value) ? json(value) : json(nullptr);
}
double numberFrom(const json& value) {
  return value.is_null() ? std::numeric_limits<double>::infinity() : value.get<double>();
}

json recordJson(const IterationRecord& r) {
  json values = json::array();
  for (const double value : r.values) values.push_back(numberJson(value));
  return {{"iteration", r.iteration},
          {"goal", numberJson(r.goal)},
          {"nominal", numberJson(r.nominal)},
          {"eroded", numberJson(r.eroded)},
          {"values", values},
          {"mass_fraction", r.massFraction},
          {"change", r.change},
          {"grey", r.grey},
          {"sharpness", r.sharpness},
          {"erosion", r.erosion},
          {"taken_back", r.takenBack},
          {"solver_iterations", r.solverIterations},
          {"seconds", r.seconds},
          {"solve_seconds", r.solveSeconds},
          {"strengthened", r.strengthened}};
}

IterationRecord recordFrom(const json& r) {
  IterationRecord record;
  record.iteration = r.at("iteration");
  record.goal = numberFrom(r.at("goal"));
  record.nominal = numberFrom(r.at("nominal"));
  record.eroded = numberFrom(r.at("eroded"));
  for (const json& value : r.at("values")) record.values.push_back(numberFrom(value));
  record.massFraction = r.at("mass_fraction");
  record.change = r.at("change");
  record.grey = r.at("grey");
  record.sharpness = r.at("sharpness");
  record.erosion = r.at("erosion");
  record.takenBack = r.at("taken_back");
  record.solverIterations = r.at("solver_iterations");
  record.seconds = r.at("seconds");
  record.solveSeconds = r.at("solve_seconds");
  record.strengthened = r.at("strengthened");
  return record;
}

/// Of a checkpoint without the hash it carries.
std::string hashOfAll(const json& head, std::string_view bytes) {
  return hashOf(jsonText(head) + hashOf(bytes));
}

}  // namespace

void writeCheckpoint(const std::filesystem::path& path, const std::string& fingerprint,
                     const OptimiseState& state) {
  OptimiseState copy = state;
  json head = {{"fingerprint", fingerprint},
               {"attempt", copy.attempt},
               {"sharpenings", copy.sharpenings},
               {"progression", progressionJson(copy.at)},
               {"ended", copy.ended},
               {"gradients", copy.gradients.goal.size()},
               {"limits", copy.gradients.limits.size()},
               {"cases", copy.states.nominal.displacements.size()}};
  for (const auto& [name, states] :
       {std::pair{"w_cycles", &copy.states.nominal}, {"w_cycles_eroded", &copy.states.eroded}})
    for (const Cycle cycle : states->cycles) head[name].push_back(cycle == Cycle::w);
  for (const IterationRecord& r : copy.history) head["history"].push_back(recordJson(r));
  std::string bytes;
  for (const std::vector<double>* field : fieldsOf(copy)) {
    head["sizes"].push_back(field->size());
    bytes.append(reinterpret_cast<const char*>(field->data()), field->size() * sizeof(double));
  }
  head["hash"] = hashOfAll(head, bytes);
  writeFile(path, jsonText(head) + "\n" + bytes);
}

std::optional<OptimiseState> readCheckpoint(const std::filesystem::path& path,
                                            const std::string& fingerprint) {
  if (!std::filesystem::exists(path)) return std::nullopt;
  const std::string text = readFile(path);
  const std::size_t end = text.find('\n');
  json head = json::parse(text.substr(0, end), nullptr, false);
  if (end == std::string::npos || !head.is_object() || head.value("fingerprint", "") != fingerprint)
    return std::nullopt;
  const json hash = head.value("hash", json());
  head.erase("hash");
  if (hash != hashOfAll(head, std::string_view(text).substr(end + 1))) return std::nullopt;
  try {
    OptimiseState state;
    state.attempt = head.at("attempt");
    state.sharpenings = head.at("sharpenings");
    state.ended = head.at("ended");
    state.at = progressionFrom(head.at("progression"));
    for (const json& r : head.at("history")) state.history.push_back(recordFrom(r));
    for (const auto& [name, states] :
         {std::pair{"w_cycles", &state.states.nominal}, {"w_cycles_eroded", &state.states.eroded}})
      for (const json& w : head.at(name)) states->cycles.push_back(w.get<bool>() ? Cycle::w : Cycle::v);
    state.gradients.goal.resize(head.at("gradients").get<std::size_t>());
    state.gradients.limits.resize(head.at("limits").get<std::size_t>());
    for (CaseStates* states : {&state.states.nominal, &state.states.eroded}) {
      states->displacements.resize(head.at("cases").get<std::size_t>());
      states->compliances.resize(states->displacements.size());
      states->reports.resize(states->displacements.size());
    }
    std::size_t at = end + 1;
    const auto fields = fieldsOf(state);
    for (std::size_t f = 0; f < fields.size(); ++f) {
      const auto size = head.at("sizes").at(f).get<std::size_t>();
      if (text.size() - at < size * sizeof(double)) return std::nullopt;
      fields[f]->resize(size);
      if (size) std::memcpy(fields[f]->data(), text.data() + at, size * sizeof(double));
      at += size * sizeof(double);
    }
    if (at != text.size()) return std::nullopt;
    return state;
  } catch (const json::exception&) {
    return std::nullopt;
  }
}

}  // namespace barelattice
