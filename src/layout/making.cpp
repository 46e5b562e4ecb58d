#include "barelattice/layout/making.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/layout/cell_maps.hpp"
#include "barelattice/layout/directed_maps.hpp"
#include "barelattice/layout/open_voids_map.hpp"
#include "base/check.hpp"
#include "base/root.hpp"

namespace barelattice {
namespace {

// The order of the maps is
//
//   variables -> averages over orbits -> filter (-> sections again) -> keeps, draw, tools, print
//             -> voids -> level -> projection
//
// Averages come before the filter, since after a projection they leave cells grey. Directed rules come before
// the projection, which the filter's smooth level is for: a largest (smallest) value of levels is the level
// of the largest (smallest) density, whatever the threshold, so one map serves every reading, and a wall that
// leans by some degrees is not stepped by cells. Closed voids are filled last: what fills a void lies on what
// is full, so it can be printed, too.

constexpr double kAligned = 1e-6;  // directions closer than this are the same

/// What rules ask for, sorted by where in the chain it comes.
template <int D>
struct Gathered {
  const Grid<D>& grid;
  const std::vector<std::uint8_t>& keep;
  std::vector<std::shared_ptr<const LayoutMap>> first;
  std::vector<std::shared_ptr<const LayoutMap>> onLevel;
  std::vector<std::shared_ptr<const LayoutMap>> atLast;  // on the level too
  std::vector<std::shared_ptr<const LayoutMap>> last;

  void operator()(const Walls& /*rule*/) {}       // the filter, which is always there
  void operator()(const LocalShare& /*rule*/) {}  // a limit, see optimise/local_fill.hpp
  // Symmetries go together into one average.
  void operator()(const MirrorPlane& /*rule*/) {}
  void operator()(const RepeatRound& /*rule*/) {}
  void operator()(const RepeatAlong& /*rule*/) {}
  void operator()(const ConstantSection& /*rule*/) {}
  void operator()(const Casting& rule) {
    if (rule.parting == Casting::Parting::flat)
      throw InputError("where the mould parts is still to be chosen", "give the place of its plane");
    typename AccessMap<D>::Options options;
    options.draft = rule.draft;
    if (rule.parting == Casting::Parting::plane) options.parting = rule.at;
    access(rule, options);
  }
  void operator()(const Milling& rule) {
    typename AccessMap<D>::Options options;
    options.tool = rule.tool;
    access(rule, options);
  }
  void operator()(const Printing& rule) {
    onLevel.push_back(std::make_shared<PrintMap<D>>(grid, within(rule.up), rule.overhang, keep));
  }
  void operator()(const OpenVoids& rule) {
    if (D == 2) throw InputError("the voids of a sheet are open", "leave the rule on voids out");
    if (!keep.empty()) atLast.push_back(std::make_shared<KeepSolid>(keep));
    atLast.push_back(std::make_shared<OpenVoidsMap<D>>(grid, rule.opening));
  }
  void operator()(const OwnMaking& rule) {
    if (rule.beforeFilter) first.push_back(rule.beforeFilter);
    if (rule.afterProjection) last.push_back(rule.afterProjection);
  }

