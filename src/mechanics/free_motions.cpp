#include "barelattice/mechanics/free_motions.hpp"

#include <fmt/format.h>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

#include "barelattice/base/quantity.hpp"

namespace barelattice {
namespace {

std::string axisName(const Vec3& direction) {
  constexpr double kAligned = 0.9999;
  for (int i = 0; i < 3; ++i)
    if (std::abs(direction[i]) > kAligned) return std::string(1, static_cast<char>('x' + i));
  return fmt::format("({:.3g}, {:.3g}, {:.3g})", direction.x(), direction.y(), direction.z());
}

}  // namespace

std::vector<std::string> freeMotions(const std::vector<HeldPoint>& points,
                                     const std::vector<ResistedSum>& sums, bool planar) {
  std::vector<Vec3> places;
  for (const HeldPoint& point : points) places.push_back(point.position);
  if (places.empty())
    for (const ResistedSum& sum : sums)
      for (const auto& term : sum) places.push_back(term.first);
  if (places.empty()) return {"nothing is held: it may slide and turn in every direction"};
  Vec3 centre = Vec3::Zero();
  for (const Vec3& place : places) centre += place / static_cast<double>(places.size());
  double reach = 0;
  for (const Vec3& place : places) reach = std::max(reach, (place - centre).norm());
  if (reach == 0) reach = 1;
  // A small motion is t + w x (p - centre) / reach; its held part must not vanish for any (t, w).
  using Motion = Eigen::Matrix<double, 6, 1>;
  Eigen::Matrix<double, 6, 6> held = Eigen::Matrix<double, 6, 6>::Zero();
  const auto rowOf = [&](const Vec3& position, const Vec3& direction) {
    Motion row;
    row << direction, ((position - centre) / reach).cross(direction);
    return row;
  };
  for (const HeldPoint& point : points)
    for (int i = 0; i < 3; ++i) {
      // P e_i for each axis: their squares add up to what the projector P leaves of a motion.
      const Motion row = rowOf(point.position, point.held.col(i));
      held += row * row.transpose() / static_cast<double>(points.size());
    }
  for (const ResistedSum& sum : sums) {
    Motion row = Motion::Zero();
    for (const auto& [position, direction] : sum) row += rowOf(position, direction);
    if (row.norm() > 0) held += row.normalized() * row.normalized().transpose();
  }
  if (planar)  // what leaves the plane is no motion here
    for (const int m : {2, 3, 4}) held(m, m) += 1;
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, 6, 6>> eigen(held);
  std::vector<std::string> motions;
  constexpr double kFree =
      1e-6;  // squared share of a motion that supports resist; grid rounding stays far below
  for (int m = 0; m < 6; ++m) {
    if (eigen.eigenvalues()[m] > kFree * eigen.eigenvalues()[5]) break;
    const Vec3 slide = eigen.eigenvectors().col(m).head<3>();
    const Vec3 turn = eigen.eigenvectors().col(m).tail<3>();
    if (turn.norm() < 1e-3) {
      motions.push_back("sliding along " + axisName(slide.normalized()));
    } else {
      const Vec3 axis = turn.normalized();
      motions.push_back(fmt::format("turning about an axis along {} through {}", axisName(axis),
                                    placeText(centre + reach * turn.cross(slide) / turn.squaredNorm())));
    }
  }
  return motions;
}

}  // namespace barelattice
