/// @file
/// The steps of a job and the folder they leave their results in.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "barelattice/base/api.hpp"
#include "barelattice/base/file_lock.hpp"
#include "barelattice/prepare/job.hpp"
#include "barelattice/run/records.hpp"
#include "barelattice/steps/steps.hpp"

namespace barelattice BARELATTICE_API {

class Inputs;
class LayoutFile;

/// Whom a run tells what it does. All may be empty.
struct RunListener {
  std::function<void(const std::string& line)> note;      ///< one finished line for people
  std::function<void(const IterationRecord&)> iteration;  ///< after each design iteration
  std::function<void(const Progress&)> progress;          ///< within a step
  std::function<bool()> stopRequested;                    ///< asked often; true ends the step at a safe point
};

/// Makes the folder for a run and marks it as one.
/// @throws InputError if it holds files that no run has left there: they might be overwritten or removed.
/// @throws RunError if it cannot be made.
void claimRunFolder(const std::filesystem::path& folder);

/// The file by which a folder is known as one of a run; a run holds a lock on it while it is at work.
inline constexpr const char* kRunLock = "run.lock";

/// What of a record belongs to a job as it is now; the other steps are listed as left out. Bodies are judged
/// by what the job requires now.
RunRecord fitting(RunRecord record, const Job& job);

/// An open job settled on the way a run has found best, if it has; else the job as it is.
Job settled(Job job, const RunRecord& record);

/// A sentence on what was left out; empty if it is nothing.
std::string leftOutText(const RunRecord& record);

/// The run folder of a brief: `name.run` beside `name.toml`.
std::filesystem::path defaultRunFolder(const std::filesystem::path& brief);

/// One job in its run folder. Each step first does the steps before it that are missing or no longer fit the
/// brief, and reuses the others; `results.json` says what fits through a fingerprint of everything a step
/// depends on. The files are described in docs/run-folder.md.
class JobRun {
 public:
  /// Creates the folder if need be.
  /// @throws InputError if it is no run folder, or holds a file the brief reads, which the run would
  /// overwrite.
  /// @throws RunError if it cannot be made or written to, or another run is at work in it.
  JobRun(Job job, std::filesystem::path folder, RunListener listener = {});

  /// Finds the layout, or takes over the one the brief names.
  /// @param fresh do the step again even if its result fits.
  void optimise(bool fresh = false);
  void solid(bool fresh = false);
  void proof(bool fresh = false);
  /// The full block, and the baseline if there is one, under every case.
  void analyse(bool fresh = false);
  /// A solid from outside under the same brief: a STEP file of one solid, or a closed STL, 3MF, OBJ or PLY in
  /// millimetres, in the brief's coordinates or those of the run's own files (see originOfFiles). Leaves the
  /// layout and its solid alone.
  void proofOf(const std::filesystem::path& file, bool fresh = false);

  const Job& job() const { return job_; }
  const std::filesystem::path& folder() const { return record_.folder; }
  /// All the folder holds, whatever state of the brief it belongs to.
  const RunRecord& record() const { return record_; }
  /// What of it belongs to the job, see `fitting`.
  RunRecord current() const { return fitting(record_, job_); }

 private:
  bool fits(const StepStamp& stamp, const std::string& fingerprint, const char* file) const;
  void forgetLayout();
  void forgetSolid();
  /// Writes results.json, and notes hashes of files that are new in it.
  void save();
  void note(const std::string& line) const;
  ProgressCallback progress() const;
  bool stopAsked() const;
  /// Says what of the inputs of a step is not as it was when it was done last.
  void tellWhy(const StepStamp* stamp, const char* verb, const Inputs& inputs) const;

  void noteJob();
  void proveSolidOnce(bool fresh);
  /// After a proof: whether a lightest part is to be designed again, and with what.
  bool nextRound();
  void noteRound(const RoundRecord& round, std::size_t number) const;
  /// Keeps what the folder holds of the best round so far while others are at work, and goes back to it where
  /// one fails, or comes out no better (then there is nothing to say why).
  void keepRound() const;
  bool goBackToRound(const std::string& why);
  /// Finds the best of several ways of making, if that is open.
  void choose();
  /// Finds bounds that are relative to another body.
  void settleBounds();
  void noteFull(const IterationView& view) const;
  FoundLayout designed();
  std::optional<OptimiseState> stateToGoOnWith(const std::string& fingerprint) const;
  void keepIteration(const IterationView& view, const std::filesystem::path& folder) const;
  /// @throws RunError where later steps cannot work with the layout, and there is no round to go back to.
  void refuseFailedLayout();
  void importLayout();
  void stampLayout(LayoutRecord& record) const;
  /// What pages tell of a layout that is still being designed.
  void storeUnfinished(const IterationRecord& shown, const IterationView& view, bool stopped);
  void storeLayout(const FoundLayout& found);
  LayoutFile layoutFile() const;
  FoundLayout foundLayout() const;
  void noteSolid(const SolidRecord& solid) const;
  std::string prediction() const;
  BodyRecord kept(ProvedBody body, const std::string& file) const;
  void noteDoubts(const BodyRecord& body);
  /// A step whose body is still right: judges it anew if the requirements have changed.
  void reuse(std::optional<BodyRecord>& body, const std::string& line);

  Job job_;
  std::unique_ptr<FileLock> lock_;
  RunListener listener_;
  RunRecord record_;
  bool layoutReady_ = false;  // optimise has been done or found to fit in this process
};

}  // namespace barelattice
