#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "barelattice/shapes/shape.hpp"
#include "base/check.hpp"
#include "shape_parts.hpp"

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

/// Parts of a triangle: strips along its shortest edge, parted by rays from the corner opposite.
template <class Take>
void divideFrom(Vec3 tip, Vec3 a, Vec3 b, double spacing, const Take& take) {
  if ((tip - a).squaredNorm() < (b - a).squaredNorm()) std::swap(tip, b);
  if ((tip - b).squaredNorm() < (b - a).squaredNorm()) std::swap(tip, a);
  const double area = 0.5 * (a - tip).cross(b - tip).norm();
  const int strips = stepsFor(std::max((a - tip).norm(), (b - tip).norm()), spacing, 1);
  for (int strip = 0; strip < strips; ++strip) {
    const double from = static_cast<double>(strip) / strips;
    const double to = (strip + 1.0) / strips;
    const double squares = to * to - from * from;
    const double centre = 2.0 / 3 * (to * to * to - from * from * from) / squares;
    const int parts = stepsFor(to * (b - a).norm(), spacing, 1);
    for (int part = 0; part < parts; ++part)
      take(Vec3(tip + centre * (a + (part + 0.5) / parts * (b - a) - tip)), area * squares / parts);
  }
}

/// Parts of a triangle no longer nor wider than `spacing`. Equal parts of its own shape would be hundreds
/// for each of the slivers along a cylinder.
/// @param take is called with the centre (m) and area (m2) of each part.
template <class Take>
void divide(Vec3 a, Vec3 b, Vec3 c, double spacing, const Take& take) {
  if ((c - b).squaredNorm() > (b - a).squaredNorm()) std::swap(a, c);
  if ((a - c).squaredNorm() > (b - a).squaredNorm()) std::swap(b, c);
  const Vec3 base = b - a;
  if (base.cross(c - a).isZero(0)) return;
  // A flat one has three long edges; its halves at the foot of its height have two.
  const double share = base.dot(c - a) / base.squaredNorm();
  if (std::min(share, 1 - share) * base.norm() < spacing) return divideFrom(a, b, c, spacing, take);
  const Vec3 foot = a + share * base;
  divideFrom(a, foot, c, spacing, take);
  divideFrom(b, foot, c, spacing, take);
}

/// Points of the net's triangles, put onto the exact surface.
std::vector<SurfacePoint> sampleNet(const Patch& patch, double spacing) {
  const TriangleMesh& mesh = patch.net->mesh;
  const double scale = patch.net->area / mesh.area();
  std::vector<SurfacePoint> points;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const std::array<Vec3, 3> corners{mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)};
    const Vec3 facing = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
    const Vec3 facet = (patch.flipped ? -1.0 : 1.0) * facing.stableNormalized();
    divide(corners[0], corners[1], corners[2], spacing, [&](Vec3 at, double area) {
      Vec3 normal = facet;
      if (patch.kind != Patch::Kind::freeform) {
        normal = patch.normal(at);
        if (patch.kind != Patch::Kind::plane) at -= patch.height(at) * normal;
      }
      points.push_back({at, normal, scale * area});
    });
  }
  return points;
}

/// Every triangle moved along its normal by `by` (m), to a first order in the angle between neighbours;
/// nothing where one turns over, past the centre of its curvature.
std::shared_ptr<const PatchNet> movedNet(const PatchNet& net, double by) {
  TriangleMesh mesh = net.mesh;
  const auto facing = [](const TriangleMesh& of, std::size_t t) -> Vec3 {
    return (of.corner(t, 1) - of.corner(t, 0)).cross(of.corner(t, 2) - of.corner(t, 0));
  };
  std::vector<Vec3> normals(mesh.vertices.size(), Vec3::Zero());
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (const int v : mesh.triangles[t]) normals[static_cast<std::size_t>(v)] += facing(net.mesh, t);
  double steepest = 1;  // cosine between a triangle and a vertex of it
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (const int v : mesh.triangles[t])
      steepest = std::min(steepest, facing(net.mesh, t)
                                        .stableNormalized()
                                        .dot(normals[static_cast<std::size_t>(v)].stableNormalized()));
  for (std::size_t v = 0; v < mesh.vertices.size(); ++v)
    mesh.vertices[v] += by * normals[v].stableNormalized();
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    if (facing(mesh, t).dot(facing(net.mesh, t)) <= 0) return nullptr;
  const double growth = mesh.area() / net.mesh.area();
  return std::make_shared<PatchNet>(std::move(mesh), growth * net.area,
                                    net.deviation + std::abs(by) * (1 - steepest));
}

}  // namespace

double extentOf(const Patch& patch) {
  if (patch.net) return patch.net->area;
  const double turn = patch.sweep > 0 ? patch.sweep : kTurn;
  switch (patch.kind) {
    case Patch::Kind::plane:
      return patch.u.norm() * patch.v.norm();
    case Patch::Kind::sphere:
      return 4 * std::numbers::pi * patch.radius * patch.radius;
    case Patch::Kind::torus:
      return 4 * std::numbers::pi * std::numbers::pi * patch.radius * patch.secondRadius;
    default:
      return turn * std::max(patch.radius, patch.secondRadius) * patch.v.norm();
  }
}

Vec3 Patch::direction() const {
  switch (kind) {
    case Kind::plane:
      return (flipped ? -1.0 : 1.0) * u.cross(v).normalized();
    case Kind::sphere:
    case Kind::freeform:
      return Vec3::Zero();
    default:
      return v.normalized();
  }
}

