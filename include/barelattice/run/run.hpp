/// @file
/// The steps of a job and the folder they leave their results in.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "barelattice/base/file_lock.hpp"
#include "barelattice/prepare/job.hpp"
#include "barelattice/solid/solid_function.hpp"

namespace barelattice {

struct BodyProof;
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
  const std::filesystem::path& folder() const { return folder_; }
  /// What results.json holds. Lengths in mm, masses in kg, stresses in MPa, forces in N, energies in J.
  const nlohmann::json& results() const { return results_; }
  /// The same without the steps that belong to another state of the brief or another grid; those are listed
  /// under "left_out".
  nlohmann::json current() const;
  /// A sentence on what `current` leaves out; empty if it is nothing.
  std::string leftOut() const;

  /// True if every requirement is met, false if one is not met or inconclusive; nothing before the proof or
  /// without requirements.
  /// @param body "proof" for the part itself, "outside" for the solid from outside.
  std::optional<bool> proven(const std::string& body = "proof") const;
  /// False if there is a layout that was taken as it stood before it settled.
  bool settled() const;

  /// What went wrong in a step that left a result all the same, for people.
  struct Failure {
    std::string what;
    std::string cure;
  };

 private:
  bool fits(const char* step, const std::string& fingerprint, const char* file) const;
  void forget(const std::vector<const char*>& steps);
  /// Forgets the steps whose files are not as they were written; the files are moved aside.
  void dropChanged();
  void save();
  void note(const std::string& line) const;
  ProgressCallback progress() const;
  bool stopAsked() const;

  std::string layoutFingerprint() const;
  std::string solidFingerprint() const;
  std::string proofFingerprint(const std::string& before) const;
  /// The layout there is is the one the brief asks for, with as many iterations as it wishes for.
  bool layoutFits() const;
  /// Says what of the inputs of a step is not as it was when it was done last.
  void tellWhy(const char* step, const char* verb, const Inputs& inputs) const;

  template <int D>
  OptimiseResult runOptimiser();
  std::optional<Failure> failureOf(const OptimiseResult& result) const;
  void refuseFailedLayout() const;
  void importLayout();
  template <int D>
  void storeLayout(const OptimiseResult& result);
  LayoutFile layoutFile() const;
  SmoothLayout smoothLayout() const;
  double wantedVolume() const;
  std::string prediction() const;
  nlohmann::json analysed(const Implicit& f, const Box& extent, const TriangleMesh* exported,
                          const std::string& file, bool ownSolid);
  void noteDoubts(const nlohmann::json& figures);
  void addVerdict(nlohmann::json& figures, const BodyProof& body) const;

  Job job_;
  std::filesystem::path folder_;
  std::unique_ptr<FileLock> lock_;
  RunListener listener_;
  nlohmann::json results_;
  bool layoutReady_ = false;  // optimise has been done or found to fit in this process
};

}  // namespace barelattice
