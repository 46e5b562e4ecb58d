// What would surprise the one who runs a job, found before any solve. Internal to the room.
#pragma once

#include "barelattice/prepare/job.hpp"

namespace barelattice {

/// Warns of keeps too thin for the voxels and of keeps that clears cut into.
/// @throws BriefError if clears swallow one.
void checkKeeps(Job& job);

/// Warns of narrow ways from loads to supports, of features the voxels lose, of what is named and never used,
/// of members too slim for the voxels.
void warnOfSurprises(Job& job);

}  // namespace barelattice
