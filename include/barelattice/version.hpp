/// @file
/// The version of these headers. CMake reads it from here.
#pragma once

#define BARELATTICE_VERSION_MAJOR 0
#define BARELATTICE_VERSION_MINOR 1
#define BARELATTICE_VERSION_PATCH 0

/// For comparison: 10000 major + 100 minor + patch.
#define BARELATTICE_VERSION \
  (10000 * BARELATTICE_VERSION_MAJOR + 100 * BARELATTICE_VERSION_MINOR + BARELATTICE_VERSION_PATCH)
