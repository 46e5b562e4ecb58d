#include "barelattice/run/checkpoint.hpp"

#include <cstring>
#include <nlohmann/json.hpp>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/json_text.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

/// The state's fields of numbers, in the order of the file.
std::vector<std::vector<double>*> fieldsOf(OptimiseState& state) {
  std::vector<std::vector<double>*> fields{&state.variables, &state.asymptotes.low, &state.asymptotes.high,
                                           &state.asymptotes.previous, &state.asymptotes.earlier};
  for (std::vector<double>& u : state.displacements) fields.push_back(&u);
  return fields;
}

json recordJson(const IterationRecord& r) {
  return {r.iteration,        r.compliance, r.massFraction, r.change,      r.sharpness,
          r.solverIterations, r.seconds,    r.solveSeconds, r.strengthened};
}

IterationRecord recordFrom(const json& r) {
  return {r.at(0), r.at(1), r.at(2), r.at(3), r.at(4), r.at(5), r.at(6), r.at(7), r.at(8)};
}

}  // namespace

void writeCheckpoint(const std::filesystem::path& path, const std::string& fingerprint,
                     const OptimiseState& state) {
  OptimiseState copy = state;
  json head = {{"fingerprint", fingerprint},
               {"stage", copy.stage},
               {"in_stage", copy.inStage},
               {"cases", copy.displacements.size()}};
  for (const Cycle cycle : copy.cycles) head["w_cycles"].push_back(cycle == Cycle::w);
  for (const IterationRecord& r : copy.history) head["history"].push_back(recordJson(r));
  std::string bytes;
  for (const std::vector<double>* field : fieldsOf(copy)) {
    head["sizes"].push_back(field->size());
    bytes.append(reinterpret_cast<const char*>(field->data()), field->size() * sizeof(double));
  }
  writeFile(path, jsonText(head) + "\n" + bytes);
}

std::optional<OptimiseState> readCheckpoint(const std::filesystem::path& path,
                                            const std::string& fingerprint) {
  if (!std::filesystem::exists(path)) return std::nullopt;
  const std::string text = readFile(path);
  const std::size_t end = text.find('\n');
  const json head = json::parse(text.substr(0, end), nullptr, false);
  if (end == std::string::npos || !head.is_object() || head.value("fingerprint", "") != fingerprint)
    return std::nullopt;
  try {
    OptimiseState state;
    state.stage = head.at("stage");
    state.inStage = head.at("in_stage");
    for (const json& r : head.at("history")) state.history.push_back(recordFrom(r));
    for (const json& w : head.at("w_cycles")) state.cycles.push_back(w.get<bool>() ? Cycle::w : Cycle::v);
    state.displacements.resize(head.at("cases").get<std::size_t>());
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
