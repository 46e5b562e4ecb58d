#include <cmath>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "shape_parts.hpp"

namespace barelattice {
namespace {

/// A disc, as the square around it.
void appendDisc(std::vector<Patch>& patches, const Vec3& centre, const Vec3& normal, double radius) {
  const Vec3 u = normal.unitOrthogonal();
  const Vec3 w = normal.cross(u);
  patches.push_back(planePatch(centre - radius * (u + w), 2 * radius * u, 2 * radius * w));
}

class BoxShape final : public Shape {
 public:
  explicit BoxShape(const Box& box) : box_(box) {}

  double distance(const Vec3& point) const override {
    const Vec3 beyond = (point - box_.center()).cwiseAbs() - 0.5 * box_.sizes();
    return beyond.cwiseMax(0.0).norm() + std::min(beyond.maxCoeff(), 0.0);
  }
  bool convex() const override { return true; }
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
  bool convex() const override { return true; }
  Box bounds() const override {
    const Vec3 reach = radius_ * (Vec3::Ones() - axis_.cwiseAbs2()).cwiseMax(0.0).cwiseSqrt();
    Box box(from_ - reach, from_ + reach);
    const Vec3 end = from_ + length_ * axis_;
    return box.extend(Box(end - reach, end + reach));
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    patches.push_back({.kind = Patch::Kind::cylinder,
                       .origin = from_,
                       .u = axis_.unitOrthogonal(),
                       .v = length_ * axis_,
                       .radius = radius_});
    appendDisc(patches, from_, -axis_, radius_);
    appendDisc(patches, from_ + length_ * axis_, axis_, radius_);
  }

 private:
  Vec3 from_;
  Vec3 axis_;
  double length_;
  double radius_;
};

class ConeShape final : public Shape {
 public:
  ConeShape(const Vec3& from, const Vec3& to, double radius, double endRadius)
      : from_(from),
        axis_((to - from).normalized()),
        length_((to - from).norm()),
        start_(radius),
        end_(endRadius) {}

  /// Distance to the trapezoid that turns round the axis.
  double distance(const Vec3& point) const override {
    const double along = axis_.dot(point - from_);
    const double across = (point - from_ - along * axis_).norm();
    const double rise = end_ - start_;
    const double slant = std::hypot(length_, rise);
    // Foot on the slanted side.
    const double s = std::clamp(((across - start_) * rise + along * length_) / (slant * slant), 0.0, 1.0);
    const double toSide = std::hypot(across - start_ - s * rise, along - s * length_);
    const double toStart = std::hypot(std::max(across - start_, 0.0), along);
    const double toEnd = std::hypot(std::max(across - end_, 0.0), along - length_);
    const double nearest = std::min({toSide, toStart, toEnd});
    const bool inside = along > 0 && along < length_ && across < start_ + along / length_ * rise;
    return inside ? -nearest : nearest;
  }
  bool convex() const override { return true; }
  Box bounds() const override {
    const Vec3 reach = (Vec3::Ones() - axis_.cwiseAbs2()).cwiseMax(0.0).cwiseSqrt();
    Box box(from_ - start_ * reach, from_ + start_ * reach);
    const Vec3 tip = from_ + length_ * axis_;
    return box.extend(Box(tip - end_ * reach, tip + end_ * reach));
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    patches.push_back({.kind = Patch::Kind::cone,
                       .origin = from_,
                       .u = axis_.unitOrthogonal(),
                       .v = length_ * axis_,
                       .radius = start_,
                       .secondRadius = end_});
    if (start_ > 0) appendDisc(patches, from_, -axis_, start_);
    if (end_ > 0) appendDisc(patches, from_ + length_ * axis_, axis_, end_);
  }

