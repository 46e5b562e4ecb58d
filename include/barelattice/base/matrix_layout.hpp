/// @file
/// How matrices in public types lie in memory.
#pragma once

#include <Eigen/Core>

// Eigen's alignment follows the vectors of the machine that is compiled for: a program for another machine
// than its library's would take a type of 80 bytes for one of 96, and free what it has not allocated. So one
// alignment is fixed for both. The CMake target does it; in any other build, -DEIGEN_MAX_ALIGN_BYTES=16 in
// all that includes these headers.
#if EIGEN_MAX_ALIGN_BYTES != 16 || EIGEN_MAX_STATIC_ALIGN_BYTES != 16
#error \
    "Bare Lattice needs EIGEN_MAX_ALIGN_BYTES=16 wherever its headers are included: link BareLattice::barelattice"
#endif
