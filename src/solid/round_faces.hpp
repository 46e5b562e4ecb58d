/// @file
/// Round faces of the finished surface.
#pragma once

#include "barelattice/solid/reinterpret.hpp"

namespace barelattice {

/// The surface with the triangles on round pieces of space, keeps, clears and bonded parts divided until no
/// edge passes further than `chord` from its piece: a bore's polygon becomes its circle. Rims stay on both
/// faces that meet there. Triangles that come to cross others stay as they were, with those around them.
/// @param surface closed, its vertices on such pieces nearer to them than `tolerance` (m).
/// @param chord m, above zero.
TriangleMesh withRoundFaces(const TriangleMesh& surface, const Implicit& part, const Regions& regions,
                            double chord, double tolerance);

/// The same for the outline of a sheet.
Outline withRoundFaces(const Outline& outline, const Implicit& part, const Regions& regions, double chord,
                       double tolerance);

}  // namespace barelattice
