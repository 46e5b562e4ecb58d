#include "surprises.hpp"

#include <fmt/format.h>

#include <Eigen/SVD>
#include <algorithm>
#include <atomic>
#include <cmath>
#include <functional>
#include <limits>
#include <map>
#include <numbers>
#include <queue>
#include <set>

#include "barelattice/base/quantity.hpp"
#include "barelattice/solid/reinterpret.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "base/parallel.hpp"
#include "job_parts.hpp"

namespace barelattice {
namespace {

/// Share of the space beside the keeps below which a target leaves little to design with.
constexpr double kLittle = 0.02;

/// A place inside a shape, sampled, and what was found there.
struct Sampled {
  std::size_t inside = 0;  ///< points
  double cleared = 0;      ///< share of them that lies in clears
  double thickness = 0;    ///< twice the largest depth, m
};

/// A row of samples.
struct SampledRow {
  std::size_t inside = 0;
  std::size_t cleared = 0;
  double depth = 0;
  Vec3 deepest = Vec3::Zero();
};

/// Looks at `count` points from `first` on along x.
/// @param done set once a thickness of `enough` is seen, m; zero to look everywhere.
SampledRow sampledRow(const Shape& shape, const Vec3& first, double count, double step,
                      const std::vector<ShapePtr>& clears, double enough, std::atomic<bool>& done) {
  SampledRow row;
  for (double x = 0; x < count; ++x) {
    const Vec3 point = first + x * step * Vec3::UnitX();
    const double distance = shape.distance(point);
    if (distance >= 0) {
      x += std::floor(distance / step);  // nothing is inside before that
      continue;
    }
    if (-distance > row.depth) {
      row.depth = -distance;
      row.deepest = point;
    }
    if (enough > 0 && 2 * row.depth >= enough) done = true;
    double clear = std::numeric_limits<double>::max();
    for (const ShapePtr& c : clears) clear = std::min(clear, c->distance(point));
    // Deep inside, where no depth is of interest, the next points are inside as well, and as clear.
    constexpr double kDeeply = 4;
    const double same = std::floor(std::min(-distance, std::abs(clear)) / step);
    const double left = std::ceil(count - x) - 1;
    const auto alike = static_cast<std::size_t>(1 + (same < kDeeply ? 0 : std::clamp(same, 0.0, left)));
    row.inside += alike;
    if (clear < 0) row.cleared += alike;
    x += static_cast<double>(alike - 1);
  }
  return row;
}

/// From a sample to the deepest place near it, diagonally too: near a corner no single axis leads on.
void climb(const Shape& shape, double step, bool flat, SampledRow& best) {
  for (double reach = step; reach > 0.02 * step; reach *= 0.5)
    forEachIndex<3>({3, 3, flat ? 1 : 3}, [&](const Index<3>& way) {
      const Vec3 point = best.deepest + reach * Vec3(way[0] - 1, way[1] - 1, flat ? 0 : way[2] - 1);
      if (-shape.distance(point) <= best.depth) return;
      best.depth = -shape.distance(point);
      best.deepest = point;
    });
}

/// Looks at points of a lattice inside a shape.
/// @param within where to look: of a shape that reaches far beyond the design space only what is near counts.
/// @param sheet thickness of a sheet, zero for a body.
/// @param enough thickness at which nothing more is wanted to be known, m; zero to look everywhere.
Sampled sampledInside(const Shape& shape, const Box& within, double sheet, double step,
                      const std::vector<ShapePtr>& clears, double enough = 0) {
  const Box box = shape.bounds().intersection(within);
  if (box.isEmpty()) return {};
  const Vec3 sizes = box.sizes() / step;
  const auto rows = static_cast<std::size_t>(std::max(0.0, std::ceil(sizes.y() - 0.5)));
  const auto layers =
      sheet > 0 ? std::size_t{1} : static_cast<std::size_t>(std::max(0.0, std::ceil(sizes.z() - 0.5)));
  std::vector<SampledRow> found(rows * layers);
  std::atomic<bool> done = false;
  forEach(
      found.size(),
      [&](std::size_t i) {
        if (done) return;
        Vec3 first = box.min() + step * Vec3(0.5, static_cast<double>(i % rows) + 0.5,
                                             static_cast<double>(i / rows) + 0.5);
        if (sheet > 0) first.z() = 0.5 * sheet;
        found[i] = sampledRow(shape, first, sizes.x() - 0.5, step, clears, enough, done);
      },
      4);
  Sampled result;
  SampledRow best;
  best.deepest = box.center();
  std::size_t cleared = 0;
  for (const SampledRow& row : found) {
    result.inside += row.inside;
    cleared += row.cleared;
    if (row.depth > best.depth) best = row;
  }
  climb(shape, step, sheet > 0, best);
  if (result.inside) result.cleared = static_cast<double>(cleared) / static_cast<double>(result.inside);
  result.thickness = 2 * best.depth;
  return result;
}

/// Depth of every cell in layers of cells, counted across common sides: 1 next to what is empty. One pass
/// either way over the cells (Rosenfeld & Pfaltz 1966).
template <int D>
std::vector<int> layersOf(const Grid<D>& grid) {
  std::vector<int> depth(grid.cellCount(), std::numeric_limits<int>::max());
  const auto lower = [&](std::size_t cell, int step) {
    for (std::size_t axis = 0; axis < D; ++axis) {
      Index<D> at = grid.cellIndex(cell);
      at[axis] += step;
      const int other = grid.cellAt(at);
      depth[cell] = std::min(depth[cell], other < 0 ? 1 : depth[static_cast<std::size_t>(other)] + 1);
    }
  };
  for (std::size_t c = 0; c < depth.size(); ++c) lower(c, -1);
  for (std::size_t c = depth.size(); c-- > 0;) lower(c, 1);
  return depth;
}

/// Deeper than any cell.
constexpr int kDeep = 1 << 20;

/// The widest ways from some cells to all others.
struct Ways {
  std::vector<int> widest;             ///< least depth on the way to each cell
  std::vector<std::size_t> narrowest;  ///< the cell of that depth
};

/// Deepest cells first: Dijkstra's order with the least depth as length. O(cells log cells).
template <int D>
Ways widestWays(const Grid<D>& grid, const std::vector<int>& depth, const std::vector<std::size_t>& from) {
  Ways ways{std::vector<int>(depth.size(), 0), std::vector<std::size_t>(depth.size(), 0)};
  std::priority_queue<std::pair<int, std::size_t>> open;
  for (const std::size_t cell : from) {
    ways.widest[cell] = kDeep;
    ways.narrowest[cell] = cell;
    open.emplace(kDeep, cell);
  }
  while (!open.empty()) {
    const auto [width, cell] = open.top();
    open.pop();
    if (width < ways.widest[cell]) continue;
    for (std::size_t axis = 0; axis < D; ++axis)
      for (const int step : {-1, 1}) {
        Index<D> at = grid.cellIndex(cell);
        at[axis] += step;
        if (grid.cellAt(at) < 0) continue;
        const auto other = static_cast<std::size_t>(grid.cellAt(at));
        const int through = std::min(width, depth[other]);
        if (through <= ways.widest[other]) continue;
        ways.widest[other] = through;
        ways.narrowest[other] = depth[other] < width ? other : ways.narrowest[cell];
        open.emplace(through, other);
      }
  }
  return ways;
}

/// Sentences on where every way from a load to what holds it passes a place narrower than the smallest
/// member: on the way that is widest at its narrowest place.
template <int D>
std::vector<std::string> slivers(const Job& job) {
  std::vector<std::string> found;
  const Grid<D>& grid = std::get<Domain<D>>(job.domain).grid;
  std::vector<int> depth = layersOf(grid);
  // At the faces themselves every way begins at the surface, and is no narrower for that.
  const auto around = attachedCells(grid, job, job.brief.walls().smallestMember + job.brief.voxel);
  for (std::size_t c = 0; c < depth.size(); ++c)
    if (around[c]) depth[c] = kDeep;
  std::vector<std::vector<std::size_t>> cells;
  for (const NamedFace& face : job.setup.faces) cells.push_back(tieToGrid(grid, face.face).cells);
  // Mostly there is a way wide enough, and the deep cells alone show it.
  const double enough = 0.5 * job.brief.walls().smallestMember / job.brief.voxel;
  std::vector<std::uint8_t> deep(depth.size());
  for (std::size_t c = 0; c < deep.size(); ++c) deep[c] = depth[c] >= enough;
  const Pieces pieces = findPieces(grid, deep);
  std::set<int> held;
  for (const BriefSupport& support : job.brief.supports)
    for (const std::size_t cell : cells[support.face]) held.insert(pieces.ofCell[cell]);
  for (std::size_t l = 0; l < job.setup.loads.size(); ++l) {
    if (!job.setup.actsOnFace(l)) continue;
    const Load& load = job.setup.loads[l];
    const auto& loaded = cells[load.face];
    if (std::any_of(loaded.begin(), loaded.end(),
                    [&](std::size_t c) { return held.contains(pieces.ofCell[c]); }))
      continue;
    const Ways ways = widestWays(grid, depth, loaded);
    int best = 0;
    std::size_t place = 0;
    for (const BriefSupport& support : job.brief.supports)
      for (const std::size_t cell : cells[support.face])
        if (ways.widest[cell] > best) {
          best = ways.widest[cell];
          place = ways.narrowest[cell];
        }
    // A place of n layers is 2n - 1 or 2n cells wide; cells it only partly fills may hide one more.
    const double width = 2 * best * job.brief.voxel;
    if (best == 0 || width >= job.brief.walls().smallestMember) continue;
    const auto at = grid.frame().centre(grid.cellIndex(place));
    std::string where;
    for (int i = 0; i < D; ++i) where += fmt::format("{}{:.4g}", i ? ", " : "", at[i] * kMillimetresPerMetre);
    found.push_back(fmt::format(
        "on the way from [loads.{}] to the supports the design space is only about {:.3g} mm wide at ({}) "
        "mm, "
        "less than the smallest member of {:.3g} mm: look whether a clear cuts it there",
        load.name, width * kMillimetresPerMetre, where,
        job.brief.walls().smallestMember * kMillimetresPerMetre));
  }
  return found;
}

/// Length, m, of members of which every load hangs on a support of its cases, without what lies in keeps: for
/// each load the shortest way through the cells, on which ways found before cost nothing more (a greedy
/// Steiner tree; Dijkstra 1959, steps to all neighbours). No layout needs less than the shortest tree, and
/// most need more, because members carry along themselves only.
template <int D>
double leastMemberLength(const Job& job) {
  const auto& domain = std::get<Domain<D>>(job.domain);
  const Grid<D>& grid = domain.grid;
  std::vector<std::uint8_t> free = domain.keep;
  const auto cellsOf = [&](std::size_t face) { return tieToGrid(grid, job.setup.faces[face].face).cells; };
  Index<D> window;
  window.fill(3);
  double sum = 0;
  for (std::size_t l = 0; l < job.setup.loads.size(); ++l) {
    if (!job.setup.actsOnFace(l)) continue;
    std::vector<std::uint8_t> held(grid.cellCount(), 0);
    for (const LoadCase& c : job.setup.cases)
      if (c.uses(l))
        for (const std::size_t s : c.supports)
          for (const std::size_t cell : cellsOf(job.setup.supports[s].face)) held[cell] = 1;
    std::vector<double> length(grid.cellCount(), std::numeric_limits<double>::infinity());
    std::vector<int> from(grid.cellCount(), -1);
    std::priority_queue<std::pair<double, std::size_t>, std::vector<std::pair<double, std::size_t>>,
                        std::greater<>>
        open;
    for (const std::size_t cell : cellsOf(job.setup.loads[l].face)) {
      length[cell] = 0;
      open.emplace(0, cell);
    }
    while (!open.empty()) {
      const auto [way, cell] = open.top();
      open.pop();
      if (way > length[cell]) continue;
      if (held[cell]) {
        sum += way;
        for (int at = static_cast<int>(cell); at >= 0; at = from[static_cast<std::size_t>(at)])
          free[static_cast<std::size_t>(at)] = 1;
        break;
      }
      forEachIndex<D>(window, [&, way = way, cell = cell](const Index<D>& offset) {
        Index<D> at = grid.cellIndex(cell);
        double squared = 0;
        for (std::size_t i = 0; i < D; ++i) {
          at[i] += offset[i] - 1;
          squared += (offset[i] - 1) * (offset[i] - 1);
        }
        const int next = grid.cellAt(at);
        if (next < 0) return;
        const auto other = static_cast<std::size_t>(next);
        const double further = way + (free[other] ? 0 : std::sqrt(squared) * grid.frame().size);
        if (further >= length[other]) return;
        length[other] = further;
        from[other] = static_cast<int>(cell);
        open.emplace(further, other);
      });
    }
  }
  return sum;
}

/// Refuses a member size that finds no room between a load and its supports.
/// @param slivers what was found of narrow places, each in a sentence.
template <int D>
void refuseNarrows(const Job& job, const std::vector<std::string>& slivers) {
  const LayoutProblem<D> problem = job.layoutProblem<D>();
  const auto narrow = loadsInNarrows(problem, OptimiseOptions().erosion);
  if (narrow.empty()) return;
  refuse(job.brief, job.brief.placeOfRule<Walls>(),
         slivers.empty() ? narrowText(problem, narrow.front()) : slivers.front(), kNarrowCure);
}

/// Warns of a target that leaves less than members need to join loads and supports.
void warnOfLeanTarget(Job& job) {
  if (job.brief.layout || job.brief.lightest) return;
  const double member = job.brief.walls().smallestMember;
  const double length = job.flat() ? leastMemberLength<2>(job) : leastMemberLength<3>(job);
  const double section = job.flat() ? member * job.regions.thickness : std::numbers::pi / 4 * member * member;
  const double needed = job.brief.material.density * section * length;
  const double left = job.targetMass - job.keepMass;
  if (left < needed)
    job.warnings.push_back(
        fmt::format("the target of {:.4g} kg leaves {:.3g} kg beside the keeps; members of {:.3g} mm from "
                    "every load to a "
                    "support ({:.4g} mm in all, by the shortest ways) weigh about {:.3g} kg: a layout will "
                    "hardly connect below "
                    "about {:.3g} kg",
                    job.targetMass, left, member * kMillimetresPerMetre, length * kMillimetresPerMetre,
                    needed, job.keepMass + needed));
  else if (left < kLittle * (job.spaceMass - job.keepMass))
    job.warnings.push_back(
        fmt::format("the target of {:.4g} kg leaves {:.3g} kg beside the keeps, {:.2g} % of the space that "
                    "is to be designed",
                    job.targetMass, left, 100 * left / (job.spaceMass - job.keepMass)));
}

/// Warns of bounds of the mass that the target will not hold, seen before anything is computed.
void warnOfMassBounds(Job& job) {
  if (job.brief.lightest) return;
  constexpr double kRounding = 1e-6;
  if (!job.brief.solid.keepVolume) return;  // then the mass is what comes out
  for (const Requirement& r : job.brief.requirements)
    if (r.kind == Requirement::Kind::mass && r.bound < (1 - kRounding) * job.targetMass)
      job.warnings.push_back(fmt::format(
          "[require] wants at most {:.4g} kg, but the target is {:.4g} kg{}: that cannot be met", r.bound,
          job.targetMass,
          r.bound < job.keepMass ? fmt::format(", and the keeps alone weigh {:.4g} kg", job.keepMass) : ""));
}

/// Warns of holes and clears the voxels are too coarse for.
void warnOfLostFeatures(Job& job) {
  std::vector<Patch> patches;
  job.regions.space->appendPatches(patches);
  std::vector<double> lost;
  for (const Patch& patch : patches)
    // A wall that goes all round: fillets of inner corners are as small, and no loss.
    if (patch.kind == Patch::Kind::cylinder && patch.isHole() && patch.sweep == 0 &&
        patch.radius < job.brief.voxel)
      lost.push_back(2 * patch.radius);
  if (!lost.empty())
    job.warnings.push_back(
        fmt::format("{} of the design space's round holes are under two voxels across, the smallest {:.3g} "
                    "mm: the layout "
                    "hardly sees them, the solid does. Fill them ('fill'), or take smaller voxels",
                    lost.size(), *std::min_element(lost.begin(), lost.end()) * kMillimetresPerMetre));
  const Vec3 margin = Vec3::Constant(2 * job.brief.voxel);
  const Box near(job.regions.bounds().min() - margin, job.regions.bounds().max() + margin);
  for (std::size_t c = 0; c < job.regions.clears.size(); ++c) {
    const Sampled clear = sampledInside(*job.regions.clears[c], near, job.regions.thickness,
                                        0.5 * job.brief.voxel, {}, job.brief.voxel);
    if (clear.inside == 0 && job.regions.clears[c]->bounds().intersection(near).isEmpty()) {
      job.warnings.push_back(fmt::format("clear \"{}\" lies beside the design space and takes nothing of it",
                                         job.brief.shapes[job.brief.clears[c]].name));
      continue;
    }
    const double thickness = clear.thickness;
    if (thickness >= job.brief.voxel) continue;
    const double least = narrowestHeld(job.regions);
    job.warnings.push_back(fmt::format(
        "clear \"{}\" is {:.3g} mm thick, less than a voxel of {:.3g} mm: the layout may close it, {}",
        job.brief.shapes[job.brief.clears[c]].name, thickness * kMillimetresPerMetre,
        job.brief.voxel * kMillimetresPerMetre,
        thickness >= least
            ? "the solid does not"
            : fmt::format("and so may the solid, which in a space of this size holds none under "
                          "{:.2g} mm",
                          least * kMillimetresPerMetre)));
  }
}

/// Loads that no part of the design space can feel, or that what it is made of does not answer to.
void checkWholeLoads(Job& job) {
  for (std::size_t l = 0; l < job.setup.loads.size(); ++l) {
    const Load& load = job.setup.loads[l];
    const TextPlace place = job.brief.loads[l].place;
    if (std::holds_alternative<Temperature>(load.kind))
      for (const Material& material : job.setup.materials)
        if (material.expansion == 0)
          refuse(job.brief, place,
                 fmt::format("[loads.{}] changes the temperature, and {} has no 'expansion'", load.name,
                             material.name),
                 "give the material one, e.g. expansion = \"23 um/(m K)\"");
    const BodyForce* force = std::get_if<BodyForce>(&load.kind);
    if (!force || force->isEven()) continue;
    // What spins has no force on its axis: the place in the middle of the space that is nearest to there
    // tells how far off it is.
    const Box space = job.regions.space->bounds();
    const Eigen::Matrix3d& gradient = force->gradient;
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(gradient, Eigen::ComputeFullU | Eigen::ComputeFullV);
    const Vec3 off = svd.solve(force->at(space.center()));
    const double reach = 0.5 * space.sizes().norm();
    if (off.norm() > reach)
      job.warnings.push_back(
          fmt::format("[loads.{}]: the axis passes {:.4g} mm from the middle of the design space, which "
                      "reaches {:.4g} mm: "
                      "look whether 'through' and 'axis' are meant so",
                      load.name, kMillimetresPerMetre * off.norm(), kMillimetresPerMetre * reach));
  }
}

void warnOfUnused(Job& job) {
  const auto inNone = [&](const auto& isIn) {
    return std::none_of(job.brief.cases.begin(), job.brief.cases.end(), isIn);
  };
  for (std::size_t l = 0; l < job.brief.loads.size(); ++l)
    if (inNone([&](const BriefCase& c) { return c.uses(l); }))
      job.warnings.push_back(fmt::format("[loads.{}] (line {}) acts in no case", job.brief.loads[l].name,
                                         job.brief.loads[l].place.line));
  for (std::size_t s = 0; s < job.brief.supports.size(); ++s)
    if (inNone([&](const BriefCase& c) { return c.standsOn(s); }))
      job.warnings.push_back(fmt::format("[supports.{}] (line {}) holds in no case",
                                         job.brief.supports[s].name, job.brief.supports[s].place.line));
}

}  // namespace

void checkKeeps(Job& job) {
  for (std::size_t k = 0; k < job.brief.keeps.size(); ++k) {
    if (job.brief.keeps[k].assumed) continue;  // whatever there is of it will do
    const Sampled keep = sampledInside(*job.regions.keeps[k], job.regions.bounds(), job.regions.thickness,
                                       0.5 * job.brief.voxel, job.regions.clears);
    const std::string name = job.brief.nameOf(job.brief.keeps[k]);
    if (keep.cleared > 0.5)
      refuse(job.brief, job.brief.keeps[k].place,
             fmt::format("keep \"{}\" lies to {:.0f} % inside clear regions, which win", name,
                         100 * keep.cleared),
             "move one of them, or take the keep out");
    if (keep.cleared > 0.02)
      job.warnings.push_back(fmt::format("keep \"{}\" loses {:.0f} % of itself to clear regions, which win",
                                         name, 100 * keep.cleared));
    if (keep.thickness < 1.95 * job.brief.voxel)
      job.warnings.push_back(
          fmt::format("keep \"{}\" is {:.3g} mm thick, less than two voxels of {:.3g} mm: it "
                      "may vanish between them",
                      name, keep.thickness * kMillimetresPerMetre, job.brief.voxel * kMillimetresPerMetre));
  }
}

namespace {

/// What only matters where a layout is designed.
void warnOfDesign(Job& job) {
  const std::vector<std::string> narrow = job.flat() ? slivers<2>(job) : slivers<3>(job);
  if (!job.brief.layout && job.flat()) refuseNarrows<2>(job, narrow);
  if (!job.brief.layout && !job.flat()) refuseNarrows<3>(job, narrow);
  job.warnings.insert(job.warnings.end(), narrow.begin(), narrow.end());
  checkMaking(job);
  warnOfLeanTarget(job);
  warnOfMassBounds(job);
  if (job.brief.walls().smallestMember < 2.999 * job.brief.voxel)
    job.warnings.push_back(fmt::format(
        "the smallest member of {:.3g} mm is under three voxels of {:.3g} mm: expect ragged members",
        job.brief.walls().smallestMember * kMillimetresPerMetre, job.brief.voxel * kMillimetresPerMetre));
}

/// A case that is another one on the same supports, scaled, tells nothing new.
void warnOfScaledCases(Job& job) {
  const std::vector<LoadCase>& cases = job.setup.cases;
  const auto factorsOf = [&](const LoadCase& c) {
    Eigen::VectorXd factors = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(job.setup.loads.size()));
    for (const LoadCase::Factor& f : c.loads) factors[static_cast<Eigen::Index>(f.load)] += f.factor;
    return factors;
  };
  for (std::size_t k = 0; k < cases.size(); ++k)
    for (std::size_t other = 0; other < k; ++other) {
      if (cases[k].supports != cases[other].supports) continue;
      const Eigen::VectorXd own = factorsOf(cases[k]);
      const Eigen::VectorXd its = factorsOf(cases[other]);
      const double times = own.dot(its) / its.squaredNorm();
      constexpr double kSame = 1e-9;
      if (times == 0 || !((own - times * its).norm() <= kSame * own.norm())) continue;
      job.warnings.push_back(
          fmt::format("case {} is case {} times {:.4g}: it tells nothing that one does not", cases[k].name,
                      cases[other].name, times));
      break;
    }
}

}  // namespace

void warnOfSurprises(Job& job) {
  if (job.brief.designs) warnOfDesign(job);
  warnOfLostFeatures(job);
  warnOfUnused(job);
  warnOfScaledCases(job);
  checkWholeLoads(job);
}
}  // namespace barelattice
