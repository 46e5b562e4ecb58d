/// @file
/// What the machine has.
#pragma once

namespace barelattice {

/// Physical memory, bytes.
double machineMemory();

}  // namespace barelattice
