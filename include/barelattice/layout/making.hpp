/// @file
/// Making rules: what the process asks of a layout, and the maps that impose it.
///
/// A new rule is one more alternative of `MakingRule` and what `mapsOf` makes of it; every room that must
/// know of it visits the variant, so that a place that was forgotten does not compile.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <variant>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/layout/density_filter.hpp"
#include "barelattice/layout/layout_map.hpp"

namespace barelattice BARELATTICE_API {

/// No member is thinner than this.
struct Walls {
  double smallestMember = 0;  ///< m
  FilterBoundary boundary = FilterBoundary::reflecting;
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

using MakingRule = std::variant<Walls, MirrorPlane, OwnMaking>;

/// The filter radius (m) over a smallest member (m): that of the wall which just vanishes at the threshold
/// 0.75, measured at 0.5.
///
/// The filter's weight falls linearly with distance; seen across a wall it is the density f of the offset s
/// of a cone in D dimensions, in radii: f = 1 - s for D = 1, (sqrt(1 - s^2) - s^2 arcosh(1/s)) 4 / pi for D =
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

/// The rule on walls, of which every set of rules has one. @throws InputError if there is none or another
/// one.
const Walls& wallsOf(const std::vector<MakingRule>& rules);

/// The maps of a set of rules.
struct MakingMaps {
  LayoutChain level;                                        ///< from the variables to the level
  std::vector<std::shared_ptr<const LayoutMap>> projected;  ///< of what is projected from it
};

/// @param fill share of each cell that exists.
/// @param attached cells next to held or loaded faces, which see a reflecting boundary; empty for none.
/// @param widening factor on the filter radius, 1 or more: how a design begins.
/// @throws InputError if the rules contradict each other.
template <int D>
MakingMaps mapsOf(const std::vector<MakingRule>& rules, const Grid<D>& grid, const HeldField& fill,
                  const std::vector<std::uint8_t>& attached, double widening = 1);

}  // namespace barelattice