 private:
  Vec3 from_;
  Vec3 axis_;
  double length_;
  double start_;
  double end_;
};

class SphereShape final : public Shape {
 public:
  SphereShape(const Vec3& centre, double radius) : centre_(centre), radius_(radius) {}
  double distance(const Vec3& point) const override { return (point - centre_).norm() - radius_; }
  bool convex() const override { return true; }
  Box bounds() const override {
    return {centre_ - Vec3::Constant(radius_), centre_ + Vec3::Constant(radius_)};
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    patches.push_back(
        {.kind = Patch::Kind::sphere, .origin = centre_, .u = Vec3::UnitX(), .radius = radius_});
  }

 private:
  Vec3 centre_;
  double radius_;
};

class TorusShape final : public Shape {
 public:
  TorusShape(const Vec3& centre, const Vec3& axis, double radius, double tube)
      : centre_(centre), axis_(axis.normalized()), radius_(radius), tube_(tube) {}
  double distance(const Vec3& point) const override {
    const double along = axis_.dot(point - centre_);
    const double across = (point - centre_ - along * axis_).norm();
    return std::hypot(across - radius_, along) - tube_;
  }
  Box bounds() const override {
    const Vec3 reach =
        radius_ * (Vec3::Ones() - axis_.cwiseAbs2()).cwiseMax(0.0).cwiseSqrt() + Vec3::Constant(tube_);
    return {centre_ - reach, centre_ + reach};
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    patches.push_back({.kind = Patch::Kind::torus,
                       .origin = centre_,
                       .u = axis_.unitOrthogonal(),
                       .v = axis_,
                       .radius = radius_,
                       .secondRadius = tube_});
  }

 private:
  Vec3 centre_;
  Vec3 axis_;
  double radius_;
  double tube_;
};

}  // namespace

ShapePtr makeBox(const Vec3& low, const Vec3& high) {
  if (!(low.array() < high.array()).all())
    throw InputError("a box needs its first corner below its second in x, y and z",
                     "'from' is the corner with the lowest coordinates, 'to' the one with the highest");
  requireFinite("corner of the box", low);
  requireFinite("corner of the box", high);
  return std::make_shared<BoxShape>(Box(low, high));
}

ShapePtr makeCylinder(const Vec3& from, const Vec3& to, double radius) {
  if (!(radius > 0)) throw InputError("a cylinder needs a radius above zero");
  requireFinite("radius of a cylinder", radius);
  requireFinite("end of a cylinder", from);
  requireFinite("end of a cylinder", to);
  if (!((to - from).norm() > 0)) throw InputError("a cylinder needs two different end points");
  return std::make_shared<CylinderShape>(from, to, radius);
}

ShapePtr makeCone(const Vec3& from, const Vec3& to, double radius, double endRadius) {
  if (!(radius >= 0 && endRadius >= 0)) throw InputError("a cone needs radii of zero or more");
  if (radius == endRadius) throw InputError("a cone needs two different radii", "use a cylinder");
  requireFinite("radius of a cone", radius + endRadius);
  requireFinite("end of a cone", from);
  requireFinite("end of a cone", to);
  if (!((to - from).norm() > 0)) throw InputError("a cone needs two different end points");
  return std::make_shared<ConeShape>(from, to, radius, endRadius);
}

ShapePtr makeSphere(const Vec3& centre, double radius) {
  if (!(radius > 0)) throw InputError("a sphere needs a radius above zero");
  requireFinite("radius of a sphere", radius);
  requireFinite("centre of a sphere", centre);
  return std::make_shared<SphereShape>(centre, radius);
}

ShapePtr makeTorus(const Vec3& centre, const Vec3& axis, double radius, double tube) {
  if (!(axis.norm() > 0)) throw InputError("a torus needs an axis with a direction");
  if (!(tube > 0 && tube < radius))
    throw InputError("a torus needs a tube above zero and thinner than its ring's radius");
  requireFinite("radius of a torus", radius);
  requireFinite("centre of a torus", centre);
  requireFinite("axis of a torus", axis);
  return std::make_shared<TorusShape>(centre, axis, radius, tube);
}

}  // namespace barelattice
