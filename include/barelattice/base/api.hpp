/// @file
/// Which names the library hands out.
#pragma once

/// Stands on the namespace of every public header: its names are seen outside of a shared library, all others
/// are not.
#define BARELATTICE_API __attribute__((visibility("default")))
