#include "barelattice/run/run.hpp"

#include <fmt/format.h>

#include <array>
#include <string_view>

#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/base/json_text.hpp"
#include "barelattice/base/quantity.hpp"
#include "inputs.hpp"
#include "layout_file.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

constexpr double kMm = kMillimetresPerMetre;
constexpr double kMPa = 1e-6;

/// The file by which a folder is known as one of a run; runs lock it too.
constexpr const char* kMark = "run.lock";

struct FileOfStep {
  const char* step;
  const char* name;
};
/// The files that later steps and pages read. results.json holds a hash of each: what was damaged, or changed
/// by somebody else, is not taken for a result.
constexpr std::array kFiles{FileOfStep{"optimise", "layout.vti"}, FileOfStep{"optimise", "history.csv"},
                            FileOfStep{"solid", "solid.stl"},     FileOfStep{"proof", "proof.vtu"},
                            FileOfStep{"block", "block.vtu"},     FileOfStep{"baseline", "baseline.vtu"},
                            FileOfStep{"outside", "outside.vtu"}};

/// Of results without the hash they carry; the order and spacing of the text do not matter.
std::string hashOfResults(json results) {
  results.erase("hash");
  return hashOf(jsonText(results));
}

/// Moves a file that is about to be written out of the way, to a name that nothing has yet. @returns that
/// name, empty if there was no file.
std::string setAside(const std::filesystem::path& file) {
  std::error_code fault;
  if (!std::filesystem::exists(file, fault)) return {};
  std::filesystem::path aside;
  for (int number = 1; aside.empty() || std::filesystem::exists(aside); ++number)
    aside = file.parent_path() / (file.stem().string() + ".changed" +
                                  (number > 1 ? fmt::format("-{}", number) : "") + file.extension().string());
  std::filesystem::rename(file, aside, fault);
  if (fault) throw RunError("cannot move " + file.string() + ": " + fault.message());
  return aside.filename().string();
}

}  // namespace

std::filesystem::path defaultRunFolder(const std::filesystem::path& brief) {
  std::filesystem::path folder = brief;
  return folder.replace_extension(".run");
}

void claimRunFolder(const std::filesystem::path& folder) {
  std::error_code fault;
  std::filesystem::create_directories(folder, fault);
  if (fault || !std::filesystem::is_directory(folder))
    throw RunError(fmt::format("cannot make the run folder {}: {}", folder.string(),
                               fault ? fault.message() : "there is a file of that name"));
  const std::filesystem::path mark = folder / kMark;
  if (std::filesystem::exists(mark)) return;
  if (!std::filesystem::is_empty(folder))
    throw InputError(
        fmt::format("the folder {} holds other files and is no run folder", folder.string()),
        "a run writes and removes files by names of its own: give it a folder of its own, e.g. --folder " +
            (folder / "run").lexically_normal().string());
  writeFile(mark, "");
}

/// Removes what a process that was ended left of files it was about to write.
void removeHalves(const std::filesystem::path& folder) {
  std::error_code ignored;
  for (const auto& entry : std::filesystem::directory_iterator(folder, ignored))
    if (entry.path().extension() == ".part") std::filesystem::remove(entry.path(), ignored);
}

JobRun::JobRun(Job job, std::filesystem::path folder, RunListener listener)
    : job_(std::move(job)), folder_(std::move(folder)), listener_(std::move(listener)) {
  claimRunFolder(folder_);
  const std::filesystem::path own = std::filesystem::canonical(folder_);
  for (const std::filesystem::path& file : job_.brief.files)
    if (const std::string way = std::filesystem::weakly_canonical(file).lexically_relative(own).string();
        !way.starts_with(".."))
      throw InputError(fmt::format("{} reads {} from the run folder, which the run would overwrite",
                                   job_.brief.path.string(), file.string()),
                       "copy it beside the brief, or take another run folder with --folder");
  lock_ = std::make_unique<FileLock>(folder_ / kMark);
  removeHalves(folder_);
  const std::filesystem::path file = folder_ / "results.json";
  if (std::filesystem::exists(file)) {
    results_ = json::parse(readFile(file), nullptr, false);
    if (!results_.is_object()) {
      note("results.json is damaged: starting over");
      results_ = json::object();
    } else if (results_.value("method", json()) != kMethodVersion) {
      note("the results are those of another version: none of them is used");
      results_ = json::object();
    } else if (results_.value("hash", json()) != hashOfResults(results_)) {
      note("results.json was changed since it was written: starting over");
      results_ = json::object();
    }
  }
  dropChanged();
  // The motions of faces that nothing acts on are told, but do not decide on the layout.
  if (results_.contains("optimise") && results_["optimise"].is_object() &&
      results_["optimise"].contains("cases") &&
      results_["optimise"].value("faces", "") != inputsOfFaces(job_).hash())
    for (json& c : results_["optimise"]["cases"])
      if (c.is_object()) c["face_displacement_mm"] = json::object();
  results_["method"] = kMethodVersion;
  results_["title"] = job_.brief.title;
  results_["material"] = {{"name", job_.brief.material.name},
                          {"strength_MPa", job_.brief.material.strength * kMPa}};
  results_["masses_kg"] = {{"space", job_.spaceMass},
                           {"keep", job_.keepMass},
                           {"target", job_.targetMass},
                           {"bonded", job_.bondedMass}};
  for (const BriefRegion& region : job_.brief.regions)
    results_["other_materials"][region.name] = {{"name", region.material.name},
                                                {"bonded", region.bonded},
                                                {"strength_MPa", region.material.strength * kMPa}};
  results_["voxels"] = job_.cellCount();
  results_["voxel_mm"] = job_.cellSize() * kMm;
  results_["warnings"] = job_.warnings;
  if (job_.flat()) results_["thickness_mm"] = job_.brief.sheet->thickness * kMm;
}

