#include "barelattice/shapes/derived_shapes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/shapes/mesh_shape.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

constexpr double kTurn = 2 * std::numbers::pi;

/// Points of a body's surface that its hull rests on, and some more.
std::vector<Vec3> hullPoints(const Shape& body) {
  const Box box = body.bounds();
  const double size = box.diagonal().norm();
  std::vector<Vec3> points;
  std::vector<Patch> patches;
  body.appendPatches(patches);
  constexpr int kRound = 96;  // points round a rim: 0.05 % of the radius
  for (const Patch& patch : patches) {
    if (patch.net) {
      points.insert(points.end(), patch.net->mesh.vertices.begin(), patch.net->mesh.vertices.end());
    } else if (patch.kind == Patch::Kind::plane) {
      for (const double a : {0.0, 1.0})
        for (const double b : {0.0, 1.0}) points.emplace_back(patch.origin + a * patch.u + b * patch.v);
    } else if (patch.kind == Patch::Kind::cylinder || patch.kind == Patch::Kind::cone) {
      const Vec3 across = patch.direction().cross(patch.u);
      for (const double end : {0.0, 1.0}) {
        const double radius = end > 0 && patch.kind == Patch::Kind::cone ? patch.secondRadius : patch.radius;
        for (int i = 0; i < kRound; ++i) {
          const double turn = kTurn * i / kRound;
          points.emplace_back(patch.origin + end * patch.v +
                              radius * (std::cos(turn) * patch.u + std::sin(turn) * across));
        }
      }
    } else {
      for (const SurfacePoint& p : patch.sample(size / 100)) points.push_back(p.position);
    }
  }
  std::erase_if(points, [&](const Vec3& p) { return std::abs(body.distance(p)) > 1e-6 * size; });
  const TriangleMesh lattice =
      stuff([&](const Vec3& p) { return body.distance(p); }, box, std::max(size / 100, 1e-9)).boundary();
  points.insert(points.end(), lattice.vertices.begin(), lattice.vertices.end());
  return points;
}

/// One wall of a hole that may be filled: where it runs along its axis.
struct Wall {
  Patch patch;
  double from = 0;  // along the axis from the patch's origin, m
  double to = 0;
};

/// The part of a round wall that lies on the boundary; nothing if there is none or it does not go all round.
std::optional<Wall> wallOf(const Patch& patch, const Shape& body, double largest) {
  const bool straight = patch.kind == Patch::Kind::cylinder || patch.kind == Patch::Kind::cone;
  if (!patch.isHole() || !(straight || patch.kind == Patch::Kind::sphere)) return std::nullopt;
  if (2 * std::max(patch.radius, straight ? patch.secondRadius : 0.0) > largest * (1 + 1e-9))
    return std::nullopt;
  if (patch.kind == Patch::Kind::sphere) return Wall{patch, 0, 0};
  constexpr double kWhole = 0.97;  // a slot's end goes half round
  if (patch.sweep > 0 && patch.sweep < kWhole * kTurn) return std::nullopt;
  const double spacing = std::max(patch.v.norm(), patch.radius) / 200;
  const double on = std::max(1e-6 * patch.radius, patch.net ? 2 * patch.net->deviation : 0.0);
  Wall wall{patch, std::numeric_limits<double>::max(), std::numeric_limits<double>::lowest()};
  if (patch.net) {  // its ends are exact
    for (const Vec3& v : patch.net->mesh.vertices) {
      const double along = (v - patch.origin).dot(patch.direction());
      wall.from = std::min(wall.from, along);
      wall.to = std::max(wall.to, along);
    }
    return wall;
  }
  for (const SurfacePoint& p : patch.sample(spacing)) {
    if (std::abs(body.distance(p.position)) > on) continue;
    const double along = (p.position - patch.origin).dot(patch.direction());
    wall.from = std::min(wall.from, along);
    wall.to = std::max(wall.to, along);
  }
  if (wall.from > wall.to) return std::nullopt;
  // The samples stand for the middle of their strips.
  const double half = 0.5 * patch.v.norm() / std::ceil(patch.v.norm() / spacing);
  wall.from -= half;
  wall.to += half;
  return wall;
}

double radiusAt(const Patch& patch, double along) {
  if (patch.kind == Patch::Kind::cylinder) return patch.radius;
  return std::max(0.0, patch.radius + along / patch.v.norm() * (patch.secondRadius - patch.radius));
}

ShapePtr plug(const Wall& wall) {
  const Patch& patch = wall.patch;
  if (patch.kind == Patch::Kind::sphere) return makeSphere(patch.origin, patch.radius);
  const Vec3 from = patch.origin + wall.from * patch.direction();
  const Vec3 to = patch.origin + wall.to * patch.direction();
  if (patch.kind == Patch::Kind::cylinder) return makeCylinder(from, to, patch.radius);
  return makeCone(from, to, radiusAt(patch, wall.from), radiusAt(patch, wall.to));
}

