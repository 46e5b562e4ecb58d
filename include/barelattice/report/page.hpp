/// @file
/// Self-contained HTML pages: a geometry file, the set-up as understood, and the report of a run.
#pragma once

#include <filesystem>

#include "barelattice/base/api.hpp"
#include "barelattice/prepare/inspect.hpp"
#include "barelattice/run/run.hpp"

namespace barelattice BARELATTICE_API {

/// By which the pages of this library are known.
inline constexpr const char* kPageMark = "<meta name=\"generator\" content=\"Bare Lattice\">";

/// Writes the set-up of a job: space, keeps, clears, faces, supports and loads per case, masses, resultants.
/// @throws RunError if the file cannot be written.
void writeCheckPage(const Job& job, const std::filesystem::path& path);

/// Writes the page of a geometry file: its faces to click on, their selectors, its defects in their places.
/// @throws RunError if the file cannot be written.
void writeInspectPage(const Inspection& inspection, const std::filesystem::path& path);

/// Writes the page of an analysis: the full block, and the baseline beside it.
/// @param record what belongs to the job, see `fitting`.
/// @throws InputError if a result file is damaged; RunError if the page cannot be written.
void writeAnalysis(const Job& job, const RunRecord& record, const std::filesystem::path& path);

/// Writes the report of what the run folder holds: whatever steps are done, the rest is left out.
/// @param record what belongs to the job, see `fitting`. Neither a lock nor a run is needed: the folder may
/// be watched while a run is at work in it.
/// @throws InputError if a result file is damaged; RunError if the page cannot be written.
void writeReport(const Job& job, const RunRecord& record, const std::filesystem::path& path);

}  // namespace barelattice