 private:
  static Point<D> within(const Vec3& direction) {
    if (D == 2 && std::abs(direction.z()) > kAligned)
      throw InputError("a direction leads out of the plane of a sheet", "give one in x and y");
    return direction.template head<D>();
  }
  void access(const MakingRule& rule, typename AccessMap<D>::Options options) {
    for (const Vec3& side : sidesOf(rule)) options.sides.push_back(within(side));
    if (!keep.empty()) onLevel.push_back(std::make_shared<KeepSolid>(keep));
    onLevel.push_back(std::make_shared<AccessMap<D>>(grid, options));
  }
};

std::string textOf(const Vec3& v) {
  return fmt::format("({:.12g}, {:.12g}, {:.12g})", v.x(), v.y(), v.z());
}

struct Text {
  std::string operator()(const Walls& rule) const {
    return fmt::format("{:.12g}, gap {:.12g}, boundary {}", rule.smallestMember, rule.smallestGap,
                       static_cast<int>(rule.boundary)) +
           (rule.madeWithin > 0 ? fmt::format(", made within {:.12g}", rule.madeWithin) : "");
  }
  std::string operator()(const LocalShare& rule) const {
    return fmt::format("{:.12g} within {:.12g}", rule.most, rule.within);
  }
  std::string operator()(const MirrorPlane& rule) const {
    return fmt::format("{} {:.12g}", textOf(rule.normal), rule.at);
  }
  std::string operator()(const RepeatRound& rule) const {
    return fmt::format("{} through {}, {} times", textOf(rule.axis), textOf(rule.through), rule.times);
  }
  std::string operator()(const RepeatAlong& rule) const {
    return fmt::format("{} from {:.12g} by {:.12g}{}", textOf(rule.direction), rule.from, rule.step,
                       rule.mirrored ? ", mirrored" : "");
  }
  std::string operator()(const ConstantSection& rule) const { return textOf(rule.along); }
  std::string operator()(const Casting& rule) const {
    return fmt::format("{}, parting {} {:.12g}, draft {:.12g}", textOf(rule.draw),
                       static_cast<int>(rule.parting), rule.at, rule.draft);
  }
  std::string operator()(const Milling& rule) const {
    std::string text;
    for (const Vec3& side : rule.sides) text += textOf(side) + " ";
    if (const Tool& tool = rule.tool; tool != Tool())
      text += fmt::format("by {:.12g}, {:.12g}, {:.12g}, {:.12g}, {:.12g}", tool.diameter, tool.cornerRadius,
                          tool.taper, tool.reach, tool.holder);
    return text;
  }
  std::string operator()(const Printing& rule) const {
    return fmt::format("{}, overhang {:.12g}", textOf(rule.up), rule.overhang);
  }
  std::string operator()(const OpenVoids& rule) const { return fmt::format("{:.12g}", rule.opening); }
  std::string operator()(const OwnMaking& rule) const { return rule.name; }
};

bool parallel(const Vec3& a, const Vec3& b) {
  return std::abs(std::abs(a.dot(b)) - 1) < kAligned;
}
bool across(const Vec3& a, const Vec3& b) {
  return std::abs(a.dot(b)) < kAligned;
}

bool isProcess(const MakingRule& rule) {
  return std::holds_alternative<Casting>(rule) || std::holds_alternative<Milling>(rule) ||
         std::holds_alternative<Printing>(rule);
}

std::optional<SymmetryRule> asSymmetry(const MakingRule& rule) {
  return std::visit(
      [](const auto& r) -> std::optional<SymmetryRule> {
        if constexpr (std::is_constructible_v<SymmetryRule, decltype(r)>)
          return SymmetryRule(r);
        else
          return std::nullopt;
      },
      rule);
}

/// Whether the motion carries the sides onto sides.
bool keepsSides(const Eigen::Isometry3d& motion, const std::vector<Vec3>& sides) {
  return std::all_of(sides.begin(), sides.end(), [&](const Vec3& side) {
    return std::any_of(sides.begin(), sides.end(), [&](const Vec3& other) {
      return (motion.linear() * side - other).cwiseAbs().maxCoeff() < kAligned;
    });
  });
}

/// Why a process cannot make what a symmetry asks for; empty if it can.
std::string whyNot(const MakingRule& process, const SymmetryRule& symmetry) {
  const auto* print = std::get_if<Printing>(&process);
  const auto* cast = std::get_if<Casting>(&process);
  const std::vector<Vec3> sides = print ? std::vector<Vec3>{print->up} : sidesOf(process);
  if (const auto* section = std::get_if<ConstantSection>(&symmetry)) {
    const bool along = std::any_of(sides.begin(), sides.end(),
                                   [&](const Vec3& side) { return parallel(side, section->along); });
    if (along && cast && cast->draft > 0)
      return "a section that is constant along the draw has walls without draft";
    const bool fits = std::all_of(sides.begin(), sides.end(), [&](const Vec3& side) {
      return parallel(side, section->along) || across(side, section->along);
    });
    return fits ? "" : "a constant section has to run along a side that is worked from, or across it";
  }
  if (const auto* along = std::get_if<RepeatAlong>(&symmetry)) {
    const bool fits = std::all_of(sides.begin(), sides.end(),
                                  [&](const Vec3& side) { return across(side, along->direction); });
    return fits ? ""
                : "cells that follow each other along a side that is worked from stand in each other's way";
  }
  const Eigen::Isometry3d motion = motionOf(symmetry);
  if (!keepsSides(motion, sides))
    return "the symmetry carries a side that is worked from onto one that is not";
  if (cast && cast->parting == Casting::Parting::plane &&
      std::abs(cast->draw.dot(motion * (cast->at * cast->draw)) - cast->at) > 1e-9)
    return "the symmetry carries the parting plane to another place";
  return {};
}

/// The plate a part lies on while it is made, by the direction out of it.
std::optional<Vec3> outOfPlate(const MakingRule& rule) {
  if (const auto* print = std::get_if<Printing>(&rule)) return print->up;
  const auto* cast = std::get_if<Casting>(&rule);
  if (cast && cast->parting == Casting::Parting::back) return cast->draw;
  return std::nullopt;
}

/// The cells whose likes are marked, too: a load on one piece would else leave its mark there alone.
std::vector<std::uint8_t> madeAlike(const LayoutMap& map, const std::vector<std::uint8_t>& marked) {
  if (marked.empty()) return {};
  std::vector<double> field(marked.begin(), marked.end());
  std::vector<double> stand(field.size());  // for what is marked
  map.backward({}, {}, field, stand);
  for (double& value : stand) value = value > 0;
  map.forward(stand, field);
  std::vector<std::uint8_t> alike(marked.size());
  constexpr double kPart = 0.25;
  for (std::size_t c = 0; c < alike.size(); ++c) alike[c] = field[c] > kPart;
  return alike;
}

/// What sees a reflecting boundary: the part goes on beyond what holds and loads it, and on a plate it does
/// not end for want of material. Seen as empty there the level of what lies on it would fall just below a
/// wall's, and the part would stand on points.
template <int D>
std::vector<std::uint8_t> attachedOrPlated(const std::vector<MakingRule>& rules, const Grid<D>& grid,
                                           const std::vector<std::uint8_t>& attached, double reach) {
  std::vector<std::uint8_t> cells = attached;
  for (const MakingRule& rule : rules) {
    const std::optional<Vec3> out = outOfPlate(rule);
    if (!out) continue;
    cells.resize(grid.cellCount(), 0);
    const Point<D> up = out->template head<D>();
    double lowest = std::numeric_limits<double>::max();
    for (std::size_t c = 0; c < cells.size(); ++c) lowest = std::min(lowest, up.dot(grid.cellCentre(c)));
    for (std::size_t c = 0; c < cells.size(); ++c)
      if (up.dot(grid.cellCentre(c)) < lowest + reach) cells[c] = 1;
  }
  return cells;
}

}  // namespace

std::string nameOf(const MakingRule& rule) {
  constexpr std::array<const char*, std::variant_size_v<MakingRule>> kNames{
      "smallest_member", "local_share", "mirror", "repeat", "repeat", "section", "cast", "mill",
      "print",           "drain",       "own"};
  return kNames[rule.index()];
}

std::string textOf(const MakingRule& rule) {
  return std::visit(Text{}, rule);
}

LocalShare largestMember(double thickness) {
  // A wall of thickness t fills the share t / (2 r) of the cube of half edge r: with 0.9 of it the cube is a
  // ninth larger than the wall may be thick.
  constexpr double kMost = 0.9;
  return {0.5 * thickness / kMost, kMost};
}

double dilationFor(double smallestGap, double filterRadius, int dimension) {
  constexpr double kMost = 0.45;
  return std::clamp(2 * erosionFor(0.5 * smallestGap, filterRadius, dimension) - 0.5, 0.0, kMost);
}

double erosionFor(double offset, double filterRadius, int dimension) {
  requirePositive("filterRadius", filterRadius);
  const double s = std::min(1.0, offset / filterRadius);
  if (dimension == 3) return s - s * s * s + 0.5 * s * s * s * s;
  constexpr int kParts = 200;  // of Simpson's rule
  const auto weight = [](double at) {
    return at >= 1   ? 0.0
           : at == 0 ? 3 / std::numbers::pi
                     : (std::sqrt(1 - at * at) - at * at * std::acosh(1 / at)) * 3 / std::numbers::pi;
  };
  const double step = s / kParts;
  double share = weight(0) + weight(s);
  for (int i = 1; i < kParts; ++i) share += (i % 2 ? 4 : 2) * weight(i * step);
  return share * step / 3;
}

double mostMadeWithin(double smallestMember, int dimension) {
  constexpr double kVanishes = 0.25;
  const double radius = filterRadiusFor(smallestMember, dimension);
  RootSearch search;
  search.guess = 0.25 * radius;
  search.step = 0.05 * radius;
  search.low = 0;
  search.high = radius;
  search.width = 1e-9 * radius;
  return growingRoot([&](double offset) { return erosionFor(offset, radius, dimension) - kVanishes; }, search,
                     1e-9);
}

std::vector<Vec3> sidesOf(const MakingRule& rule) {
  if (const auto* cast = std::get_if<Casting>(&rule)) {
    if (cast->parting == Casting::Parting::back) return {cast->draw};
    return {cast->draw, -cast->draw};
  }
  if (const auto* mill = std::get_if<Milling>(&rule)) return mill->sides;
  return {};
}

std::optional<Contradiction> contradictionIn(const std::vector<MakingRule>& rules) {
  for (std::size_t i = 0; i < rules.size(); ++i) {
    if (!isProcess(rules[i])) continue;
    for (std::size_t k = 0; k < rules.size(); ++k) {
      if (k > i && isProcess(rules[k]))
        return Contradiction{i, k, "a part is cast, milled or printed: one of them shapes it"};
      const std::optional<SymmetryRule> symmetry = asSymmetry(rules[k]);
      if (!symmetry) continue;
      if (const std::string why = whyNot(rules[i], *symmetry); !why.empty()) return Contradiction{k, i, why};
    }
  }
  return std::nullopt;
}

std::vector<SymmetryRule> symmetriesOf(const std::vector<MakingRule>& rules) {
  std::vector<SymmetryRule> found;
  for (const MakingRule& rule : rules)
    if (const std::optional<SymmetryRule> symmetry = asSymmetry(rule)) found.push_back(*symmetry);
  return found;
}

const Walls& wallsOf(const std::vector<MakingRule>& rules) {
  const Walls* found = nullptr;
  for (const MakingRule& rule : rules) {
    const auto* walls = std::get_if<Walls>(&rule);
    if (walls && found) throw InputError("there are two rules on walls", "leave one of them out");
    if (walls) found = walls;
  }
  if (!found) throw InputError("there is no rule on walls", "give the smallest member the filter is to make");
  requirePositive("smallest member", found->smallestMember);
  requireNotNegative("smallest gap", found->smallestGap);
  requireNotNegative("made within", found->madeWithin);
  return *found;
}

template <int D>
MakingMaps mapsOf(const std::vector<MakingRule>& rules, const Grid<D>& grid, const HeldField& fill,
                  const std::vector<std::uint8_t>& keep, const std::vector<std::uint8_t>& attached,
                  double widening) {
  if (!(widening >= 1)) throw InputError(fmt::format("widening is {}", widening), "give 1 or more");
  const Walls& walls = wallsOf(rules);
  if (const std::optional<Contradiction> found = contradictionIn(rules))
    throw InputError(fmt::format("the rules {} and {} exclude each other: {}", nameOf(rules[found->first]),
                                 nameOf(rules[found->second]), found->why),
                     "leave one of them out");
  Gathered<D> gathered{grid, keep, {}, {}, {}, {}};
  for (const MakingRule& rule : rules) std::visit(gathered, rule);
  MakingMaps maps;
  for (const auto& map : gathered.first) maps.level.append(map);
  std::vector<std::uint8_t> open = attached;  // what sees a reflecting boundary
  std::shared_ptr<const LayoutMap> again;     // for the level
  if (const std::vector<SymmetryRule> symmetries = symmetriesOf(rules); !symmetries.empty()) {
    constexpr double kSame = 1e-5;  // of a cell
    const auto map = symmetryMap(grid, Symmetry(symmetries, kSame * grid.frame().size));
    maps.level.append(map);
    open = madeAlike(*map, attached);
    if (std::any_of(symmetries.begin(), symmetries.end(), [](const SymmetryRule& symmetry) {
          return std::holds_alternative<ConstantSection>(symmetry);
        }))
      again = map;
  }
  const double radius = widening * filterRadiusFor(walls.smallestMember, D);
  maps.level.append(std::make_shared<DensityFilter<D>>(grid, fill, radius, walls.boundary,
                                                       attachedOrPlated(rules, grid, open, radius)));
  // The filter looks past the ends of a section, and round what is cleared from it: there it is made constant
  // anew.
  if (again) maps.level.append(again);
  for (const auto& map : gathered.onLevel) maps.level.append(map);
  for (const auto& map : gathered.atLast) maps.level.append(map);
  maps.projected = std::move(gathered.last);
  return maps;
}

template BARELATTICE_API MakingMaps mapsOf<2>(const std::vector<MakingRule>&, const Grid<2>&,
                                              const HeldField&, const std::vector<std::uint8_t>&,
                                              const std::vector<std::uint8_t>&, double);
template BARELATTICE_API MakingMaps mapsOf<3>(const std::vector<MakingRule>&, const Grid<3>&,
                                              const HeldField&, const std::vector<std::uint8_t>&,
                                              const std::vector<std::uint8_t>&, double);

}  // namespace barelattice
