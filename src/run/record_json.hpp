// Records as JSON. Internal to the room.
#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "barelattice/run/records.hpp"

namespace barelattice {

nlohmann::json recordJson(const RunRecord& record);

/// @throws nlohmann::json::exception where a key is missing or of another type.
RunRecord recordFrom(const nlohmann::json& json);

/// Of results without the hash they carry; the order and spacing of the text do not matter.
std::string hashOfResults(nlohmann::json results);

/// The tables of docs/results.md.
std::string recordDocs();

}  // namespace barelattice