bool sameAxis(const Patch& a, const Patch& b) {
  const Vec3 axis = a.kind == Patch::Kind::sphere ? b.direction() : a.direction();
  const double close = 1e-3 * std::max(a.radius, b.radius);
  const Vec3 apart = b.origin - a.origin;
  if ((apart - apart.dot(axis) * axis).norm() > close) return false;
  return a.kind == Patch::Kind::sphere || b.kind == Patch::Kind::sphere ||
         std::abs(a.direction().dot(b.direction())) > 1 - 1e-6;
}

/// A convex body moved along a straight line: its distance from a point is a convex function of the way, so
/// its least value is found by halving towards it.
class DrawnShape final : public Shape {
 public:
  DrawnShape(ShapePtr body, const Vec3& from, const Vec3& leg)
      : body_(std::move(body)), from_(from), leg_(leg) {}
  double distance(const Vec3& point) const override {
    const auto look = [&](double at) { return body_->distance(point - from_ - at * leg_); };
    const double ratio = 0.5 * (std::sqrt(5.0) - 1);  // golden section
    double low = 0;
    double high = 1;
    double a = high - ratio * (high - low);
    double b = low + ratio * (high - low);
    double atA = look(a);
    double atB = look(b);
    double least = std::min({look(0), look(1), atA, atB});
    constexpr int kSteps = 26;  // to 4e-6 of the way, where a smooth minimum is flat
    for (int i = 0; i < kSteps; ++i) {
      if (atA <= atB) {
        high = b;
        b = a;
        atB = atA;
        a = high - ratio * (high - low);
        atA = look(a);
      } else {
        low = a;
        a = b;
        atA = atB;
        b = low + ratio * (high - low);
        atB = look(b);
      }
      least = std::min({least, atA, atB});
    }
    return least;
  }
  Box bounds() const override {
    const Box own = body_->bounds();
    Box box(own.min() + from_, own.max() + from_);
    box.extend(Box(own.min() + from_ + leg_, own.max() + from_ + leg_));
    return box;
  }
  bool convex() const override { return true; }
  void appendPatches(std::vector<Patch>&) const override {}

 private:
  ShapePtr body_;
  Vec3 from_;
  Vec3 leg_;
};

/// A body moved along a curve: the least of its distances over all places, found by halving the way wherever
/// it can hide something smaller (the speed bounds how fast the distance falls; Piyavskii 1972). Away from
/// the surface a tenth of the distance is close enough.
class SweptShape final : public Shape {
 public:
  /// Maps a point back to the body's own place; `at` runs from 0 to `end`.
  using Back = std::function<Vec3(const Vec3& point, double at)>;
  /// How far the body moves past a point per unit of `at`, at most.
  using Speed = std::function<double(const Vec3& point)>;

  SweptShape(ShapePtr body, double end, const Box& bounds, Back back, Speed speed)
      : body_(std::move(body)),
        end_(end),
        bounds_(bounds),
        back_(std::move(back)),
        speed_(std::move(speed)),
        slack_(1e-3 * body_->bounds().diagonal().norm()) {}

  double distance(const Vec3& point) const override {
    const auto look = [&](double at) { return body_->distance(back_(point, at)); };
    const double first = look(0);
    const double last = look(end_);
    Search search{look, std::max(speed_(point), 1e-12), slack_, std::min(first, last)};
    search.within(0, first, end_, last);
    return search.least > 0 ? (1 - kLoose) * search.least : search.least;
  }
  Box bounds() const override { return bounds_; }
  void appendPatches(std::vector<Patch>&) const override {}

 private:
  static constexpr double kLoose = 0.1;

  struct Search {
    const std::function<double(double)> look;
    double speed;
    double slack;
    double least;

    void within(double a, double atA, double b, double atB) {
      const double lowest = 0.5 * (atA + atB - speed * (b - a));
      if (lowest >= least - std::max(slack, kLoose * std::abs(least))) return;
      const double middle = 0.5 * (a + b);
      const double here = look(middle);
      least = std::min(least, here);
      within(a, atA, middle, here);
      within(middle, here, b, atB);
    }
  };

  ShapePtr body_;
  double end_;
  Box bounds_;
  Back back_;
  Speed speed_;
  double slack_;
};

Eigen::AngleAxisd turnBy(const Vec3& axis, double angle) {
  return {angle, axis.normalized()};
}

}  // namespace

ShapePtr makeHull(const ShapePtr& body) {
  requireGiven("body", body);
  return makeMeshShape(convexHull(hullPoints(*body)));
}

