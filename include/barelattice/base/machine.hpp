/// @file
/// What the machine has.
#pragma once

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// Physical memory, bytes.
double machineMemory();

}  // namespace barelattice
