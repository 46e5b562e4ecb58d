#include "stamps.hpp"

#include <fmt/format.h>

#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "base/folders.hpp"
#include "record_json.hpp"
#include "steps/figures.hpp"

namespace barelattice {

using nlohmann::json;

std::string layoutFingerprint(const Job& job) {
  return inputsOfLayout(job).hash();
}

std::string choiceFingerprint(const Job& job) {
  std::string ways;
  for (const MakingRule& way : openRule(job).ways) ways += textOf(way) + "; ";
  return hashOf(layoutFingerprint(job) + ways);
}

std::string roundsFingerprint(const Job& job) {
  Job first = job;
  first.corrections.clear();
  Inputs inputs = inputsOfSolid(job);
  inputs.add(inputsOfProof(job));
  inputs.add("[proof] mesh_difference", job.brief.agreement);
  inputs.add("[optimise] rounds", job.brief.rounds);
  return hashOf(layoutFingerprint(first) + inputs.hash());
}

bool hasRelativeBounds(const Job& job) {
  return std::any_of(job.brief.limits.begin(), job.brief.limits.end(),
                     [](const BriefLimit& limit) { return limit.share > 0; });
}

std::string boundsFingerprint(const Job& job) {
  Job open = job;
  open.corrections.clear();
  for (BriefLimit& limit : open.brief.limits)
    if (limit.share > 0) limit.bound = 0;
  return hashOf(layoutFingerprint(open) + inputsOfBlock(open, open.brief.baseline).hash());
}

Job settled(Job job, const RunRecord& record) {
  if (hasRelativeBounds(job) && record.bounds && record.bounds->fingerprint == boundsFingerprint(job))
    job = withBounds(std::move(job), record.bounds->values);
  if (job.open && record.choice && record.choice->fingerprint == choiceFingerprint(job))
    return settledOn(job, record.choice->taken);
  job.corrections.clear();
  if (job.brief.inRounds() && record.rounds && record.rounds->fingerprint == roundsFingerprint(job))
    job.corrections = record.rounds->corrections;
  return job;
}

std::string solidFingerprint(const Job& job, const RunRecord& record) {
  const bool designed = record.layout && record.layout->design;
  const std::string done = designed ? std::to_string(record.layout->design->iterations) : "";
  return hashOf(layoutFingerprint(job) + done + inputsOfSolid(job).hash());
}

std::string proofFingerprint(const Job& job, const std::string& before) {
  return hashOf(before + inputsOfProof(job).hash());
}

bool layoutFits(const Job& job, const RunRecord& record) {
  if (!record.layout || record.layout->stamp.fingerprint != layoutFingerprint(job) ||
      !isThere(record.folder / "layout.vti"))
    return false;
  if (!record.layout->design) return true;
  if (job.brief.inRounds() && record.layout->settled) return true;  // its iterations are those of all rounds
  const auto done = static_cast<int>(record.layout->design->iterations);
  const int most = job.brief.iterations;
  return record.layout->stop == describe(OptimiseStop::iterationLimit) ? done == most
                                                                       : most == 0 || done <= most;
}

std::string judgeAnew(const Job& job, BodyRecord& body) {
  const Inputs wanted = inputsOfVerdict(job);
  if (body.required == wanted.values()) return {};
  std::string change = wanted.changeSince(body.required);
  judgeBody(body, job.setup, job.brief.judgedBy(), job.brief.agreement);
  body.required = wanted.values();
  return change;
}

RunRecord readResults(const std::filesystem::path& folder) {
  RunRecord empty;
  empty.folder = folder;
  const std::filesystem::path file = folder / "results.json";
  if (!isThere(file)) return empty;
  const json results = json::parse(readFile(file), nullptr, false);
  try {
    if (!results.is_object()) {
      empty.notes.emplace_back("results.json is damaged: nothing of it is used");
    } else if (results.value("method", json()) != kMethodVersion) {
      empty.notes.emplace_back("the results are those of another version: none of them is used");
    } else if (results.value("hash", json()) != hashOfResults(results)) {
      empty.notes.emplace_back("results.json was changed since it was written: nothing of it is used");
    } else {
      RunRecord record = recordFrom(results);
      record.folder = folder;
      return record;
    }
  } catch (const json::exception&) {
    empty.notes.emplace_back("results.json holds what this version did not write: nothing of it is used");
  }
  return empty;
}

void dropChanged(RunRecord& record,
                 const std::function<std::string(const std::filesystem::path&)>& onChanged) {
  forEachStep(record, [&](const char* name, auto& step, const std::vector<std::string>& files) {
    for (const std::string& file : files) {
      if (!step) return;
      const auto hash = step->stamp.files.find(file);
      if (hash == step->stamp.files.end()) continue;
      const std::filesystem::path path = record.folder / file;
      const bool there = isFile(path);
      if (there && hashOfFile(path) == hash->second) continue;
      const bool exists = isThere(path);
      record.notes.push_back(
          fmt::format("{} {}: the results of '{}' are not used", file,
                      exists ? "is not as the run wrote it" + onChanged(path) : "is missing", name));
      step.reset();
    }
  });
}

RunRecord readRun(const std::filesystem::path& folder) {
  if (!isFolder(folder))
    throw InputError("there is no run folder " + folder.string(), "do a step first, or name another folder");
  const bool atWork = FileLock::isHeld(folder / kRunLock);
  RunRecord record = readResults(folder);
  record.atWork = atWork;
  // A run at work may be between writing a file and telling of it.
  if (!atWork) dropChanged(record, [](const std::filesystem::path&) { return std::string(); });
  return record;
}

RunRecord fitting(RunRecord record, const Job& job) {
  const bool laidOut = !record.layout || layoutFits(job, record);
  const std::string ofSolid = laidOut ? solidFingerprint(job, record) : "of another layout";
  const std::string ofProof = proofFingerprint(job, ofSolid);
  const auto wanted = [&](const std::string& step) -> std::string {
    if (step == "optimise") return laidOut ? layoutFingerprint(job) : "of other iterations";
    if (step == "solid") return {ofSolid};
    if (step == "proof") return {ofProof};
    if (step == "block") return inputsOfBlock(job).hash();
    if (step == "baseline")
      return job.brief.baseline ? inputsOfBlock(job, job.brief.baseline).hash() : "none";
    return proofFingerprint(job, layoutFingerprint(job) + record.outside->fileHash.value_or(""));
  };
  forEachStep(record, [&](const char* name, auto& step, const std::vector<std::string>&) {
    if (step->stamp.fingerprint == wanted(name)) return;
    step.reset();
    record.leftOut.emplace_back(name);
  });
  if (record.proofFailure && record.proofFailure->fingerprint != ofProof) {
    record.proofFailure.reset();
    record.leftOut.emplace_back("proof_failure");
  }
  // The motions of faces that nothing acts on are told, but do not decide on the layout.
  if (record.layout && record.layout->design && record.layout->faces != inputsOfFaces(job).hash())
    for (LayoutCaseRecord& c : record.layout->design->cases) c.faceDisplacement.clear();
  for (auto* body : {&record.proof, &record.block, &record.baseline, &record.outside}) try {
      if (*body) judgeAnew(job, **body);
    } catch (const RunError& error) {  // what is required now cannot be judged on it
      record.notes.emplace_back(error.what());
      body->reset();
    }
  return record;
}

std::string leftOutText(const RunRecord& record) {
  std::string steps;
  for (const std::string& step : record.leftOut)
    if (step != "proof_failure") steps += (steps.empty() ? "" : ", ") + step;
  if (steps.empty()) return {};
  return "the folder holds results of another state of the brief, or of another grid (--quick); they are not "
         "shown "
         "here: " +
         steps;
}

std::optional<bool> proven(const std::optional<BodyRecord>& body) {
  if (!body) return std::nullopt;
  if (body->verdict == describe(Verdict::met)) return true;
  if (body->verdict == describe(Verdict::notMet) || body->verdict == describe(Verdict::inconclusive))
    return false;
  return std::nullopt;
}

}  // namespace barelattice
