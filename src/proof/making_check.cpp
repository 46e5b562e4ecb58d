#include "barelattice/proof/making_check.hpp"

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <memory>
#include <numbers>
#include <numeric>

#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "local_share.hpp"
#include "meshes/parallel_rays.hpp"
#include "meshes/point_grid.hpp"
#include "thickness.hpp"
#include "tool_reach.hpp"
#include "trapped_voids.hpp"

namespace barelattice {
namespace {

/// What every measure looks at.
struct Looked {
  const TriangleMesh& solid;
  const Regions& regions;
  const MakingCheckOptions& options;
  std::vector<SurfacePoint> points;
  std::vector<Vec3> normals;         // of the points, each the mean of those round it
  std::vector<std::uint8_t> stated;  // on a face of a keep or clear, or nearly
  double area = 0;                   // m2

  bool flat() const { return regions.thickness > 0; }
  /// On the faces a sheet is cut from.
  bool onSheet(std::size_t i) const { return flat() && std::abs(points[i].normal.z()) > 0.5; }
  bool free(std::size_t i) const { return !stated[i] && !onSheet(i); }
};

bool isStated(const Regions& regions, const Vec3& point, double within) {
  const auto on = [&](const ShapePtr& shape) { return std::abs(shape->distance(point)) < within; };
  return std::any_of(regions.keeps.begin(), regions.keeps.end(), on) ||
         std::any_of(regions.clears.begin(), regions.clears.end(), on) ||
         (regions.hasBonded() && std::abs(regions.bonded(point)) < within);
}

/// The mean normals of what lies within `reach` of each point and faces the same way: what a surface leans by
/// where its triangles are no larger than its waves.
std::vector<Vec3> meanNormals(const std::vector<SurfacePoint>& points, double reach) {
  PointGrid grid(reach);
  for (const SurfacePoint& point : points) grid.add(point.position);
  std::vector<Vec3> normals(points.size());
  forEach(
      points.size(),
      [&](std::size_t i) {
        Vec3 sum = Vec3::Zero();
        grid.visitNear(points[i].position, [&](int k) {
          const SurfacePoint& other = points[static_cast<std::size_t>(k)];
          const bool near = (other.position - points[i].position).squaredNorm() <= reach * reach;
          constexpr double kSameWay = 0.5;
          if (near && other.normal.dot(points[i].normal) > kSameWay) sum += other.area * other.normal;
          return false;
        });
        normals[i] = sum.stableNormalized();
      },
      64);
  return normals;
}

/// Leaves out what is marked in strips narrower than twice the reach: all but what lies round a place that
/// has nothing unmarked within it (an opening, whose second step reaches half as far again, into corners).
void openMarks(const std::vector<SurfacePoint>& points, double reach, std::vector<double>& weight) {
  const double wide = 1.5 * reach;
  PointGrid grid(wide);
  for (const SurfacePoint& point : points) grid.add(point.position);
  const auto anyWithin = [&](double distance, std::size_t i, const auto& is) {
    return grid.visitNear(points[i].position, [&](int k) {
      const auto other = static_cast<std::size_t>(k);
      return is(other) && (points[other].position - points[i].position).squaredNorm() <= distance * distance;
    });
  };
  std::vector<std::uint8_t> inner(points.size(), 0);
  forEach(
      points.size(),
      [&](std::size_t i) {
        constexpr double kOtherSide = -0.5;  // of a thin plate, which is no border
        inner[i] = weight[i] > 0 && !anyWithin(reach, i, [&](std::size_t k) {
                     return weight[k] == 0 && points[k].normal.dot(points[i].normal) > kOtherSide;
                   });
      },
      64);
  forEach(
      points.size(),
      [&](std::size_t i) {
        if (weight[i] > 0 && !anyWithin(wide, i, [&](std::size_t k) { return inner[k] != 0; })) weight[i] = 0;
      },
      64);
}

/// The value which only points of little area in all undercut, and where.
/// @param values smaller is worse; infinite for none.
MakingFinding leastOf(const std::vector<double>& values, const std::vector<SurfacePoint>& points,
                      double littleArea) {
  std::vector<std::size_t> order(values.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return values[a] != values[b] ? values[a] < values[b] : a < b;
  });
  MakingFinding finding;
  double area = 0;
  for (const std::size_t i : order) {
    if (!std::isfinite(values[i])) break;
    area += points[i].area;
    if (area < littleArea) continue;
    finding.value = values[i];
    finding.at = points[i].position;
    break;
  }
  return finding;
}

/// The area of marked points, its share, and the middle of its worst place: where most of it lies within four
/// spacings.
void sumMarked(const Looked& looked, const std::vector<double>& weight, MakingFinding& finding) {
  double sum = 0;
  std::vector<std::size_t> marked;
  for (std::size_t i = 0; i < weight.size(); ++i)
    if (weight[i] > 0) {
      sum += looked.points[i].area;
      marked.push_back(i);
    }
  finding.value = sum;
  finding.share = sum / looked.area;
  if (marked.empty()) return;
  const double reach = 4 * looked.options.spacing;
  constexpr std::size_t kTried = 200;
  double most = 0;
  for (std::size_t k = 0; k < marked.size(); k += 1 + marked.size() / kTried) {
    const Vec3& at = looked.points[marked[k]].position;
    double near = 0;
    for (const std::size_t i : marked)
      if ((looked.points[i].position - at).squaredNorm() < reach * reach)
        near += weight[i] * looked.points[i].area;
    if (near <= most) continue;
    most = near;
    finding.at = at;
  }
}

void measureWalls(const Looked& looked, const Walls& rule, std::size_t number,
                  std::vector<MakingFinding>& findings) {
  const double little = 0.25 * rule.smallestMember * rule.smallestMember;
  const double largest = looked.options.largest > 0 ? looked.options.largest : 2 * rule.smallestMember;
  for (const bool gaps : {false, true}) {
    const auto balls = ballsBetween(looked.solid, looked.points, largest, gaps);
    std::vector<double> diameters(balls.size(), std::numeric_limits<double>::infinity());
    for (std::size_t i = 0; i < balls.size(); ++i)
      if (balls[i] && !looked.onSheet(i) && (gaps || looked.regions.kept(balls[i]->centre) > 0))
        diameters[i] = balls[i]->diameter;
    MakingFinding finding = leastOf(diameters, looked.points, little);
    finding.rule = number;
    finding.measure = gaps ? MakingMeasure::narrowestGap : MakingMeasure::thinnestWall;
    double thin = 0;
    for (std::size_t i = 0; i < diameters.size(); ++i)
      if (diameters[i] < rule.smallestMember) thin += looked.points[i].area;
    finding.share = thin / looked.area;
    findings.push_back(finding);
  }
}

void measureLocalShare(const Looked& looked, const LocalShare& rule, std::size_t number,
                       std::vector<MakingFinding>& findings) {
  MakingFinding finding{number, MakingMeasure::localShare, {}, {}, 0, Vec3::Zero(), true};
  if (const std::optional<FullestPlace> fullest =
          fullestPlace(looked.solid, looked.regions, rule.within, looked.options.spacing)) {
    finding.value = fullest->share;
    finding.bound = (1 + kShareSlack) * rule.most;
    finding.holds = fullest->share <= *finding.bound;
    finding.at = fullest->at;
  }
  findings.push_back(finding);
}

double lowestAlong(const TriangleMesh& solid, const Vec3& direction) {
  double lowest = std::numeric_limits<double>::max();
  for (const Vec3& vertex : solid.vertices) lowest = std::min(lowest, direction.dot(vertex));
  return lowest;
}

void measureSymmetry(const Looked& looked, const SymmetryRule& rule, std::size_t number,
                     std::vector<MakingFinding>& findings) {
  // Along a section by a third of how long the part is there: far enough to tell, and most of it has an
  // image.
  const auto* section = std::get_if<ConstantSection>(&rule);
  const double low = section ? lowestAlong(looked.solid, section->along) : 0;
  const double high = section ? -lowestAlong(looked.solid, -section->along) : 0;
  const Eigen::Isometry3d motion = motionOf(rule, (high - low) / 3);
  const double tolerance = looked.options.tolerance;
  const TriangleTree tree(looked.solid);
  std::vector<double> nearness(looked.points.size(), std::numeric_limits<double>::infinity());
  forEach(
      nearness.size(),
      [&](std::size_t i) {
        const Vec3& place = looked.points[i].position;
        const Vec3 image = motion * place;
        if (section) {  // between the ends of the part, wherever those are
          const double at = section->along.dot(place);
          const double there = section->along.dot(image);
          if (std::min(at - low, high - there) < 2 * tolerance) return;
        }
        // What the space, a keep or a clear does not repeat is not the layout's to repeat.
        const double margin = 2 * tolerance;
        if (looked.stated[i] || looked.regions.available(image) > -margin ||
            std::abs(looked.regions.space->distance(looked.points[i].position)) < margin ||
            looked.regions.kept(image) < margin || isStated(looked.regions, image, margin))
          return;
        nearness[i] = -tree.nearest(image).distance;
      },
      64);
  MakingFinding finding = leastOf(nearness, looked.points, tolerance * tolerance);
  finding.rule = number;
  finding.measure = MakingMeasure::asymmetry;
  if (finding.value) {  // something had an image to be compared with
    finding.value = -*finding.value;
    finding.bound = 2 * tolerance;
    finding.holds = *finding.value <= *finding.bound;
    double apart = 0;
    for (std::size_t i = 0; i < nearness.size(); ++i)
      if (-nearness[i] > *finding.bound) apart += looked.points[i].area;
    finding.share = apart / looked.area;
  }
  findings.push_back(finding);
}

/// Walls that do not lean away from the draw: a ray that leans into the wall by the draft, from a tolerance
/// off it, meets the part again.
/// @param from the side each point is drawn to; -1 for none.
void measureDraft(const Looked& looked, const Casting& cast, const std::vector<Vec3>& sides,
                  const std::vector<int>& from, std::size_t number, std::vector<MakingFinding>& findings) {
  constexpr int kAround = 8;      // ways a wall may look, as seen along the draw
  constexpr double kSteep = 0.5;  // sine of the angle from which a face is no wall
  std::vector<double> upright(looked.points.size(), 0.0);
  const double tolerance = looked.options.tolerance;
  for (std::size_t s = 0; s < sides.size(); ++s) {
    const Eigen::Quaterniond turn = Eigen::Quaterniond::FromTwoVectors(Vec3::UnitZ(), sides[s]);
    std::array<std::vector<std::size_t>, kAround> walls;
    for (std::size_t i = 0; i < from.size(); ++i) {
      const SurfacePoint& point = looked.points[i];
      // What lies against a wall of the space leans as that does.
      if (from[i] != static_cast<int>(s) || std::abs(point.normal.dot(sides[s])) > kSteep ||
          std::abs(looked.regions.space->distance(point.position)) < 2 * tolerance)
        continue;
      const Vec3 seen = turn.conjugate() * point.normal;
      const double angle = std::atan2(seen.y(), seen.x()) / (2 * std::numbers::pi) * kAround;
      walls[static_cast<std::size_t>(std::lround(angle) + kAround) % kAround].push_back(i);
    }
    for (int k = 0; k < kAround; ++k) {
      const double angle = 2 * std::numbers::pi * k / kAround;
      const Vec3 aside = turn * Vec3(std::cos(angle), std::sin(angle), 0);
      const ParallelRays rays(looked.solid, std::cos(cast.draft) * sides[s] - std::sin(cast.draft) * aside);
      const std::vector<std::size_t>& those = walls[static_cast<std::size_t>(k)];
      forEach(
          those.size(),
          [&](std::size_t w) {
            const SurfacePoint& point = looked.points[those[w]];
            if (rays.untilEntering(point.position + tolerance * point.normal)) upright[those[w]] = 1;
          },
          16);
    }
  }
  MakingFinding finding{number, MakingMeasure::withoutDraft, {}, kSmallArea * looked.area, 0, Vec3::Zero(),
                        true};
  sumMarked(looked, upright, finding);
  finding.holds = *finding.value <= *finding.bound;
  findings.push_back(finding);
}

/// What none of the sides sees that material is taken away from.
void measureAccess(const Looked& looked, const MakingRule& rule, std::size_t number,
                   std::vector<MakingFinding>& findings) {
  const std::vector<Vec3> sides = sidesOf(rule);
  const auto* cast = std::get_if<Casting>(&rule);
  const double tolerance = looked.options.tolerance;
  std::vector<std::unique_ptr<ParallelRays>> rays;
  rays.reserve(sides.size());
  for (const Vec3& side : sides) rays.push_back(std::make_unique<ParallelRays>(looked.solid, side));
  const auto* mill = std::get_if<Milling>(&rule);
  std::vector<ToolReach> tools;
  for (std::size_t s = 0; s < sides.size() && mill && mill->tool.diameter > 0; ++s)
    tools.emplace_back(looked.solid, *rays[s], sides[s], mill->tool, tolerance);
  double back = std::numeric_limits<double>::lowest();  // where a part with one half of a mould lies
  if (cast && cast->parting == Casting::Parting::back) back = lowestAlong(looked.solid, cast->draw);
  std::vector<double> blocked(looked.points.size(), 0.0);
  std::vector<int> from(looked.points.size(), -1);
  forEach(
      blocked.size(),
      [&](std::size_t i) {
        if (!looked.free(i)) return;
        const SurfacePoint& point = looked.points[i];
        if (cast && cast->draw.dot(point.position) < back + tolerance) return;
        bool reached = false;
        double best = -1;  // how much a face looks that way
        for (std::size_t s = 0; s < sides.size(); ++s) {
          if (cast && cast->parting == Casting::Parting::plane) {
            const double beyond = cast->draw.dot(point.position) - cast->at;
            if (std::abs(beyond) < tolerance) reached = true;
            if ((beyond > 0) != (s == 0)) continue;
          }
          const Vec3 off = point.position + tolerance * point.normal;
          if (rays[s]->untilEntering(off)) continue;
          if (!tools.empty() && !tools[s].reaches(off)) continue;
          reached = true;
          if (const double looks = point.normal.dot(sides[s]); looks > best) {
            best = looks;
            from[i] = static_cast<int>(s);
          }
        }
        if (!reached) blocked[i] = 1;
      },
      16);
  MakingFinding finding{number, MakingMeasure::unreachable, {}, kSmallArea * looked.area, 0, Vec3::Zero(),
                        true};
  sumMarked(looked, blocked, finding);
  finding.holds = *finding.value <= *finding.bound;
  findings.push_back(finding);
  if (cast && cast->draft > 0) measureDraft(looked, *cast, sides, from, number, findings);
}

/// Voids that nothing can leave, or not what fills the opening.
void measureVoids(const Looked& looked, double opening, std::size_t number,
                  std::vector<MakingFinding>& findings) {
  MakingFinding voids{number, MakingMeasure::enclosedVoid, 0.0, 0.0, 0, Vec3::Zero(), true};
  double largest = 0;
  const std::vector<double> volumes = shellVolumes(looked.solid);
  if (std::any_of(volumes.begin(), volumes.end(), [](double v) { return v < 0; })) {
    const std::vector<TriangleMesh> shells = shellsOf(looked.solid);
    for (std::size_t s = 0; s < shells.size(); ++s) {
      if (volumes[s] >= 0) continue;
      voids.value = *voids.value - volumes[s];
      if (-volumes[s] <= largest) continue;
      largest = -volumes[s];
      voids.at = shells[s].bounds().center();
    }
  }
  if (opening > 0) {
    const TrappedVoids trapped = trappedVoids(looked.solid, opening, looked.options.tolerance);
    if (trapped.volume > *voids.value) {
      voids.value = trapped.volume;
      voids.at = trapped.at;
    }
  }
  voids.holds = *voids.value == 0;
  findings.push_back(voids);
}

/// The room of columns from what hangs down to the part or the plate, m3.
double supportVolume(const Looked& looked, const Printing& rule, double plate,
                     const std::vector<double>& hanging) {
  const ParallelRays down(looked.solid, -rule.up);
  double volume = 0;
  for (std::size_t i = 0; i < hanging.size(); ++i) {
    if (hanging[i] <= 0) continue;
    const SurfacePoint& point = looked.points[i];
    const Vec3 off = point.position + looked.options.tolerance * point.normal;
    const double height = down.untilEntering(off).value_or(rule.up.dot(off) - plate);
    volume += point.area * std::max(0.0, -rule.up.dot(point.normal)) * height;
  }
  return volume;
}

void measurePrint(const Looked& looked, const Printing& rule, std::size_t number,
                  std::vector<MakingFinding>& findings) {
  const double plate = lowestAlong(looked.solid, rule.up);
  const double least = -std::sin(std::min(rule.overhang + kAngleSlack, 1.57));
  std::vector<double> hanging(looked.points.size(), 0.0);
  for (std::size_t i = 0; i < hanging.size(); ++i) {
    const SurfacePoint& point = looked.points[i];
    const bool onPlate = rule.up.dot(point.position) < plate + 2 * looked.options.tolerance;
    if (looked.free(i) && !onPlate && rule.up.dot(looked.normals[i]) < least)
      hanging[i] = -rule.up.dot(looked.normals[i]);
  }
  openMarks(looked.points, 2 * looked.options.tolerance, hanging);
  MakingFinding finding{number, MakingMeasure::unsupported, {}, kSmallArea * looked.area, 0, Vec3::Zero(),
                        true};
  sumMarked(looked, hanging, finding);
  finding.holds = *finding.value <= *finding.bound;
  findings.push_back(finding);

  MakingFinding supports{number, MakingMeasure::supports, {}, {}, 0, finding.at, true};
  supports.value = supportVolume(looked, rule, plate, hanging);
  findings.push_back(supports);
  measureVoids(looked, 0, number, findings);
}

}  // namespace

