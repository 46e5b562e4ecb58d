#include "barelattice/mechanics/loads.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

#include "base/check.hpp"

namespace barelattice {
namespace {

using Points = std::span<const SurfacePoint>;

std::vector<double> areasOf(Points points) {
  std::vector<double> areas;
  areas.reserve(points.size());
  for (const SurfacePoint& point : points) areas.push_back(point.area);
  return areas;
}

std::vector<Vec3> pointForces(const FaceAction& action, Points points, double share) {
  double area = 0;
  for (const SurfacePoint& point : points) area += point.area;
  const double pressure = action.pressure / share;
  std::vector<Vec3> forces;
  forces.reserve(points.size());
  for (const SurfacePoint& point : points)
    forces.push_back(point.area * (action.force / area - pressure * point.normal));
  return forces;
}

std::vector<Vec3> pointForces(const DepthPressure& water, Points points, double share) {
  std::vector<Vec3> forces;
  forces.reserve(points.size());
  for (const SurfacePoint& point : points) {
    const double depth = std::max(0.0, water.down.dot(point.position - water.surface));
    forces.emplace_back(-water.perDepth / share * depth * point.area * point.normal);
  }
  return forces;
}

/// The pressure is max(0, -n . d), n the outward normal: on a round face half of a cosine about d. Its
/// resultant R(d) = sum A max(0, -n . d) (-n) is the gradient of the convex sum of A max(0, -n . d)^2 / 2, so
/// that Newton's steps find the d for which it is the force, whatever part of a bore there is: on a whole one
/// d is along the force at once.
std::vector<Vec3> pointForces(const Bearing& bearing, Points points, double /*share*/) {
  constexpr int kMostSteps = 50;
  constexpr double kSame = 1e-9;
  double area = 0;
  for (const SurfacePoint& point : points) area += point.area;
  const double size = bearing.force.norm();
  Vec3 d = 4 / area * bearing.force;  // a whole bore's, 2 / (pi r l) F
  Vec3 rest = Vec3::Zero();
  for (int step = 0; step < kMostSteps; ++step) {
    Vec3 resultant = Vec3::Zero();
    Eigen::Matrix3d slope = Eigen::Matrix3d::Zero();
    for (const SurfacePoint& point : points) {
      const double pressure = -point.normal.dot(d);
      if (pressure <= 0) continue;
      resultant -= point.area * pressure * point.normal;
      slope += point.area * point.normal * point.normal.transpose();
    }
    rest = bearing.force - resultant;
    if (rest.norm() <= kSame * size) break;
    // Along the axis there is no normal, and no slope; a trace of it keeps the step across.
    slope.diagonal().array() += 1e-12 * area;
    const Vec3 change = slope.ldlt().solve(rest);
    d += change;
    if (d.norm() > 1e6 * size / area) break;  // nothing to press on
  }
  constexpr double kLittle = 1e-3;
  if (!(rest.norm() <= kLittle * size))
    throw InputError("the face has no part that a bearing force in this direction could press on",
                     "turn the force across the axis of the bore, or spread it evenly");
  std::vector<Vec3> forces;
  forces.reserve(points.size());
  for (const SurfacePoint& point : points)
    forces.emplace_back(-point.area * std::max(0.0, -point.normal.dot(d)) * point.normal);
  return forces;
}

/// How far a point lies from the point or line that a spot is about.
double distanceTo(const Spot& spot, const Vec3& point) {
  const Vec3 along = spot.to - spot.from;
  const double length = along.squaredNorm();
  const double t = length > 0 ? std::clamp(along.dot(point - spot.from) / length, 0.0, 1.0) : 0.0;
  return (point - spot.from - t * along).norm();
}

/// Areas that fade out with the distance from a spot. It takes in at least some of the points: where they lie
/// wider apart than it reaches, it is as wide as they are.
std::vector<double> weightsOf(const std::optional<Spot>& spot, Points points) {
  std::vector<double> weights = areasOf(points);
  if (!spot || points.empty()) return weights;
  constexpr std::size_t kLeast = 6;
  constexpr double kJustBeyond = 1.2;
  std::vector<double> distances;
  distances.reserve(points.size());
  for (const SurfacePoint& point : points) distances.push_back(distanceTo(*spot, point.position));
  std::vector<double> sorted = distances;
  const std::size_t last = std::min(kLeast, sorted.size()) - 1;
  std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(last), sorted.end());
  const double reach = std::max(spot->reach, kJustBeyond * sorted[last]);
  for (std::size_t i = 0; i < weights.size(); ++i)
    weights[i] *= std::max(0.0, 1 - distances[i] * distances[i] / (reach * reach));
  return weights;
}

std::vector<Vec3> pointForces(const Remote& remote, Points points, double /*share*/) {
  const MeanMotion motion(points, weightsOf(remote.spot, points));
  Vec3 moment = remote.moment;
  if (remote.at) moment += (*remote.at - motion.centre()).cross(remote.force);
  std::vector<Vec3> forces;
  forces.reserve(points.size());
  for (std::size_t i = 0; i < points.size(); ++i) forces.push_back(motion.at(i, remote.force, moment));
  return forces;
}

template <class Whole>
std::vector<Vec3> pointForces(const Whole& /*on the whole body, or of one's own*/, Points /*points*/,
                              double /*share*/) {
  return {};
}

}  // namespace

