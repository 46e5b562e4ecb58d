#include "barelattice/run/checkpoint.hpp"

#include <cmath>
#include <fstream>
#include <limits>
#include <nlohmann/json.hpp>
#include <string_view>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "base/json_text.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

/// Visits the state's fields of numbers in the order of the file.
template <class State, class Visit>
void forEachField(State& state, const Visit& visit) {
  for (auto* field : {&state.variables, &state.accepted, &state.appraisal.terms, &state.appraisal.limits,
                      &state.asymptotes.low, &state.asymptotes.high, &state.asymptotes.previous,
                      &state.asymptotes.earlier, &state.gradients.price})
    visit(*field);
  for (auto* gradients : {&state.gradients.goal, &state.gradients.limits})
    for (auto& field : *gradients) visit(field);
  for (auto* states : {&state.states.nominal, &state.states.eroded})
    for (auto& field : states->displacements) visit(field);
  for (auto& field : state.states.adjoints) visit(field);
  for (auto& modes : state.states.nominal.modes) {
    visit(modes.squared);
    for (auto& field : modes.shapes) visit(field);
  }
}

std::string_view bytesOf(const std::vector<double>& field) {
  return {reinterpret_cast<const char*>(field.data()), field.size() * sizeof(double)};
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
  json overBounds = json::array();
  for (const double value : r.overBounds) overBounds.push_back(numberJson(value));
  return {{"iteration", r.iteration},
          {"goal", numberJson(r.goal)},
          {"nominal", numberJson(r.nominal)},
          {"eroded", numberJson(r.eroded)},
          {"values", values},
          {"over_bounds", overBounds},
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
  for (const json& value : r.at("over_bounds")) record.overBounds.push_back(numberFrom(value));
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
std::string hashOfAll(const json& head, const Hasher& fields) {
  return hashOf(jsonText(head) + fields.text());
}

json headOf(const OptimiseState& state, const std::string& fingerprint) {
  json head = {{"fingerprint", fingerprint},
               {"problem", state.problem},
               {"attempt", state.attempt},
               {"sharpenings", state.sharpenings},
               {"progression", progressionJson(state.at)},
               {"ended", state.ended},
               {"mass_fraction", state.massFraction},
               {"least_mass", state.leastMass},
               {"begun", state.begun},
               {"gradients", state.gradients.goal.size()},
               {"limits", state.gradients.limits.size()},
               {"cases", state.states.nominal.displacements.size()},
               {"adjoints", state.states.adjoints.size()},
               {"modes", json::array()},
               {"history", json::array()}};
  for (const ModeStates& modes : state.states.nominal.modes) head["modes"].push_back(modes.shapes.size());
  for (const auto& [name, states] :
       {std::pair{"w_cycles", &state.states.nominal}, {"w_cycles_eroded", &state.states.eroded}})
    for (const Cycle cycle : states->cycles) head[name].push_back(cycle == Cycle::w);
  for (const IterationRecord& r : state.history) head["history"].push_back(recordJson(r));
  return head;
}

/// A state with its fields as large as they are to be.
OptimiseState stateFrom(const json& head) {
  OptimiseState state;
  state.problem = head.at("problem");
  state.attempt = head.at("attempt");
  state.sharpenings = head.at("sharpenings");
  state.ended = head.at("ended");
  state.massFraction = head.at("mass_fraction");
  state.leastMass = head.at("least_mass");
  state.begun = head.at("begun");
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
  state.states.adjoints.resize(head.at("adjoints").get<std::size_t>());
  for (const json& shapes : head.at("modes"))
    state.states.nominal.modes.emplace_back().shapes.resize(shapes.get<std::size_t>());
  std::size_t f = 0;
  forEachField(
      state, [&](std::vector<double>& field) { field.resize(head.at("sizes").at(f++).get<std::size_t>()); });
  return state;
}

/// Whether the numbers a head speaks of are those that follow it: a damaged one could ask for any memory.
bool fitsFile(const json& head, std::uintmax_t left) {
  std::size_t modes = 0;
  for (const json& shapes : head.at("modes")) modes += 1 + shapes.get<std::size_t>();
  const std::size_t counts = modes + head.at("gradients").get<std::size_t>() +
                             head.at("limits").get<std::size_t>() + 2 * head.at("cases").get<std::size_t>() +
                             head.at("adjoints").get<std::size_t>();
  constexpr std::size_t kOthers = 9;
  const json& sizes = head.at("sizes");
  if (sizes.size() != counts + kOthers) return false;
  for (const json& size : sizes) {
    const auto bytes = size.get<std::uintmax_t>();
    if (bytes > left / sizeof(double)) return false;
    left -= bytes * sizeof(double);
  }
  return left == 0;
}

}  // namespace

void writeCheckpoint(const std::filesystem::path& path, const std::string& fingerprint,
                     const OptimiseState& state) {
  json head = headOf(state, fingerprint);
  Hasher hasher;
  std::string text;
  std::vector<std::string_view> pieces{text};
  forEachField(state, [&](const std::vector<double>& field) {
    head["sizes"].push_back(field.size());
    pieces.push_back(bytesOf(field));
    hasher.add(pieces.back());
  });
  head["hash"] = hashOfAll(head, hasher);
  text = jsonText(head) + "\n";
  pieces.front() = text;
  writeFile(path, pieces);
}

std::optional<OptimiseState> readCheckpoint(const std::filesystem::path& path,
                                            const std::string& fingerprint) {
  std::error_code fault;
  const std::uintmax_t size = std::filesystem::file_size(path, fault);
  if (fault || !std::filesystem::is_regular_file(path)) return std::nullopt;
  // Numbers of a large job are read where they belong: no second copy of them is held.
  std::ifstream in(path, std::ios::binary);
  std::string line;
  constexpr std::size_t kMostHead = 100'000'000;
  for (char c = 0; line.size() < kMostHead && in.get(c) && c != '\n';) line += c;
  json head = json::parse(line, nullptr, false);
  if (!in || !head.is_object()) return std::nullopt;
  const json hash = head.value("hash", json());
  head.erase("hash");
  try {
    if (head.at("fingerprint") != fingerprint) return std::nullopt;
    if (!fitsFile(head, size - line.size() - 1)) return std::nullopt;
    OptimiseState state = stateFrom(head);
    Hasher hasher;
    forEachField(state, [&](std::vector<double>& field) {
      in.read(reinterpret_cast<char*>(field.data()),
              static_cast<std::streamsize>(field.size() * sizeof(double)));
      hasher.add(bytesOf(field));
    });
    if (!in || hash != hashOfAll(head, hasher)) return std::nullopt;
    return state;
  } catch (const json::exception&) {
    return std::nullopt;
  }
}

}  // namespace barelattice