std::string JobRun::layoutFingerprint() const {
  return inputsOfLayout(job_).hash();
}
std::string JobRun::solidFingerprint() const {
  // A layout goes on where more iterations are wished for.
  const json done = results_.contains("optimise") ? results_["optimise"].value("iterations", json()) : json();
  return hashOf(layoutFingerprint() + done.dump() + inputsOfSolid(job_).hash());
}
std::string JobRun::proofFingerprint(const std::string& before) const {
  return hashOf(before + inputsOfProof(job_).hash());
}

bool JobRun::layoutFits() const {
  if (!fits("optimise", layoutFingerprint(), "layout.vti")) return false;
  const json& own = results_["optimise"];
  if (own.contains("imported")) return true;
  const int done = own.value("iterations", 0);
  const int most = job_.brief.iterations;
  return own.value("stop", "") == describe(OptimiseStop::iterationLimit) ? done == most
                                                                         : most == 0 || done <= most;
}

void JobRun::tellWhy(const char* step, const char* verb, const Inputs& inputs) const {
  if (!results_.contains(step) || !results_[step].is_object()) return;
  const std::string change = inputs.changeSince(results_[step].value("inputs", json()));
  if (!change.empty()) note(fmt::format("{:<9} redone: {}", verb, change));
}

json JobRun::current() const {
  json current = results_;
  current.erase("hash");
  const bool laidOut = !results_.contains("optimise") || layoutFits();
  const std::string ofSolid = laidOut ? solidFingerprint() : "of another layout";
  const std::string ofProof = proofFingerprint(ofSolid);
  const auto keep = [&](const char* step, const std::string& fingerprint) {
    if (!current.contains(step)) return;
    const json& own = current[step];
    if (own.is_object() && own.value("fingerprint", "") == fingerprint) return;
    current.erase(step);
    current["left_out"].push_back(step);
  };
  keep("optimise", laidOut ? layoutFingerprint() : "of other iterations");
  keep("solid", ofSolid);
  keep("proof", ofProof);
  keep("proof_failure", ofProof);
  keep("block", inputsOfBlock(job_).hash());
  keep("baseline", job_.brief.baseline.empty() ? "none" : inputsOfBlock(job_, job_.brief.baseline).hash());
  if (current.contains("outside") && current["outside"].is_object())
    keep("outside", proofFingerprint(layoutFingerprint() + current["outside"].value("file_hash", "")));
  return current;
}

std::string JobRun::leftOut() const {
  std::string steps;
  for (const json& step : current().value("left_out", json::array()))
    if (step != "proof_failure") steps += (steps.empty() ? "" : ", ") + step.get<std::string>();
  if (steps.empty()) return {};
  return "the folder holds results of another state of the brief, or of another grid (--quick); they are not "
         "shown "
         "here: " +
         steps;
}

bool JobRun::fits(const char* step, const std::string& fingerprint, const char* file) const {
  return results_.contains(step) && results_[step].is_object() &&
         results_[step].value("fingerprint", "") == fingerprint && std::filesystem::exists(folder_ / file);
}

void JobRun::forget(const std::vector<const char*>& steps) {
  for (const char* step : steps) {
    results_.erase(step);
    if (step == std::string_view("proof")) results_.erase("proof_failure");
  }
  save();
}

void JobRun::dropChanged() {
  for (const FileOfStep& file : kFiles) {
    if (!results_.contains(file.step)) continue;
    const json hashes = results_[file.step].value("files", json::object());
    if (!hashes.contains(file.name)) continue;
    const std::filesystem::path path = folder_ / file.name;
    const bool there = std::filesystem::is_regular_file(path);
    if (there && hashOfFile(path) == hashes[file.name]) continue;
    const std::string aside = setAside(path);
    note(fmt::format("{} {}: the results of '{}' are not used", file.name,
                     aside.empty() ? "is missing" : "is not as the run wrote it (moved to " + aside + ")",
                     file.step));
    results_.erase(file.step);
  }
}

void JobRun::save() {
  for (const FileOfStep& file : kFiles) {
    if (!results_.contains(file.step)) continue;
    json& hashes = results_[file.step]["files"];
    const std::filesystem::path path = folder_ / file.name;
    if (!hashes.contains(file.name) && std::filesystem::exists(path)) hashes[file.name] = hashOfFile(path);
  }
  results_["hash"] = hashOfResults(results_);
  writeFile(folder_ / "results.json", jsonText(results_, 2) + "\n");
}

void JobRun::note(const std::string& line) const {
  if (listener_.note) listener_.note(line);
}

bool JobRun::stopAsked() const {
  return listener_.stopRequested && listener_.stopRequested();
}

ProgressCallback JobRun::progress() const {
  return [this](const Progress& p) {
    if (listener_.progress) listener_.progress(p);
    return !stopAsked();
  };
}

LayoutFile JobRun::layoutFile() const {
  return {job_, folder_ / "layout.vti"};
}

bool JobRun::settled() const {
  return !results_.contains("optimise") || results_["optimise"].value("settled", true);
}

std::optional<bool> JobRun::proven(const std::string& body) const {
  if (!results_.contains(body)) return std::nullopt;
  const std::string verdict = results_[body].value("verdict", "");
  if (verdict == describe(Verdict::met)) return true;
  if (verdict == describe(Verdict::notMet) || verdict == describe(Verdict::inconclusive)) return false;
  return std::nullopt;
}

}  // namespace barelattice
