/// @file
/// The finished part beside the exact shapes that bound it.
#pragma once

#include <vector>

#include "barelattice/solid/reinterpret.hpp"

namespace barelattice {

/// Space, keeps, clears and bonded parts: what bounds the part where the layout does not.
std::vector<const Shape*> exactShapes(const Regions& regions);

/// Points of space, keeps, clears and bonded parts that lie on the surface of the part, at most `spacing` (m)
/// apart.
std::vector<SurfacePoint> exactSurface(const Implicit& part, const Regions& regions, double spacing);

/// Width of the narrowest gap or wall of the part that has such a face on either side, the two parallel to 20
/// degrees, m: at most `reach` (m), which is returned where there is none. What gets narrower towards an edge
/// counts nowhere.
double narrowestPlace(const Implicit& part, const Regions& regions, double reach);

/// Looks at every triangle whose corners all lie on boundaries of space, keeps and clears: one that follows a
/// face lies on it in its middle too, one that cuts across an edge does not. And at every point of the exact
/// surface: what is too thin for the lattice has none of the triangles near. Films and slits whose other side
/// is the layout's are crumbs of the reading, and do not count.
FaceCheck checkFaces(const TriangleMesh& surface, const Implicit& part, const Regions& regions,
                     double spacing, std::vector<SurfacePoint> exact);

}  // namespace barelattice
