// Which steps of a run folder belong to a job as it is now. Internal to the room.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "barelattice/run/run.hpp"
#include "inputs.hpp"

namespace barelattice {

std::string layoutFingerprint(const Job& job);
/// Of what the rounds of a lightest part depend on.
std::string roundsFingerprint(const Job& job);
/// Folder in which the last round is kept while another one is at work.
inline constexpr const char* kKeptRound = "round";

/// Of an open job: of what the choice among its ways depends on.
std::string choiceFingerprint(const Job& job);
/// Of what the bounds of its limits depend on, where some are relative to another body.
std::string boundsFingerprint(const Job& job);
/// Whether some are.
bool hasRelativeBounds(const Job& job);
/// @param record knows how many iterations the layout took, which may go on.
std::string solidFingerprint(const Job& job, const RunRecord& record);
std::string proofFingerprint(const Job& job, const std::string& before);

/// The layout there is is the one the brief asks for, with as many iterations as it wishes for.
bool layoutFits(const Job& job, const RunRecord& record);

/// A body that was judged by something else than the brief asks for now is judged anew.
/// @returns what is not as it was; empty if nothing is.
std::string judgeAnew(const Job& job, BodyRecord& body);

/// Visits the steps there are with their names and the files that later steps and pages read:
/// visit(name, step, files).
template <class Visit>
void forEachStep(RunRecord& record, const Visit& visit) {
  using Files = std::vector<std::string>;
  if (record.layout) visit("optimise", record.layout, Files{"layout.vti", "history.csv"});
  if (record.solid) visit("solid", record.solid, Files{"solid.stl"});
  if (record.proof) visit("proof", record.proof, Files{"proof.vtu"});
  if (record.block) visit("block", record.block, Files{"block.vtu"});
  if (record.baseline) visit("baseline", record.baseline, Files{"baseline.vtu"});
  if (record.outside) visit("outside", record.outside, Files{"outside.vtu"});
}

/// Reads results.json, or nothing where it cannot be used; `notes` tells.
RunRecord readResults(const std::filesystem::path& folder);

/// Drops steps whose files are missing or not as they were written.
/// @param onChanged is called with each such file and returns what was done with it, for people.
void dropChanged(RunRecord& record,
                 const std::function<std::string(const std::filesystem::path&)>& onChanged);

}  // namespace barelattice
