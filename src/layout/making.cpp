#include "barelattice/layout/making.hpp"

#include "barelattice/base/error.hpp"
#include "barelattice/layout/orbit_average.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// What rules ask for, sorted by where in the chain it comes.
template <int D>
struct Gathered {
  const Grid<D>& grid;
  std::vector<CellImages> motions;  // under which the layout is to stay the same
  std::vector<std::shared_ptr<const LayoutMap>> first;
  std::vector<std::shared_ptr<const LayoutMap>> last;

  void operator()(const Walls& /*rule*/) {}  // the filter, which is always there
  void operator()(const MirrorPlane& rule) { motions.push_back(mirrorImages(grid, rule)); }
  void operator()(const OwnMaking& rule) {
    if (rule.beforeFilter) first.push_back(rule.beforeFilter);
    if (rule.afterProjection) last.push_back(rule.afterProjection);
  }
};

}  // namespace

const Walls& wallsOf(const std::vector<MakingRule>& rules) {
  const Walls* found = nullptr;
  for (const MakingRule& rule : rules) {
    const auto* walls = std::get_if<Walls>(&rule);
    if (walls && found) throw InputError("there are two rules on walls", "leave one of them out");
    if (walls) found = walls;
  }
  if (!found) throw InputError("there is no rule on walls", "give the smallest member the filter is to make");
  requirePositive("smallest member", found->smallestMember);
  return *found;
}

template <int D>
MakingMaps mapsOf(const std::vector<MakingRule>& rules, const Grid<D>& grid, const HeldField& fill,
                  const std::vector<std::uint8_t>& attached, double widening) {
  if (!(widening >= 1)) throw InputError(fmt::format("widening is {}", widening), "give 1 or more");
  Gathered<D> gathered{grid, {}, {}, {}};
  for (const MakingRule& rule : rules) std::visit(gathered, rule);
  const Walls& walls = wallsOf(rules);
  MakingMaps maps;
  for (const auto& map : gathered.first) maps.level.append(map);
  if (!gathered.motions.empty())
    maps.level.append(std::make_shared<OrbitAverage>(orbitsOf(grid.cellCount(), gathered.motions)));
  maps.level.append(std::make_shared<DensityFilter<D>>(
      grid, fill, widening * filterRadiusFor(walls.smallestMember, D), walls.boundary, attached));
  maps.projected = std::move(gathered.last);
  return maps;
}

template BARELATTICE_API MakingMaps mapsOf<2>(const std::vector<MakingRule>&, const Grid<2>&,
                                              const HeldField&, const std::vector<std::uint8_t>&, double);
template BARELATTICE_API MakingMaps mapsOf<3>(const std::vector<MakingRule>&, const Grid<3>&,
                                              const HeldField&, const std::vector<std::uint8_t>&, double);

}  // namespace barelattice
