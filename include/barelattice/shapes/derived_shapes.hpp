/// @file
/// Shapes made from others for design spaces: hulls, filled holes, swept volumes.
#pragma once

#include <optional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

/// The convex hull of points (Barber, Dobkin & Huhdanpaa 1996, through the Qhull library): a closed surface
/// facing outward.
/// @throws InputError unless the points (m) span a body.
TriangleMesh convexHull(const std::vector<Vec3>& points);

/// The convex hull of a body. Exact for bodies of flat faces with rectangular or triangulated outlines; round
/// edges are followed to a thousandth of their radius, all else to about 1/300 of the body's size.
ShapePtr makeHull(const ShapePtr& body);

/// The body with its round holes filled: cylindrical and conical walls and round bottoms of holes, the wall
/// all round, up to a diameter. Each is filled over its whole length, so on a slanting or round face the plug
/// ends square at the far edge.
/// @param largest diameter that is filled, m.
/// @param near when given, only the holes whose walls come nearest to these points (m), one hole a point; all
///   walls on the same axis belong to one hole.
/// @throws InputError if there is no such hole.
ShapePtr makeFilled(const ShapePtr& body, double largest, const std::vector<Vec3>& near = {});

/// The body with its pockets, slots and holes of any form filled into which no cube of edge `largest` fits,
/// with faces along the coordinate axes: the morphological closing by that cube (Serra 1982), so that between
/// faces along the axes the filling ends flush with them, and on slanting ones in a hollow. What the cube
/// leaves out beside the round walls and corners of a wider opening is told from a pocket by its mouth, more
/// than two thirds as large as its walls, and stays empty. Found on a lattice of 4 to 12 points a cube edge;
/// costs a look at the body for each of its points near the surface, 30 million points at most.
/// @param near when given, only the pockets nearest to these points (m), one pocket a point.
/// @throws InputError if nothing is filled, or the cube is too small for the lattice.
ShapePtr makeFilledPockets(const ShapePtr& body, double largest, const std::vector<Vec3>& near = {});

/// What the body covers on its way along a path of straight lines, without turning. Distances are lower
/// bounds, at the surface exact for convex bodies and to a thousandth of the body's size for others, which
/// cost hundreds of looks at the body. It has no patches.
/// @param path where the body's own place is the origin, m; at least one more point.
ShapePtr makeSwept(const ShapePtr& body, const std::vector<Vec3>& path);

/// What the body covers when it turns about an axis. As makeSwept.
/// @param centre a point of the axis, m. @param axis its direction. @param angle radians, above zero, at most
/// a
///   full turn; counter-clockwise seen against the axis.
ShapePtr makeTurned(const ShapePtr& body, const Vec3& centre, const Vec3& axis, double angle);

}  // namespace barelattice
