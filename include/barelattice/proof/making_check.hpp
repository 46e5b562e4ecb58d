/// @file
/// Making rules measured on a finished solid, by other means than those that imposed them.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/layout/making.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// What is measured for a rule.
enum class MakingMeasure {
  thinnestWall,  ///< m: diameter of the ball between two faces that look away from each other
  narrowestGap,  ///< m: of the ball between two faces that look at each other; no rule bounds it
  localShare,    ///< filled share within the rule's distance of the fullest place
  asymmetry,     ///< m: largest distance between the surface and its image
  unreachable,   ///< m2: surface that no straight line leads to from the sides material is taken away from,
                 ///< or where the tool has no room
  withoutDraft,  ///< m2: walls that lean less than the draft
  unsupported,   ///< m2: surface that faces down and leans more than the overhang, above the plate
  supports,      ///< m3: of columns from unsupported surface down to the part or the plate; none bounds it
  enclosedVoid,  ///< m3: voids that nothing can leave, or not a ball of the opening
};

/// "thinnest wall", ...
std::string describe(MakingMeasure measure);

/// One measure of one rule.
struct MakingFinding {
  std::size_t rule = 0;  ///< number among the rules
  MakingMeasure measure = MakingMeasure::thinnestWall;
  /// Nothing where there is none: no wall or gap up to the largest one looked for; nothing of the surface
  /// with an image in the space, no place with enough to design round it.
  std::optional<double> value;
  std::optional<double> bound;  ///< at most, slack included; nothing for walls, gaps, supports, and where
                                ///< there is no value
  double share = 0;  ///< of the surface that does not hold the bound; of walls, gaps: below the smallest
                     ///< member
  Vec3 at = Vec3::Zero();  ///< the worst place, m
  bool holds = true;       ///< to the tolerance; walls and gaps are not judged here
};

struct MakingCheckOptions {
  double spacing = 0;    ///< of the points looked at, m; above zero
  double tolerance = 0;  ///< of the process: what is smaller is not seen, m; above zero
  double largest = 0;    ///< walls and gaps are looked for up to this, m; twice the smallest member if zero
};

/// Measures a solid.
///   Walls and gaps: balls between faces, see `thinnestWall`; a place where faces meet in a tip is neither.
///   The value is undercut on an area of half the smallest member squared at most. Undercuts: from points a
///   tolerance off the surface rays are cast along the draw, or to every side a tool comes from; what none of
///   them leaves is unreachable. Of a tool with a width a map of heights seen from the side, by rays, tells
///   what it leaves; it may be slimmer by the tolerance. Of a cast part with a back the faces on it are
///   reachable. Draft: rays that lean into a wall by the draft, from a tolerance off it, are to leave the
///   part; walls of the space are left out. Overhang: angles of faces, but for those within two tolerances of
///   the plate, which is where the part is lowest, and for strips up to four tolerances wide, which are
///   bridged. Angles are those of the mean normal of what lies within four tolerances. Voids: shells of the
///   surface that enclose nothing. Voids with an opening: cells of a quarter of its radius, where a ball of
///   that diameter, smaller by the tolerance, finds no way out. Local share: of the fullest places a
///   two-hundredth does not count. Symmetries: distances from the surface to its image, where the space has
///   an image too.
/// Faces of keeps and clears, and what lies within two tolerances of them, are as the brief states them,
/// whatever the process: they are left out, and so are walls inside keeps. Local shares hold to kShareSlack,
/// which the mean that imposes them leaves. Angles hold to kAngleSlack; areas up to kSmallArea of the surface
/// are not held against a rule.
/// @param solid closed, in the coordinates of the brief, m.
/// @param regions the brief's; its sheet is not measured across its thickness.
std::vector<MakingFinding> measureMaking(const TriangleMesh& solid, const std::vector<MakingRule>& rules,
                                         const Regions& regions, const MakingCheckOptions& options);

inline constexpr double kAngleSlack = 0.0873;  ///< 5 degrees, rad
inline constexpr double kSmallArea = 0.01;
inline constexpr double kShareSlack = 0.1;  ///< of the share

}  // namespace barelattice
