/// @file
/// Triangles of any shape, for looking at.
#pragma once

#include "barelattice/base/api.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

/// The surface of a body by dual contouring (Ju, Losasso, Schaefer & Warren 2002, Dual contouring of Hermite
/// data): a vertex for each lattice cell the surface passes, where the tangent planes of its crossings meet
/// best, so that edges and corners come out sharp. Without openings and facing outward. Flat faces are exact,
/// round ones off by about a tenth of spacing^2 / radius; but where it passes a cell twice the surface
/// touches itself, and what is thinner than a cell may be missing: right for a picture, not for a part, whose
/// surface comes from stuff(). Takes some dozen looks at the body for each cell of its surface.
/// @param spacing edge of the lattice's cells, m, above zero.
/// @throws InputError if the lattice would have more than 2^28 points.
TriangleMesh dualContour(const Shape& shape, double spacing);

}  // namespace barelattice
