#include <algorithm>
#include <cmath>
#include <numbers>

#include "barelattice/geometry/shape.hpp"

namespace barelattice {
namespace {

constexpr double kTurn = 2 * std::numbers::pi;
constexpr int kLeastColumns = 16;  // round a full turn, so that small bores stay round

int stepsFor(double length, double spacing, int least) {
  return std::max(least, static_cast<int>(std::ceil(length / spacing)));
}

/// One point of a surface of revolution: radius and height on its axis, the profile's outward normal.
struct ProfilePoint {
  double radius;
  double height;
  double normalAcross;
  double normalAlong;
  double width;  // of the strip it stands for, along the profile
};

std::vector<ProfilePoint> profileOf(const Patch& patch, double spacing) {
  std::vector<ProfilePoint> profile;
  if (patch.kind == Patch::Kind::cylinder || patch.kind == Patch::Kind::cone) {
    const double length = patch.v.norm();
    const double rise = patch.kind == Patch::Kind::cone ? patch.secondRadius - patch.radius : 0;
    const double slant = std::hypot(length, rise);
    const int rows = stepsFor(slant, spacing, 1);
    for (int row = 0; row < rows; ++row) {
      const double s = (row + 0.5) / rows;
      profile.push_back({patch.radius + s * rise, s * length, length / slant, -rise / slant, slant / rows});
    }
  } else {
    const bool sphere = patch.kind == Patch::Kind::sphere;
    const double tube = sphere ? patch.radius : patch.secondRadius;
    const double span = sphere ? 0.5 * kTurn : kTurn;
    const int rows = stepsFor(span * tube, spacing, 8);
    for (int row = 0; row < rows; ++row) {
      const double angle = (row + 0.5) / rows * span - 0.5 * span;  // from the equator, or round the tube
      // The strips of a sphere have exactly this area: 2 r^2 sin(half step) cos(angle) per radian.
      const double half = 0.5 * span / rows;
      const double width = sphere ? 2 * tube * std::sin(half) : 2 * tube * half;
      const double ring = (sphere ? 0 : patch.radius) + tube * std::cos(angle);
      profile.push_back({ring, tube * std::sin(angle), std::cos(angle), std::sin(angle), width});
    }
  }
  return profile;
}

std::vector<SurfacePoint> samplePlane(const Patch& patch, double spacing) {
  const int columns = stepsFor(patch.u.norm(), spacing, 1);
  const int rows = stepsFor(patch.v.norm(), spacing, 1);
  const double area = patch.u.cross(patch.v).norm() / columns / rows;
  const Vec3 normal = patch.direction();
  std::vector<SurfacePoint> points;
  points.reserve(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows));
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column)
      points.push_back(
          {patch.origin + (column + 0.5) / columns * patch.u + (row + 0.5) / rows * patch.v, normal, area});
  return points;
}

}  // namespace

Vec3 Patch::direction() const {
  switch (kind) {
    case Kind::plane:
      return (flipped ? -1.0 : 1.0) * u.cross(v).normalized();
    case Kind::sphere:
      return Vec3::Zero();
    default:
      return v.normalized();
  }
}

std::vector<SurfacePoint> Patch::sample(double spacing) const {
  if (kind == Kind::plane) return samplePlane(*this, spacing);
  const Vec3 axis = kind == Kind::sphere ? Vec3(u.unitOrthogonal()) : Vec3(v.normalized());
  const Vec3 across = axis.cross(u);
  const double angle = sweep > 0 ? sweep : kTurn;
  const double side = flipped ? -1.0 : 1.0;
  std::vector<SurfacePoint> points;
  for (const ProfilePoint& p : profileOf(*this, spacing)) {
    const int least = std::max(1, static_cast<int>(std::ceil(kLeastColumns * angle / kTurn)));
    const int columns = stepsFor(angle * p.radius, spacing, least);
    for (int column = 0; column < columns; ++column) {
      const double turn = (column + 0.5) / columns * angle;
      const Vec3 radial = std::cos(turn) * u + std::sin(turn) * across;
      points.push_back({origin + p.height * axis + p.radius * radial,
                        side * (p.normalAcross * radial + p.normalAlong * axis),
                        p.width * angle * p.radius / columns});
    }
  }
  return points;
}

double Patch::distance(const Vec3& point) const {
  const Vec3 offset = point - origin;
  const double along = offset.dot(direction());
  const double across = (offset - along * direction()).norm();
  switch (kind) {
    case Kind::plane:
      return std::abs(along);
    case Kind::sphere:
      return std::abs(offset.norm() - radius);
    case Kind::torus:
      return std::abs(std::hypot(across - radius, along) - secondRadius);
    case Kind::cylinder:
      return std::abs(across - radius);
    case Kind::cone: {
      const double rise = secondRadius - radius;
      return std::abs(across - radius - along / v.norm() * rise) * v.norm() / std::hypot(v.norm(), rise);
    }
  }
  return 0;
}

std::optional<Patch> Patch::moved(double by) const {
  Patch result = *this;
  const double out = flipped ? -by : by;
  switch (kind) {
    case Kind::plane:
      result.origin += by * direction();
      return result;
    case Kind::cylinder:
    case Kind::sphere:
      result.radius += out;
      break;
    case Kind::cone: {
      const double rise = secondRadius - radius;
      const double slant = std::hypot(v.norm(), rise);
      result.origin -= out * rise / slant * direction();
      result.radius += out * v.norm() / slant;
      result.secondRadius += out * v.norm() / slant;
      if (result.secondRadius < 0) return std::nullopt;
      break;
    }
    case Kind::torus:
      result.secondRadius += out;
      if (result.secondRadius <= 0) return std::nullopt;
      break;
  }
  if (result.radius < 0 || (kind != Kind::cone && result.radius == 0)) return std::nullopt;
  return result;
}

Patch Patch::transformed(const Eigen::Isometry3d& map) const {
  Patch result = *this;
  result.origin = map * origin;
  result.u = map.linear() * u;
  result.v = map.linear() * v;
  if (map.linear().determinant() > 0) return result;
  // A reflection turns u x v round: planes swap their edges, arcs start from their other end.
  if (kind == Kind::plane) std::swap(result.u, result.v);
  if (sweep > 0) {
    const Vec3 across = result.direction().cross(result.u);
    result.u = std::cos(sweep) * result.u - std::sin(sweep) * across;
  }
  return result;
}

}  // namespace barelattice
