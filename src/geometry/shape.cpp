#include "barelattice/geometry/shape.hpp"

#include <cmath>
#include <limits>
#include <numbers>
#include <utility>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

/// Distance to the product of a profile (signed distance `across`) and a slab (`along`): exact outside, and
/// inside the nearer of the two.
double prismDistance(double across, double along) {
  const double outside = std::hypot(std::max(across, 0.0), std::max(along, 0.0));
  return outside + std::min(std::max(across, along), 0.0);
}

Patch planePatch(const Vec3& origin, const Vec3& u, const Vec3& v) {
  return {.kind = Patch::Kind::plane, .origin = origin, .u = u, .v = v};
}

class BoxShape final : public Shape {
 public:
  explicit BoxShape(const Box& box) : box_(box) {}

  double distance(const Vec3& point) const override {
    const Vec3 beyond = (point - box_.center()).cwiseAbs() - 0.5 * box_.sizes();
    return beyond.cwiseMax(0.0).norm() + std::min(beyond.maxCoeff(), 0.0);
  }
  Box bounds() const override { return box_; }
  void appendPatches(std::vector<Patch>& patches) const override {
    for (int axis = 0; axis < 3; ++axis) {
      Vec3 u = Vec3::Zero();
      Vec3 v = Vec3::Zero();
      u[(axis + 1) % 3] = box_.sizes()[(axis + 1) % 3];
      v[(axis + 2) % 3] = box_.sizes()[(axis + 2) % 3];
      patches.push_back(planePatch(box_.max() - u - v, u, v));
      patches.push_back(planePatch(box_.min(), v, u));
    }
  }

 private:
  Box box_;
};

class CylinderShape final : public Shape {
 public:
  CylinderShape(const Vec3& from, const Vec3& to, double radius)
      : from_(from), axis_((to - from).normalized()), length_((to - from).norm()), radius_(radius) {}

  double distance(const Vec3& point) const override {
    const double along = axis_.dot(point - from_);
    const double across = (point - from_ - along * axis_).norm();
    return prismDistance(across - radius_, std::max(-along, along - length_));
  }
  Box bounds() const override {
    const Vec3 reach = radius_ * (Vec3::Ones() - axis_.cwiseAbs2()).cwiseMax(0.0).cwiseSqrt();
    Box box(from_ - reach, from_ + reach);
    const Vec3 end = from_ + length_ * axis_;
    return box.extend(Box(end - reach, end + reach));
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    const Vec3 u = axis_.unitOrthogonal();
    const Vec3 w = axis_.cross(u);
    patches.push_back(
        {.kind = Patch::Kind::cylinder, .origin = from_, .u = u, .v = length_ * axis_, .radius = radius_});
    const Vec3 corner = -radius_ * (u + w);
    patches.push_back(planePatch(from_ + corner, 2 * radius_ * w, 2 * radius_ * u));
    patches.push_back(planePatch(from_ + length_ * axis_ + corner, 2 * radius_ * u, 2 * radius_ * w));
  }

 private:
  Vec3 from_;
  Vec3 axis_;
  double length_;
  double radius_;
};

using Vec2 = Eigen::Vector2d;

double cross2(const Vec2& a, const Vec2& b) {
  return a.x() * b.y() - a.y() * b.x();
}

double signedArea(const std::vector<Vec2>& outline) {
  double twice = 0;
  for (std::size_t i = 0; i < outline.size(); ++i)
    twice += cross2(outline[i], outline[(i + 1) % outline.size()]);
  return 0.5 * twice;
}

bool segmentsMeet(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d) {
  const double abc = cross2(b - a, c - a);
  const double abd = cross2(b - a, d - a);
  const double cda = cross2(d - c, a - c);
  const double cdb = cross2(d - c, b - c);
  return abc * abd <= 0 && cda * cdb <= 0 && !(abc == 0 && abd == 0);
}

bool crossesItself(const std::vector<Vec2>& outline) {
  const std::size_t n = outline.size();
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = i + 2; j < n; ++j) {
      if (i == 0 && j == n - 1) continue;  // neighbours share a corner
      if (segmentsMeet(outline[i], outline[i + 1], outline[j], outline[(j + 1) % n])) return true;
    }
  return false;
}

