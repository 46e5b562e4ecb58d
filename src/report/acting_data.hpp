// What acts, as the viewer of a page draws it. Internal to the room.
#pragma once

#include <nlohmann/json.hpp>

#include "barelattice/prepare/job.hpp"
#include "page_places.hpp"

namespace barelattice {

/// Adds supports, masses, connections, and by case the loads. Forces in N, moments in N m, lengths in mm.
void addActing(const Job& job, const PagePlaces& places, nlohmann::json& data);

}  // namespace barelattice
