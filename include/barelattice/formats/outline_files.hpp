/// @file
/// Outlines from drawings and from faces of CAD solids.
#pragma once

#include <cstddef>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/formats/cad.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

/// An outline with its holes, in a plane.
struct PlaneOutline {
  OutlineLoop outer;
  std::vector<OutlineLoop> holes;
};

/// Reads one outline of an SVG drawing: a path, rect, circle, ellipse or polygon. Straight lines and circular
/// arcs are kept as they are; elliptical arcs and Bezier curves become chords that stay within 1/5000 of the
/// outline's diagonal, those of a smooth run one face. x is the drawing's x, y points up: the negative of the
/// drawing's y, which points down.
/// @param id of the element; empty takes the only one there is.
/// @param unit metres per unit of the drawing; without one, what the drawing says: its width in a unit of
///   length over that of its viewBox.
/// @throws InputError if the drawing cannot be read, says no unit, or the element is not one outline with
///   holes.
PlaneOutline readSvgOutline(const std::filesystem::path& path, const std::string& id,
                            std::optional<double> unit);

/// The same from text. @param name for messages.
PlaneOutline parseSvgOutline(std::string_view text, const std::string& name, const std::string& id,
                             std::optional<double> unit);

/// The outline of a plane face of a solid. The face must look along a coordinate axis; the other two, in the
/// order xy, yz, zx, span the outline. Edges that are circles, or parts of one, come out as arcs.
/// @throws InputError if the face is not a plane or looks askew.
PlaneOutline outlineOf(const CadSolid& solid, std::size_t face);

}  // namespace barelattice