class ExtrusionShape final : public Shape {
 public:
  explicit ExtrusionShape(Extrusion extrusion) : extrusion_(std::move(extrusion)) {
    third_ = 3 - extrusion_.first - extrusion_.second;
    if (signedArea(extrusion_.outline) < 0)
      std::reverse(extrusion_.outline.begin(), extrusion_.outline.end());
  }

  double distance(const Vec3& point) const override {
    const double along = std::max(extrusion_.from - point[third_], point[third_] - extrusion_.to);
    return prismDistance(outlineDistance({point[extrusion_.first], point[extrusion_.second]}), along);
  }
  Box bounds() const override {
    Box box;
    for (const Vec2& corner : extrusion_.outline) {
      box.extend(lift(corner, extrusion_.from));
      box.extend(lift(corner, extrusion_.to));
    }
    return box;
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    const Box box = bounds();
    Vec3 u = Vec3::Zero();
    Vec3 v = Vec3::Zero();
    u[extrusion_.first] = box.sizes()[extrusion_.first];
    v[extrusion_.second] = box.sizes()[extrusion_.second];
    // The handedness of (first, second, third) decides which order of edges gives the outward normal.
    const bool right = (extrusion_.second - extrusion_.first + 3) % 3 == 1;
    patches.push_back(right ? planePatch(box.min(), v, u) : planePatch(box.min(), u, v));
    patches.push_back(right ? planePatch(box.max() - u - v, u, v) : planePatch(box.max() - u - v, v, u));
    const auto& outline = extrusion_.outline;
    for (std::size_t i = 0; i < outline.size(); ++i) {
      const Vec3 start = lift(outline[i], extrusion_.from);
      const Vec3 edge = lift(outline[(i + 1) % outline.size()], extrusion_.from) - start;
      const Vec3 height = lift(outline[i], extrusion_.to) - start;
      patches.push_back(right ? planePatch(start, edge, height) : planePatch(start, height, edge));
    }
  }

 private:
  Vec3 lift(const Vec2& corner, double along) const {
    Vec3 point;
    point[extrusion_.first] = corner.x();
    point[extrusion_.second] = corner.y();
    point[third_] = along;
    return point;
  }

  /// Signed distance to the polygon: nearest edge, sign by crossing parity.
  double outlineDistance(const Vec2& point) const {
    const auto& outline = extrusion_.outline;
    double nearest = std::numeric_limits<double>::max();
    bool inside = false;
    for (std::size_t i = 0, j = outline.size() - 1; i < outline.size(); j = i++) {
      const Vec2 edge = outline[j] - outline[i];
      const Vec2 offset = point - outline[i];
      const double along = std::clamp(offset.dot(edge) / edge.squaredNorm(), 0.0, 1.0);
      nearest = std::min(nearest, (offset - along * edge).squaredNorm());
      const bool straddles = (outline[i].y() > point.y()) != (outline[j].y() > point.y());
      if (straddles && point.x() < outline[i].x() + edge.x() * offset.y() / edge.y()) inside = !inside;
    }
    return inside ? -std::sqrt(nearest) : std::sqrt(nearest);
  }

  Extrusion extrusion_;
  int third_ = 2;
};

class UnionShape final : public Shape {
 public:
  explicit UnionShape(std::vector<ShapePtr> parts) : parts_(std::move(parts)) {}
  double distance(const Vec3& point) const override {
    double least = std::numeric_limits<double>::max();
    for (const ShapePtr& part : parts_) least = std::min(least, part->distance(point));
    return least;
  }
  Box bounds() const override {
    Box box;
    for (const ShapePtr& part : parts_) box.extend(part->bounds());
    return box;
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    for (const ShapePtr& part : parts_) part->appendPatches(patches);
  }

 private:
  std::vector<ShapePtr> parts_;
};

class IntersectionShape final : public Shape {
 public:
  explicit IntersectionShape(std::vector<ShapePtr> parts) : parts_(std::move(parts)) {}
  double distance(const Vec3& point) const override {
    double greatest = std::numeric_limits<double>::lowest();
    for (const ShapePtr& part : parts_) greatest = std::max(greatest, part->distance(point));
    return greatest;
  }
  Box bounds() const override {
    Box box = parts_.front()->bounds();
    for (const ShapePtr& part : parts_) box = box.intersection(part->bounds());
    return box;
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    for (const ShapePtr& part : parts_) part->appendPatches(patches);
  }

