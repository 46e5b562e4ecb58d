/// @file
/// Tetrahedral meshes of sheets.
#pragma once

#include <functional>

#include "barelattice/meshes/tet_mesh.hpp"

namespace barelattice {

/// Fills a sheet { f < 0 } x [0, thickness] with tetrahedra: triangles of an equilateral lattice, whose
/// points close to the outline are moved onto it and whose triangles that still cross it are cut (isosurface
/// stuffing of Labelle & Shewchuk 2007, in the plane), extruded in layers and each prism cut into three.
/// Edges along the faces of the sheet are exact, and so are corners of the outline by 35 to 120 degrees.
/// @param f signed function of the plane, negative inside; called from several threads at once.
/// @param bounds box the outline lies in, m.
/// @param spacing of the lattice, m, above zero; layers are about as high.
/// @throws InputError if the lattice would have more than 2^26 points.
TetMesh stuffSheet(const std::function<double(const Eigen::Vector2d&)>& f, const Eigen::AlignedBox2d& bounds,
                   double spacing, double thickness);

/// The spacing, m, at which a sheet of the given area (m2) holds about this many tetrahedra.
double sheetSpacingFor(double area, double thickness, int tetrahedra);

}  // namespace barelattice
