// The tables of what was found of the analysed bodies. Internal to the room.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "barelattice/prepare/job.hpp"
#include "barelattice/run/records.hpp"

namespace barelattice {

/// The analysed bodies there are, with the names the viewer uses, the part first.
std::vector<std::pair<std::string, const BodyRecord*>> bodiesOf(const RunRecord& record);

/// Cases, spread of stress, displacements, reactions, meshes; empty if no body was analysed.
std::string bodyTables(const Job& job, const RunRecord& record);

}  // namespace barelattice