 private:
  std::vector<ShapePtr> parts_;
};

class DifferenceShape final : public Shape {
 public:
  DifferenceShape(ShapePtr body, std::vector<ShapePtr> cuts)
      : body_(std::move(body)), cuts_(std::move(cuts)) {}
  double distance(const Vec3& point) const override {
    double value = body_->distance(point);
    for (const ShapePtr& cut : cuts_) value = std::max(value, -cut->distance(point));
    return value;
  }
  Box bounds() const override { return body_->bounds(); }
  void appendPatches(std::vector<Patch>& patches) const override {
    body_->appendPatches(patches);
    const std::size_t own = patches.size();
    for (const ShapePtr& cut : cuts_) cut->appendPatches(patches);
    for (std::size_t i = own; i < patches.size(); ++i) patches[i].flipped = !patches[i].flipped;
  }

 private:
  ShapePtr body_;
  std::vector<ShapePtr> cuts_;
};

}  // namespace

Vec3 Patch::direction() const {
  if (kind == Kind::cylinder) return v.normalized();
  return (flipped ? -1.0 : 1.0) * u.cross(v).normalized();
}

std::vector<SurfacePoint> Patch::sample(double spacing) const {
  const bool round = kind == Kind::cylinder;
  const double width = round ? 2 * std::numbers::pi * radius : u.norm();
  const int columns = std::max(round ? 16 : 1, static_cast<int>(std::ceil(width / spacing)));
  const int rows = std::max(1, static_cast<int>(std::ceil(v.norm() / spacing)));
  const double area = width * v.norm() / columns / rows;
  const Vec3 across = round ? Vec3(v.normalized().cross(u)) : Vec3::Zero();
  const double side = flipped ? -1.0 : 1.0;
  std::vector<SurfacePoint> points;
  points.reserve(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows));
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column) {
      const double s = (column + 0.5) / columns;
      const Vec3 base = origin + (row + 0.5) / rows * v;
      if (round) {
        const double angle = 2 * std::numbers::pi * s;
        const Vec3 radial = std::cos(angle) * u + std::sin(angle) * across;
        points.push_back({base + radius * radial, side * radial, area});
      } else {
        points.push_back({base + s * u, direction(), area});
      }
    }
  return points;
}

ShapePtr makeBox(const Vec3& low, const Vec3& high) {
  if (!(low.array() < high.array()).all())
    throw InputError("a box needs its first corner below its second in x, y and z");
  return std::make_shared<BoxShape>(Box(low, high));
}

ShapePtr makeCylinder(const Vec3& from, const Vec3& to, double radius) {
  if (!(radius > 0)) throw InputError("a cylinder needs a radius above zero");
  if (!((to - from).norm() > 0)) throw InputError("a cylinder needs two different end points");
  return std::make_shared<CylinderShape>(from, to, radius);
}

ShapePtr makeExtrusion(const Extrusion& extrusion) {
  if (extrusion.outline.size() < 3) throw InputError("an outline needs at least three corners");
  for (std::size_t i = 0; i < extrusion.outline.size(); ++i)
    if (extrusion.outline[i] == extrusion.outline[(i + 1) % extrusion.outline.size()])
      throw InputError("an outline has the same corner twice in a row");
  if (crossesItself(extrusion.outline)) throw InputError("the outline crosses itself");
  if (signedArea(extrusion.outline) == 0) throw InputError("the outline encloses no area");
  if (!(extrusion.from < extrusion.to)) throw InputError("an extrusion needs 'from' below 'to'");
  return std::make_shared<ExtrusionShape>(extrusion);
}

ShapePtr makeUnion(std::vector<ShapePtr> parts) {
  if (parts.empty()) throw InputError("a union needs at least one shape");
  return std::make_shared<UnionShape>(std::move(parts));
}

ShapePtr makeIntersection(std::vector<ShapePtr> parts) {
  if (parts.empty()) throw InputError("an intersection needs at least one shape");
  return std::make_shared<IntersectionShape>(std::move(parts));
}

ShapePtr makeDifference(ShapePtr body, std::vector<ShapePtr> cuts) {
  return std::make_shared<DifferenceShape>(std::move(body), std::move(cuts));
}

}  // namespace barelattice
