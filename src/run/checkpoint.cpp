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
      &state.variables,      &state.accepted,        &state.compliances,         &state.massGradient,
      &state.asymptotes.low, &state.asymptotes.high, &state.asymptotes.previous, &state.asymptotes.earlier};
  for (std::vector<double>& g : state.gradients) fields.push_back(&g);
  for (CaseStates* states : {&state.nominal, &state.eroded})
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

json recordJson(const IterationRecord& r) {
  // What is infinite, the goal of a layout that did not hold, JSON has no number for.
  const auto number = [](double v) { return std::isfinite(v) ? json(v) : json(nullptr); };
  return {r.iteration,        number(r.goal), number(r.compliance), number(r.eroded), r.massFraction,
          r.change,           r.grey,         r.sharpness,          r.erosion,        r.takenBack,
          r.solverIterations, r.seconds,      r.solveSeconds,       r.strengthened};
}

IterationRecord recordFrom(const json& r) {
  const auto number = [&](std::size_t i) {
    return r.at(i).is_null() ? std::numeric_limits<double>::infinity() : r.at(i).get<double>();
  };
  return {r.at(0), number(1), number(2), number(3), r.at(4),  r.at(5),  r.at(6),
          r.at(7), r.at(8),   r.at(9),   r.at(10),  r.at(11), r.at(12), r.at(13)};
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
               {"gradients", copy.gradients.size()},
               {"cases", copy.nominal.displacements.size()}};
  for (const auto& [name, states] : {std::pair{"w_cycles", &copy.nominal}, {"w_cycles_eroded", &copy.eroded}})
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
         {std::pair{"w_cycles", &state.nominal}, {"w_cycles_eroded", &state.eroded}})
      for (const json& w : head.at(name)) states->cycles.push_back(w.get<bool>() ? Cycle::w : Cycle::v);
    state.gradients.resize(head.at("gradients").get<std::size_t>());
    for (CaseStates* states : {&state.nominal, &state.eroded}) {
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
