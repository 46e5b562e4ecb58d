/// @file
/// The state of an interrupted optimisation on disk.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "barelattice/base/api.hpp"
#include "barelattice/optimise/optimiser.hpp"

namespace barelattice BARELATTICE_API {

/// Seconds between two checkpoints: what a killed run loses at most, besides the iteration it was in.
inline constexpr double kCheckpointSeconds = 20;

/// Writes the state: one line of JSON that says what follows, then the numbers as little-endian doubles
/// (docs/run-folder.md). The file appears whole or not at all.
/// @param fingerprint of the job the state belongs to.
void writeCheckpoint(const std::filesystem::path& path, const std::string& fingerprint,
                     const OptimiseState& state);

/// Reads a state back, to the bit.
/// @return nothing if there is no file, it is damaged, or it belongs to another fingerprint.
std::optional<OptimiseState> readCheckpoint(const std::filesystem::path& path,
                                            const std::string& fingerprint);

}  // namespace barelattice