ShapePtr makeFilled(const ShapePtr& body, double largest, const std::vector<Vec3>& near) {
  requireGiven("body", body);
  requirePositive("largest", largest);
  std::vector<Patch> patches;
  body->appendPatches(patches);
  std::vector<Wall> walls;
  for (const Patch& patch : patches)
    if (const std::optional<Wall> wall = wallOf(patch, *body, largest)) walls.push_back(*wall);
  // A round bottom alone is no hole: a wall on its axis must lead to it.
  std::erase_if(walls, [&](const Wall& w) {
    return w.patch.kind == Patch::Kind::sphere &&
           std::none_of(walls.begin(), walls.end(), [&](const Wall& o) {
             return o.patch.kind != Patch::Kind::sphere && sameAxis(o.patch, w.patch);
           });
  });
  if (walls.empty())
    throw InputError(
        fmt::format("there is no round hole of up to {:.4g} mm to fill", largest * kMillimetresPerMetre),
        "inspect lists the holes of a file; pockets and slots are filled by a hull");
  if (!near.empty()) {
    std::vector<const Wall*> chosen;
    for (const Vec3& point : near) {
      const auto closest = std::min_element(walls.begin(), walls.end(), [&](const Wall& a, const Wall& b) {
        const auto away = [&](const Wall& w) {
          const double middle = 0.5 * (w.from + w.to);
          return (point - w.patch.origin - middle * w.patch.direction()).norm();
        };
        return away(a) < away(b);
      });
      chosen.push_back(&*closest);
    }
    std::vector<Wall> kept;
    for (const Wall& wall : walls)
      if (std::any_of(chosen.begin(), chosen.end(),
                      [&](const Wall* c) { return sameAxis(c->patch, wall.patch); }))
        kept.push_back(wall);
    walls = std::move(kept);
  }
  std::vector<ShapePtr> parts{body};
  for (const Wall& wall : walls) parts.push_back(plug(wall));
  return makeUnion(std::move(parts));
}

ShapePtr makeSwept(const ShapePtr& body, const std::vector<Vec3>& path) {
  requireGiven("body", body);
  for (const Vec3& point : path) requireFinite("a point of the path", point);
  std::vector<Vec3> corners{Vec3::Zero()};
  corners.insert(corners.end(), path.begin(), path.end());
  std::vector<ShapePtr> legs;
  for (std::size_t i = 0; i + 1 < corners.size(); ++i) {
    const Vec3 from = corners[i];
    const Vec3 leg = corners[i + 1] - from;
    if (leg.norm() == 0) continue;
    if (body->convex()) {
      legs.push_back(std::make_shared<DrawnShape>(body, from, leg));
      continue;
    }
    const Box own = body->bounds();
    Box box(own.min() + from, own.max() + from);
    box.extend(Box(own.min() + from + leg, own.max() + from + leg));
    const Vec3 along = leg.normalized();
    legs.push_back(std::make_shared<SweptShape>(
        body, leg.norm(), box,
        [from, along](const Vec3& p, double at) { return Vec3(p - from - at * along); },
        [](const Vec3&) { return 1.0; }));
  }
  if (legs.empty()) throw InputError("the path leads nowhere", "give at least one point away from the start");
  return makeUnion(std::move(legs));
}

ShapePtr makeTurned(const ShapePtr& body, const Vec3& centre, const Vec3& axis, double angle) {
  if (!(angle > 0 && angle <= kTurn * (1 + 1e-9)))
    throw InputError("a body turns by more than nothing and at most once round");
  requireGiven("body", body);
  requireFinite("centre", centre);
  if (!(axis.norm() > 0) || !axis.allFinite())
    throw InputError("a body turns about an axis with a direction");
  const Vec3 along = axis.normalized();
  Box box;
  const Box own = body->bounds();
  constexpr int kSteps = 360;
  double reach = 0;
  for (int corner = 0; corner < 8; ++corner) {
    const Vec3 arm = own.corner(static_cast<Box::CornerType>(corner)) - centre;
    reach = std::max(reach, (arm - arm.dot(along) * along).norm());
    for (int i = 0; i <= kSteps; ++i) box.extend(centre + turnBy(along, angle * i / kSteps) * arm);
  }
  const Vec3 sagitta = Vec3::Constant(reach * (1 - std::cos(0.5 * angle / kSteps)));
  box = {box.min() - sagitta, box.max() + sagitta};
  return std::make_shared<SweptShape>(
      body, angle, box,
      [centre, along](const Vec3& p, double at) { return Vec3(centre + turnBy(along, -at) * (p - centre)); },
      [centre, along](const Vec3& p) {
        const Vec3 arm = p - centre;
        return (arm - arm.dot(along) * along).norm();
      });
}

}  // namespace barelattice