BodyForce spinning(const Vec3& through, const Vec3& axis, double speed, double spinUp) {
  Eigen::Matrix3d cross;  // axis x
  cross << 0, -axis.z(), axis.y(), axis.z(), 0, -axis.x(), -axis.y(), axis.x(), 0;
  const Eigen::Matrix3d gradient =
      speed * speed * (Eigen::Matrix3d::Identity() - axis * axis.transpose()) - spinUp * cross;
  return {-gradient * through, gradient};
}

std::vector<Vec3> forcesAt(const LoadKind& kind, std::span<const SurfacePoint> points, double share) {
  return std::visit([&](const auto& load) { return pointForces(load, points, share); }, kind);
}

Resultant resultantOnFace(const Face& face, const LoadKind& kind, const Vec3& about) {
  // What is stated as a force is told as it was stated, without the rounding of many points.
  if (const auto* remote = std::get_if<Remote>(&kind); remote && remote->at)
    return {remote->force, remote->moment + (*remote->at - about).cross(remote->force)};
  Resultant sum;
  LoadKind rest = kind;
  if (auto* action = std::get_if<FaceAction>(&rest)) {
    sum = {action->force, (face.centroid() - about).cross(action->force)};
    action->force.setZero();
  }
  const std::vector<Vec3> forces = forcesAt(rest, face.points);
  for (std::size_t i = 0; i < forces.size(); ++i) {
    sum.force += forces[i];
    sum.moment += (face.points[i].position - about).cross(forces[i]);
  }
  if (const auto* bearing = std::get_if<Bearing>(&kind)) sum.force = bearing->force;
  if (const auto* remote = std::get_if<Remote>(&kind)) sum.force = remote->force;
  return sum;
}

MeanMotion::MeanMotion(std::span<const SurfacePoint> points, std::vector<double> weights)
    : points_(points), weights_(std::move(weights)) {
  requireCount("weights", weights_.size(), points_.size(), "points");
  for (const double w : weights_) total_ += w;
  requirePositive("the sum of weights", total_);
  for (std::size_t i = 0; i < points_.size(); ++i) centre_ += weights_[i] / total_ * points_[i].position;
  Eigen::Matrix3d inertia = Eigen::Matrix3d::Zero();  // J
  for (std::size_t i = 0; i < points_.size(); ++i) {
    const Vec3 arm = points_[i].position - centre_;
    inertia += weights_[i] * (arm.squaredNorm() * Eigen::Matrix3d::Identity() - arm * arm.transpose());
  }
  // A face on one line does not turn about it: J has no inverse there.
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> principal(inertia);
  constexpr double kFlat = 1e-9;
  for (int i = 0; i < 3; ++i)
    if (principal.eigenvalues()[i] > kFlat * principal.eigenvalues()[2])
      inverse_ += principal.eigenvectors().col(i) * principal.eigenvectors().col(i).transpose() /
                  principal.eigenvalues()[i];
}

Vec3 MeanMotion::turnOf(std::span<const Vec3> displacements) const {
  requireCount("displacements", displacements.size(), points_.size(), "points");
  Vec3 sum = Vec3::Zero();
  for (std::size_t i = 0; i < points_.size(); ++i)
    sum += weights_[i] * (points_[i].position - centre_).cross(displacements[i]);
  return inverse_ * sum;
}

}  // namespace barelattice
