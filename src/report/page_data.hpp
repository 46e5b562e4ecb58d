// What the viewer of a page gets. Internal to the room.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "barelattice/prepare/inspect.hpp"
#include "barelattice/run/run.hpp"

namespace barelattice {

/// Set-up as understood: shapes, faces, supports, loads. Lengths in mm, forces in N, pressures in MPa. Places
/// count from where the run's files count from (see originOfFiles), here and below.
nlohmann::json setupData(const Job& job);

/// The bodies of a geometry file with their faces, and its defects. Lengths in mm.
nlohmann::json inspectData(const Inspection& inspection);

/// Adds what the run folder holds of a record: layout, kept iterations, history, solid, analysed bodies.
/// @param filesFrom where the coordinates of the solid's files count from, m.
/// @returns what of the kept iterations could not be read and is left out, for people.
std::vector<std::string> addRunData(const RunRecord& record, const Vec3& filesFrom, nlohmann::json& data);

}  // namespace barelattice