std::string describe(MakingMeasure measure) {
  switch (measure) {
    case MakingMeasure::thinnestWall:
      return "thinnest wall";
    case MakingMeasure::narrowestGap:
      return "narrowest gap";
    case MakingMeasure::localShare:
      return "fullest place";
    case MakingMeasure::asymmetry:
      return "distance from its image";
    case MakingMeasure::unreachable:
      return "surface out of reach";
    case MakingMeasure::withoutDraft:
      return "walls without draft";
    case MakingMeasure::unsupported:
      return "unsupported surface";
    case MakingMeasure::supports:
      return "room for supports";
    case MakingMeasure::enclosedVoid:
      return "enclosed voids";
  }
  return {};
}

std::vector<MakingFinding> measureMaking(const TriangleMesh& solid, const std::vector<MakingRule>& rules,
                                         const Regions& regions, const MakingCheckOptions& options) {
  requirePositive("spacing", options.spacing);
  requirePositive("tolerance", options.tolerance);
  validate(regions);
  if (solid.triangles.empty()) throw InputError("the solid has no triangles");
  Looked looked{solid, regions, options, pointsOf(solid, options.spacing), {}, {}, 0};
  // Triangles without area have no normal.
  std::erase_if(looked.points, [](const SurfacePoint& p) { return !(p.area > 0) || !p.normal.allFinite(); });
  looked.stated.resize(looked.points.size());
  forEach(
      looked.points.size(),
      [&](std::size_t i) {
        looked.stated[i] = isStated(regions, looked.points[i].position, 2 * options.tolerance);
      },
      256);
  looked.normals = meanNormals(looked.points, std::max(4 * options.tolerance, 2 * options.spacing));
  for (const SurfacePoint& point : looked.points) looked.area += point.area;
  std::vector<MakingFinding> findings;
  for (std::size_t r = 0; r < rules.size(); ++r) {
    if (const auto* walls = std::get_if<Walls>(&rules[r])) measureWalls(looked, *walls, r, findings);
    if (const auto* share = std::get_if<LocalShare>(&rules[r]))
      measureLocalShare(looked, *share, r, findings);
    for (const SymmetryRule& symmetry : symmetriesOf({rules[r]}))
      measureSymmetry(looked, symmetry, r, findings);
    if (!sidesOf(rules[r]).empty()) measureAccess(looked, rules[r], r, findings);
    if (const auto* print = std::get_if<Printing>(&rules[r])) measurePrint(looked, *print, r, findings);
    if (const auto* voids = std::get_if<OpenVoids>(&rules[r]); voids && !looked.flat())
      measureVoids(looked, voids->opening, r, findings);
  }
  return findings;
}

}  // namespace barelattice
