#include "barelattice/run/run.hpp"

#include <fmt/format.h>

#include <type_traits>

#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "base/folders.hpp"
#include "base/json_text.hpp"
#include "layout_file.hpp"
#include "record_json.hpp"
#include "stamps.hpp"

namespace barelattice {
namespace {

/// Moves a file that is about to be written out of the way, to a name that nothing has yet. @returns that
/// name, empty if there was no file.
std::string setAside(const std::filesystem::path& file) {
  std::error_code fault;
  if (!std::filesystem::exists(file, fault)) return {};
  std::filesystem::path aside;
  for (int number = 1; aside.empty() || isThere(aside); ++number)
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
  const std::filesystem::path mark = folder / kRunLock;
  if (isThere(mark)) return;
  if (!std::filesystem::is_empty(folder, fault))
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
    : job_(std::move(job)), listener_(std::move(listener)) {
  claimRunFolder(folder);
  std::error_code fault;
  const std::filesystem::path own = std::filesystem::canonical(folder, fault);
  for (const std::filesystem::path& file : job_.brief.files)
    if (const std::string way =
            std::filesystem::weakly_canonical(file, fault).lexically_relative(own).string();
        !way.starts_with(".."))
      throw InputError(fmt::format("{} reads {} from the run folder, which the run would overwrite",
                                   job_.brief.path.string(), file.string()),
                       "copy it beside the brief, or take another run folder with --folder");
  lock_ = std::make_unique<FileLock>(folder / kRunLock);
  removeHalves(folder);
  record_ = readResults(folder);
  dropChanged(record_,
              [](const std::filesystem::path& file) { return " (moved to " + setAside(file) + ")"; });
  for (const std::string& line : record_.notes) note(line);
  record_.notes.clear();
  job_ = settled(std::move(job_), record_);
  noteJob();
}

/// What the record tells of the job.
void JobRun::noteJob() {
  // The motions of faces that nothing acts on are told, but do not decide on the layout.
  if (record_.layout && record_.layout->design && record_.layout->faces != inputsOfFaces(job_).hash())
    for (LayoutCaseRecord& c : record_.layout->design->cases) c.faceDisplacement.clear();
  record_.method = kMethodVersion;
  record_.title = job_.brief.title;
  record_.material = {job_.brief.material.name, false, job_.brief.material.strength};
  record_.masses = {job_.spaceMass, job_.keepMass, job_.targetMass, job_.bondedMass};
  record_.otherMaterials.clear();
  for (const BriefRegion& region : job_.brief.regions)
    record_.otherMaterials[region.name] = {region.material.name, region.bonded, region.material.strength};
  record_.voxels = job_.cellCount();
  record_.voxel = job_.cellSize();
  record_.warnings = job_.warnings;
  record_.thickness.reset();
  if (job_.flat()) record_.thickness = job_.brief.sheet->thickness;
}

void JobRun::tellWhy(const StepStamp* stamp, const char* verb, const Inputs& inputs) const {
  if (!stamp) return;
  const std::string change = inputs.changeSince(stamp->inputs);
  if (!change.empty()) note(fmt::format("{:<9} redone: {}", verb, change));
}

bool JobRun::fits(const StepStamp& stamp, const std::string& fingerprint, const char* file) const {
  return stamp.fingerprint == fingerprint && isThere(folder() / file);
}

void JobRun::forgetLayout() {
  record_.layout.reset();
  forgetSolid();
}

void JobRun::forgetSolid() {
  record_.solid.reset();
  record_.proof.reset();
  record_.proofFailure.reset();
  save();
}

void JobRun::save() {
  forEachStep(record_, [&](const char*, auto& step, const std::vector<std::string>& files) {
    if constexpr (std::is_same_v<std::decay_t<decltype(*step)>, LayoutRecord>)
      if (!step->finished && record_.atWork) return;  // its files go on changing
    for (const std::string& file : files)
      if (!step->stamp.files.contains(file) && isThere(folder() / file))
        step->stamp.files[file] = hashOfFile(folder() / file);
  });
  nlohmann::json results = recordJson(record_);
  results["hash"] = hashOfResults(results);
  writeFile(folder() / "results.json", jsonText(results, 2) + "\n");
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
  return {job_, folder() / "layout.vti"};
}

}  // namespace barelattice
