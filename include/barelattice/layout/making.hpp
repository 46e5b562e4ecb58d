/// @file
/// Making rules: what the process asks of a layout, and the maps that impose it.
///
/// A new rule is one more alternative of `MakingRule` and what `mapsOf` makes of it; every room that must
/// know of it visits the variant, so that a place that was forgotten does not compile.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/layout/density_filter.hpp"
#include "barelattice/layout/layout_map.hpp"
#include "barelattice/layout/symmetry.hpp"
#include "barelattice/layout/tool.hpp"

namespace barelattice BARELATTICE_API {

/// No member is thinner than this, and no gap narrower.
struct Walls {
  double smallestMember = 0;  ///< m
  FilterBoundary boundary = FilterBoundary::reflecting;
  double smallestGap = 0;  ///< m; zero for any
  /// The surface of what is made lies this far inside or outside of where it should, m: at worst everywhere.
  double madeWithin = 0;
};

/// How far material gathers: of the volume within a distance of any place, along each axis, no more than a
/// share is filled (Wu, Aage, Westermann & Sigmund 2018). A small share makes many slim members of few stout
/// ones; the largest member is a large share within a short distance. Keeps do not count.
struct LocalShare {
  double within = 0;  ///< m
  double most = 1;    ///< above 0, below 1
};

/// The rule that leaves no wall thicker than this, m.
LocalShare largestMember(double thickness);

/// The part is drawn from a mould: no undercuts, and walls lean by the draft.
struct Casting {
  enum class Parting {
    back,   ///< of one half: all of the part lies on a flat back, at the far end of the space
    plane,  ///< the halves meet in a plane
    free,   ///< wherever it suits the part
    flat,   ///< in a plane, and where is still to be chosen: such a rule makes no maps yet
  };
  Vec3 draw = Vec3::UnitZ();  ///< where the first half of the mould goes, of length one
  Parting parting = Parting::back;
  double at = 0;     ///< of the plane, along `draw` from the origin, m
  double draft = 0;  ///< between walls and the draw, rad
};

/// It is milled from solid: every void is reached in a straight line from one of the sides, by a tool that
/// has room there.
struct Milling {
  std::vector<Vec3> sides;  ///< where the tool comes from, of length one
  Tool tool = {};
};

/// It is printed in layers without supports: walls that face down lean from the vertical by no more than the
/// overhang.
struct Printing {
  Vec3 up = Vec3::UnitZ();   ///< from the base plate, of length one
  double overhang = 0.7854;  ///< largest angle between a wall that faces down and the vertical, rad
};

/// Every void opens to the outside: powder, sand or a tool can leave it. Of bodies only.
struct OpenVoids {
  double opening = 0;  ///< a ball of this diameter finds its way out, m; zero for any way
};

/// A rule of one's own, by the maps that impose it. Both are part of every reading, of the derivatives and of
/// the balance of mass.
struct OwnMaking {
  std::string name;                               ///< for messages
  std::shared_ptr<const LayoutMap> beforeFilter;  ///< of the variables; null for none
  std::shared_ptr<const LayoutMap>
      afterProjection;  ///< of the density, before keeps are filled; null for none. It is also applied to the
                        ///< level the solid's contours are taken from
};

using MakingRule = std::variant<Walls, LocalShare, MirrorPlane, RepeatRound, RepeatAlong, ConstantSection,
                                Casting, Milling, Printing, OpenVoids, OwnMaking>;

/// What a rule is called in a brief: "smallest_member", "mirror", "cast".
std::string nameOf(const MakingRule& rule);
/// The rule with all its numbers, in SI units to the last digit: what two rules that are the same agree in.
/// Of one's own its name.
std::string textOf(const MakingRule& rule);

/// The sides material can be taken away from; none for rules that do not care.
std::vector<Vec3> sidesOf(const MakingRule& rule);

/// Two rules that exclude each other, by their places among the rules.
struct Contradiction {
  std::size_t first = 0;
  std::size_t second = 0;
  std::string why;  ///< a sentence about both
};

/// Nothing if the rules go together. Whether several symmetries do is told by `Symmetry`.
std::optional<Contradiction> contradictionIn(const std::vector<MakingRule>& rules);

/// The symmetries among the rules.
std::vector<SymmetryRule> symmetriesOf(const std::vector<MakingRule>& rules);

/// The filter radius (m) over a smallest member (m): that of the wall which just vanishes at the threshold
/// 0.75, measured at 0.5.
///
/// The filter's weight falls linearly with distance; seen across a wall it is the density f of the offset s
/// of a cone in D dimensions, in radii: f = 1 - s for D = 1, (sqrt(1 - s^2) - s^2 arcosh(1/s)) 6 / pi for D =
/// 2, 2 - 6 s^2 + 4 s^3 for D = 3 (each for s > 0, with half the weight). A wall of variables of half width a
/// shows at its middle the share of the weight within a; that is 3/4 for a = 0.5, 0.4718, 0.4425. Its edge
/// shows the share within 2a on one side, 0.500, 0.498, 0.498: the wall is 2a radii wide at the threshold 0.5
/// too.
inline double filterRadiusFor(double smallestMember, int dimension) {
  return smallestMember / (dimension == 2 ? 0.944 : 0.885);
}
/// The smallest member (m) of a filter radius (m).
inline double smallestMemberFor(double filterRadius, int dimension) {
  return filterRadius * (dimension == 2 ? 0.944 : 0.885);
}

/// How far below 0.5 the threshold lies at which a gap just closes that is as wide as asked at 0.5: the same
/// share of the weight, the other way round. 0 to 0.45.
double dilationFor(double smallestGap, double filterRadius, int dimension);

/// How far above 0.5 the threshold lies at which a flat face lies `offset` (m) further in: the share of the
/// filter's weight within that distance on one side. 0 to 0.5. Where faces are curved by less than the
/// filter's radius it is a little more or less.
double erosionFor(double offset, double filterRadius, int dimension);
/// The offset (m) up to which a wall of the smallest member holds as made: at the threshold 0.75.
double mostMadeWithin(double smallestMember, int dimension);

/// The rule on walls, of which every set of rules has one. @throws InputError if there is none or another
/// one.
const Walls& wallsOf(const std::vector<MakingRule>& rules);

/// The maps of a set of rules.
struct MakingMaps {
  LayoutChain level;                                        ///< from the variables to the level
  std::vector<std::shared_ptr<const LayoutMap>> projected;  ///< of what is projected from it
};

/// Those that look along directions map the level, which their largest and smallest values leave one: the
/// maps are then made once for all readings, and the solid's contours obey them as the analysed layouts do.
/// @param fill share of each cell that exists.
/// @param keep not zero for the cells that stay solid: moulds and tools go round them too.
/// @param attached cells next to held or loaded faces, which see a reflecting boundary; empty for none.
/// @param widening factor on the filter radius, 1 or more: how a design begins.
/// @throws InputError if the rules contradict each other.
template <int D>
MakingMaps mapsOf(const std::vector<MakingRule>& rules, const Grid<D>& grid, const HeldField& fill,
                  const std::vector<std::uint8_t>& keep, const std::vector<std::uint8_t>& attached,
                  double widening = 1);

}  // namespace barelattice