std::vector<SurfacePoint> Patch::sample(double spacing) const {
  requirePositive("spacing", spacing);
  constexpr double kMost = 1e8;  // points, of 56 bytes each
  if (const double area = extentOf(*this); area / (spacing * spacing) > kMost)
    throw InputError(fmt::format("a piece of {:.3g} m2 is to be sampled every {:.3g} m", area, spacing),
                     "give a larger spacing");
  if (net) return sampleNet(*this, spacing);
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

Vec3 Patch::normal(const Vec3& point) const {
  const double side = flipped ? -1.0 : 1.0;
  if (kind == Kind::plane) return direction();
  if (kind == Kind::freeform) {
    const auto t = static_cast<std::size_t>(net->tree().nearest(point).triangle);
    const TriangleMesh& mesh = net->mesh;
    return side * (mesh.corner(t, 1) - mesh.corner(t, 0))
                      .cross(mesh.corner(t, 2) - mesh.corner(t, 0))
                      .stableNormalized();
  }
  const Vec3 offset = point - origin;
  if (kind == Kind::sphere) return side * offset.stableNormalized();
  const Vec3 axis = v.normalized();
  const double along = offset.dot(axis);
  const Vec3 radial = (offset - along * axis).stableNormalized();
  switch (kind) {
    case Kind::torus:
      return side * (offset - radius * radial).stableNormalized();
    case Kind::cone:
      return side * (radial - (secondRadius - radius) / v.norm() * axis).normalized();
    default:
      return side * radial;
  }
}

bool Patch::spans(const Vec3& point, double slack) const {
  if (net) return net->tree().nearest(point).distance <= net->deviation + slack;
  const Vec3 offset = point - origin;
  if (kind == Kind::plane) {
    // offset = s u + t v in the plane.
    const double uu = u.squaredNorm(), vv = v.squaredNorm(), uv = u.dot(v);
    const double area = uu * vv - uv * uv;
    const double s = (vv * offset.dot(u) - uv * offset.dot(v)) / area;
    const double t = (uu * offset.dot(v) - uv * offset.dot(u)) / area;
    const double overU = slack / std::sqrt(uu);
    const double overV = slack / std::sqrt(vv);
    return s >= -overU && s <= 1 + overU && t >= -overV && t <= 1 + overV;
  }
  if (kind != Kind::cylinder && kind != Kind::cone) return true;  // the whole sphere or ring
  const Vec3 axis = v.normalized();
  const double along = offset.dot(axis);
  if (along < -slack || along > v.norm() + slack) return false;
  if (sweep == 0) return true;
  const double angle = std::atan2(offset.dot(axis.cross(u)), offset.dot(u));
  const double over = slack / radius;
  const double turned = angle < -over ? angle + kTurn : angle;
  return turned <= sweep + over || turned >= kTurn - over;
}

double Patch::height(const Vec3& point) const {
  const double side = flipped ? -1.0 : 1.0;
  if (kind == Kind::freeform) {
    const NearestPoint near = net->tree().nearest(point);
    const TriangleMesh& mesh = net->mesh;
    const auto t = static_cast<std::size_t>(near.triangle);
    const Vec3 normal = (mesh.corner(t, 1) - mesh.corner(t, 0)).cross(mesh.corner(t, 2) - mesh.corner(t, 0));
    return std::copysign(near.distance, side * (point - near.position).dot(normal));
  }
  const Vec3 offset = point - origin;
  const double along = offset.dot(direction());
  const double across = (offset - along * direction()).norm();
  switch (kind) {
    case Kind::plane:
      return along;  // the direction takes the side into account
    case Kind::sphere:
      return side * (offset.norm() - radius);
    case Kind::torus:
      return side * (std::hypot(across - radius, along) - secondRadius);
    case Kind::cylinder:
      return side * (across - radius);
    case Kind::cone: {
      const double rise = secondRadius - radius;
      return side * (across - radius - along / v.norm() * rise) * v.norm() / std::hypot(v.norm(), rise);
    }
    case Kind::freeform:
      break;
  }
  return 0;
}

std::optional<Patch> Patch::moved(double by) const {
  if (kind == Kind::freeform) {
    const double out = flipped ? -by : by;
    std::shared_ptr<const PatchNet> grown = movedNet(*net, out);
    if (!grown) return std::nullopt;
    Patch result = *this;
    result.net = std::move(grown);
    return result;
  }
  Patch result = *this;
  const double out = flipped ? -by : by;
  switch (kind) {
    case Kind::plane:
      result.origin += by * direction();
      break;
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
    case Kind::freeform:
      break;
  }
  if (result.radius < 0 || (kind != Kind::plane && kind != Kind::cone && result.radius == 0))
    return std::nullopt;
  if (net) {
    TriangleMesh mesh = net->mesh;
    for (Vec3& vertex : mesh.vertices) vertex -= result.height(vertex) * result.normal(vertex);
    const double growth = mesh.area() / net->mesh.area();
    result.net = std::make_shared<PatchNet>(std::move(mesh), growth * net->area, net->deviation);
  }
  return result;
}

Patch Patch::transformed(const Eigen::Isometry3d& map) const {
  Patch result = *this;
  result.origin = map * origin;
  result.u = map.linear() * u;
  result.v = map.linear() * v;
  if (net) {
    TriangleMesh mesh = net->mesh;
    for (Vec3& vertex : mesh.vertices) vertex = map * vertex;
    if (map.linear().determinant() < 0)
      for (auto& t : mesh.triangles) std::swap(t[1], t[2]);
    result.net = std::make_shared<PatchNet>(std::move(mesh), net->area, net->deviation);
  }
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
