/// @file
/// How matrices in public types lie in memory, and who allocates them.
#pragma once

#include <Eigen/Core>

// Eigen's alignment follows the vectors of the machine that is compiled for: a program for another machine
// than its library's would take a type of 80 bytes for one of 96, and free what the library has allocated in
// another way. So one alignment is fixed for both, and one way: malloc, which aligns to 16 bytes on 64-bit
// systems. The CMake target does it; in any other build give both definitions to all that includes Eigen.
#if EIGEN_MAX_ALIGN_BYTES != 16 || EIGEN_MAX_STATIC_ALIGN_BYTES != 16 || !EIGEN_MALLOC_ALREADY_ALIGNED
#error "give -DEIGEN_MAX_ALIGN_BYTES=16 -DEIGEN_MALLOC_ALREADY_ALIGNED=1, or link BareLattice::barelattice"
#endif
