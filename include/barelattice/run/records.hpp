/// @file
/// What a run folder holds.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/steps/records.hpp"

namespace barelattice BARELATTICE_API {

/// How a layout ends that has not ended yet.
inline constexpr const char* kAtWork = "at work";
inline constexpr const char* kStopped = "not settled: stopped on request";

/// What a run folder holds.
struct RunRecord {
  std::string method;
  std::string title;
  MaterialRecord material;
  std::map<std::string, MaterialRecord> otherMaterials;
  MassesRecord masses;
  std::size_t voxels = 0;
  double voxel = 0;                 ///< m
  std::optional<double> thickness;  ///< m
  std::vector<std::string> warnings;
  std::optional<ChoiceRecord> choice;  ///< of several ways of making
  std::optional<BoundsRecord> bounds;  ///< where limits are relative to another body
  std::optional<RoundsRecord> rounds;  ///< of a lightest part
  std::optional<LayoutRecord> layout;
  std::optional<SolidRecord> solid;
  std::optional<BodyRecord> proof, block, baseline, outside;
  std::optional<FailureRecord> proofFailure;
  std::vector<std::string> leftOut;  ///< steps of another state of the brief, see `fitting`

  // Not of results.json:
  std::filesystem::path folder;
  std::vector<std::string> notes;  ///< what could not be used, for people
  bool atWork = false;             ///< a run held the folder when it was read

  /// False if there is a layout that was taken as it stood before it settled.
  bool settled() const { return !layout || layout->settled; }
};

/// Reads what a run left, whether or not one is at work in the folder: without a brief, a job or a lock. Of
/// steps whose files are missing or were changed nothing is taken; `notes` tells.
/// @throws InputError if there is no such folder.
RunRecord readRun(const std::filesystem::path& folder);

/// The record as results.json has it, indented.
std::string recordText(const RunRecord& record);

/// True if every requirement is met, false if one is not met or inconclusive; nothing without requirements.
std::optional<bool> proven(const std::optional<BodyRecord>& body);

}  // namespace barelattice
