#include "barelattice/shapes/face.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "shape_parts.hpp"

namespace barelattice {
namespace {

constexpr double kRimShare = 0.02;                   // of the reach across a face: what counts as on its rim
constexpr double kDirectionTolerance = 0.999847695;  // cosine of one degree

struct Candidate {
  Patch patch;
  std::vector<SurfacePoint> points;
};

bool fits(const Patch& patch, const FaceSelector& selector) {
  if (patch.kind != selector.kind) return false;
  const bool round = patch.kind != Patch::Kind::plane && patch.kind != Patch::Kind::freeform;
  if (selector.radius && !(round && selector.radius->holds(patch.radius))) return false;
  if (selector.hole && patch.isHole() != *selector.hole) return false;
  if (selector.direction) {
    const double cosine = patch.direction().dot(selector.direction->normalized());
    const bool axis = patch.kind != Patch::Kind::plane;
    if ((axis ? std::abs(cosine) : cosine) < kDirectionTolerance) return false;
  }
  return true;
}

/// What can only be told from where the piece lies.
bool fits(const std::vector<SurfacePoint>& points, const FaceSelector& selector, double spacing) {
  if (selector.area && !selector.area->holds(Face{.points = points, .patches = {}}.area())) return false;
  if (selector.within) {
    const double slack = 1e-3 * spacing;
    const Box box(selector.within->min() - Vec3::Constant(slack),
                  selector.within->max() + Vec3::Constant(slack));
    if (std::any_of(points.begin(), points.end(),
                    [&](const SurfacePoint& p) { return !box.contains(p.position); }))
      return false;
  }
  return std::all_of(selector.beside.begin(), selector.beside.end(), [&](const Face* other) {
    // Points lie in the middle of cells of at most `spacing`: across a common edge they are that close.
    const double reach = 1.5 * spacing;
    Box around;
    for (const SurfacePoint& p : other->points) around.extend(p.position);
    return std::any_of(points.begin(), points.end(), [&](const SurfacePoint& p) {
      return around.exteriorDistance(p.position) < reach &&
             std::any_of(other->points.begin(), other->points.end(), [&](const SurfacePoint& q) {
               return (p.position - q.position).squaredNorm() < reach * reach;
             });
    });
  });
}

/// A piece cut back to what can lie within a box: one of a huge shape that only trims costs no more than it
/// contributes.
Patch clipped(Patch patch, const Box& box) {
  if (patch.net) return patch;
  const auto clip = [&](Vec3& edge) {
    const Vec3 along = edge.normalized();
    double low = std::numeric_limits<double>::max();
    double high = std::numeric_limits<double>::lowest();
    for (int corner = 0; corner < 8; ++corner) {
      const double at = along.dot(box.corner(static_cast<Box::CornerType>(corner)) - patch.origin);
      low = std::min(low, at);
      high = std::max(high, at);
    }
    low = std::max(low, 0.0);
    high = std::min(high, edge.norm());
    if (low >= high) return;
    patch.origin += low * along;
    edge = (high - low) * along;
  };
  if (patch.kind == Patch::Kind::plane && std::abs(patch.u.normalized().dot(patch.v.normalized())) < 1e-9) {
    clip(patch.u);
    clip(patch.v);
  } else if (patch.kind == Patch::Kind::cylinder) {
    clip(patch.v);
  }
  return patch;
}

/// Points that lie together: the indices of those in each cube of edge `size` (m).
std::vector<std::vector<std::size_t>> byPlace(const std::vector<SurfacePoint>& points, double size) {
  std::map<std::array<long, 3>, std::vector<std::size_t>> cubes;
  for (std::size_t p = 0; p < points.size(); ++p) {
    const Vec3 at = (points[p].position / size).array().floor();
    cubes[{std::lround(at.x()), std::lround(at.y()), std::lround(at.z())}].push_back(p);
  }
  std::vector<std::vector<std::size_t>> places;
  for (auto& [cube, own] : cubes) places.push_back(std::move(own));
  return places;
}

/// How far off the boundary of its body a point of a patch may seem to lie, m.
double slackOf(const Patch& patch, double spacing) {
  return std::max(1e-6 * spacing, patch.net ? 2 * patch.net->deviation : 0.0);
}

/// The part of a patch that lies on the boundary of the shape.
std::vector<SurfacePoint> trimmed(const Patch& patch, const Shape& shape, double spacing) {
  const double onSurface = slackOf(patch, spacing);
  constexpr double kMost = 3e7;  // points, which take memory
  const double area = extentOf(patch);
  if (area / (spacing * spacing) > kMost)
    throw InputError(fmt::format("a piece of {:.3g} m2 of surface cannot be looked at in steps of {:.3g} mm",
                                 area, spacing * kMillimetresPerMetre),
                     "make the shape no larger than the part, or the voxels larger");
  constexpr double kPlace = 6;  // steps along a place whose points ask a body of their own
  const auto kept = [&](double step) {
    std::vector<SurfacePoint> points = patch.sample(step);
    const std::size_t all = points.size();
    const std::vector<std::vector<std::size_t>> places = byPlace(points, kPlace * step);
    forEach(
        places.size(),
        [&](std::size_t place) {
          Box box;
          for (const std::size_t p : places[place]) box.extend(points[p].position);
          const ShapePtr local = shape.local(box.center(), 0.5 * box.diagonal().norm());
          for (const std::size_t p : places[place])
            if (std::abs(local->distance(points[p].position)) > onSurface) points[p].area = 0;
        },
        16);
    std::erase_if(points, [](const SurfacePoint& p) { return p.area == 0; });
    // Of a piece with a net a point now and then lies off by rounding.
    constexpr double kStray = 0.02;
    const double off = static_cast<double>(all - points.size());
    return std::pair{points, off > (patch.net ? kStray * static_cast<double>(all) : 0.0)};
  };
  auto [points, cut] = kept(spacing);
  // Where only part of a piece lies on the boundary, its edge is followed more closely: areas and resultants
  // depend on it.
  constexpr double kFiner = 0.25;
  constexpr std::size_t kMostPoints = 20'000;
  if (cut && !points.empty() && points.size() < kMostPoints) points = kept(kFiner * spacing).first;
  return points;
}

double nearest(const Candidate& candidate, const Vec3& place) {
  double least = std::numeric_limits<double>::max();
  for (const SurfacePoint& point : candidate.points)
    least = std::min(least, (point.position - place).squaredNorm());
  return least;
}

std::string described(const Candidate& candidate) {
  const Vec3 d = candidate.patch.direction() + Vec3::Zero();  // no -0
  const Vec3 at = Face{.points = candidate.points, .patches = {}}.centroid() * kMillimetresPerMetre;
  if (candidate.patch.kind == Patch::Kind::freeform)
    return fmt::format("freeform round ({:.3g}, {:.3g}, {:.3g}) mm", at.x(), at.y(), at.z());
  if (candidate.patch.kind != Patch::Kind::plane)
    return fmt::format("{} of radius {:.4g} mm ({}) round ({:.3g}, {:.3g}, {:.3g}) mm",
                       nameOf(candidate.patch.kind), candidate.patch.radius * kMillimetresPerMetre,
                       candidate.patch.isHole() ? "hole" : "boss", at.x(), at.y(), at.z());
  return fmt::format("plane facing ({:.3g}, {:.3g}, {:.3g}) round ({:.3g}, {:.3g}, {:.3g}) mm", d.x(), d.y(),
                     d.z(), at.x(), at.y(), at.z());
}

std::string listed(const std::vector<Candidate>& candidates) {
  constexpr std::size_t kMost = 8;
  std::string text;
  for (std::size_t i = 0; i < std::min(candidates.size(), kMost); ++i)
    text += (i ? "; " : "") + described(candidates[i]);
  if (candidates.size() > kMost) text += fmt::format("; and {} more", candidates.size() - kMost);
  return text;
}

}  // namespace

const std::vector<std::string>& patchKindNames() {
  static const std::vector<std::string> names{"plane", "cylinder", "cone", "sphere", "torus", "freeform"};
  return names;
}

const std::string& nameOf(Patch::Kind kind) {
  return patchKindNames()[static_cast<std::size_t>(kind)];
}

double Face::area() const {
  double sum = 0;
  for (const SurfacePoint& point : points) sum += point.area;
  return sum;
}

Vec3 Face::centroid() const {
  Vec3 sum = Vec3::Zero();
  for (const SurfacePoint& point : points) sum += point.area * point.position;
  return sum / area();
}

const Patch* Face::patchAt(const Vec3& point, double reach) const {
  const auto found = std::find_if(patches.begin(), patches.end(), [&](const Patch& patch) {
    const double height = patch.height(point);
    if (std::abs(height) > reach) return false;
    // A point may lie off the face by the chord of a mesh: the rim is sought on the face itself. Those meant
    // to lie on the rim do so within rounding of what put them there.
    const Vec3 on = point - height * patch.normal(point);
    const double beyond = slack + kRimShare * reach;
    return patch.spans(on, beyond) && (!shape || std::abs(shape->distance(on)) <= beyond);
  });
  return found == patches.end() ? nullptr : &*found;
}

Face selectFace(const Shape& shape, const FaceSelector& selector, double spacing) {
  requirePositive("spacing", spacing);
  if (selector.count < 1)
    throw InputError(fmt::format("{} pieces are wanted", selector.count), "give 1 or more");
  for (const Face* beside : selector.beside) requireGiven("a face beside it", beside);
  std::vector<Patch> patches;
  shape.appendPatches(patches);
  std::vector<Candidate> matching;
  const Box bounds = shape.bounds();
  for (const Patch& whole : patches) {
    if (!fits(whole, selector)) continue;
    const Patch patch = clipped(whole, bounds);
    Candidate candidate{patch, trimmed(patch, shape, spacing)};
    if (!candidate.points.empty() && fits(candidate.points, selector, spacing))
      matching.push_back(std::move(candidate));
  }
  const auto wanted = static_cast<std::size_t>(selector.count);
  if (selector.near && matching.size() > wanted) {
    std::stable_sort(matching.begin(), matching.end(), [&](const Candidate& a, const Candidate& b) {
      return nearest(a, *selector.near) < nearest(b, *selector.near);
    });
    matching.resize(wanted);
  }
  if (matching.empty()) {
    std::vector<Candidate> onBoundary;
    const double coarse = std::max(spacing, bounds.diagonal().norm() / 100);
    for (const Patch& whole : patches) {
      const Patch patch = clipped(whole, bounds);
      Candidate candidate{patch, trimmed(patch, shape, coarse)};
      if (!candidate.points.empty()) onBoundary.push_back(std::move(candidate));
    }
    std::stable_partition(onBoundary.begin(), onBoundary.end(),
                          [&](const Candidate& c) { return c.patch.kind == selector.kind; });
    throw InputError("the face catches no surface", "there is to choose: " + listed(onBoundary));
  }
  if (matching.size() != wanted)
    throw InputError(
        fmt::format("{} pieces of surface fit, but count is {}", matching.size(), selector.count),
        "say which with radius, area, facing, axis, side, within, beside or near, or set count; what fits: " +
            listed(matching));
  Face face;
  face.shape = shape.weak_from_this().lock();
  face.spacing = spacing;
  for (Candidate& candidate : matching) {
    face.points.insert(face.points.end(), candidate.points.begin(), candidate.points.end());
    face.slack = std::max(face.slack, slackOf(candidate.patch, spacing));
    face.patches.push_back(candidate.patch);
  }
  return face;
}

}  // namespace barelattice
