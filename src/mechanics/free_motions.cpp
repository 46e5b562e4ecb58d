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

/// Where a body is, as far as what holds it tells.
struct Place {
  Vec3 centre = Vec3::Zero();
  double reach = 1;
  std::size_t held = 0;  // how many points
  bool known = false;
};

std::vector<Place> placesOf(const std::vector<HeldPoint>& points, const std::vector<ResistedSum>& sums,
                            std::size_t bodies) {
  std::vector<std::vector<Vec3>> on(bodies);
  std::vector<std::vector<Vec3>> joined(bodies);
  for (const HeldPoint& point : points) on[point.body].push_back(point.position);
  for (const ResistedSum& sum : sums)
    for (const ResistedTerm& term : sum) joined[term.body].push_back(term.position);
  std::vector<Place> places(bodies);
  for (std::size_t b = 0; b < bodies; ++b) {
    places[b].held = on[b].size();
    const std::vector<Vec3>& all = on[b].empty() ? joined[b] : on[b];
    places[b].known = !all.empty();
    for (const Vec3& place : all) places[b].centre += place / static_cast<double>(all.size());
    double reach = 0;
    for (const Vec3& place : all) reach = std::max(reach, (place - places[b].centre).norm());
    if (reach > 0) places[b].reach = reach;
  }
  return places;
}

/// A small motion of a body, t + w x (p - centre) / reach, in words.
std::string phraseOf(const Vec3& slide, const Vec3& turn, const Place& place) {
  if (turn.norm() < 1e-3 * slide.norm()) return "sliding along " + axisName(slide.normalized());
  return fmt::format("turning about an axis along {} through {}", axisName(turn.normalized()),
                     placeText(place.centre + place.reach * turn.cross(slide) / turn.squaredNorm()));
}

}  // namespace

std::vector<std::string> freeMotions(const std::vector<HeldPoint>& points,
                                     const std::vector<ResistedSum>& sums, bool planar, std::size_t bodies) {
  const std::vector<Place> places = placesOf(points, sums, bodies);
  for (const Place& place : places)
    if (!place.known) return {"nothing is held: it may slide and turn in every direction"};
  // What holds the bodies must not vanish for any of their motions (t, w).
  const auto size = static_cast<Eigen::Index>(6 * bodies);
  Eigen::MatrixXd held = Eigen::MatrixXd::Zero(size, size);
  const auto addTo = [&](Eigen::VectorXd& row, std::size_t body, const Vec3& position,
                         const Vec3& direction) {
    const auto first = static_cast<Eigen::Index>(6 * body);
    row.segment<3>(first) += direction;
    row.segment<3>(first + 3) += ((position - places[body].centre) / places[body].reach).cross(direction);
  };
  for (const HeldPoint& point : points)
    for (int i = 0; i < 3; ++i) {
      // P e_i for each axis: their squares add up to what the projector P leaves of a motion.
      Eigen::VectorXd row = Eigen::VectorXd::Zero(size);
      addTo(row, point.body, point.position, point.held.col(i));
      const auto first = static_cast<Eigen::Index>(6 * point.body);
      const Eigen::Matrix<double, 6, 1> own = row.segment<6>(first);
      held.block<6, 6>(first, first) += own * own.transpose() / static_cast<double>(places[point.body].held);
    }
  for (const ResistedSum& sum : sums) {
    Eigen::VectorXd row = Eigen::VectorXd::Zero(size);
    double weights = 0;
    for (const ResistedTerm& term : sum) {
      addTo(row, term.body, term.position, term.direction);
      weights += term.direction.norm();
    }
    constexpr double kNothing = 1e-9;  // of two faces that are one, say
    if (row.norm() > kNothing * weights) held += row.normalized() * row.normalized().transpose();
  }
  if (planar)  // what leaves the plane is no motion here
    for (std::size_t b = 0; b < bodies; ++b)
      for (const Eigen::Index m : {2, 3, 4})
        held(static_cast<Eigen::Index>(6 * b) + m, static_cast<Eigen::Index>(6 * b) + m) += 1;
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(held);
  std::vector<std::string> motions;
  constexpr double kFree =
      1e-6;  // squared share of a motion that supports resist; grid rounding stays far below
  for (Eigen::Index m = 0; m < size; ++m) {
    if (eigen.eigenvalues()[m] > kFree * eigen.eigenvalues()[size - 1]) break;
    const Eigen::VectorXd motion = eigen.eigenvectors().col(m);
    std::size_t most = 0;
    for (std::size_t b = 1; b < bodies; ++b)
      if (motion.segment<6>(static_cast<Eigen::Index>(6 * b)).norm() >
          motion.segment<6>(static_cast<Eigen::Index>(6 * most)).norm())
        most = b;
    const auto first = static_cast<Eigen::Index>(6 * most);
    std::string phrase = phraseOf(motion.segment<3>(first), motion.segment<3>(first + 3), places[most]);
    if (bodies > 1)
      phrase += fmt::format(", of the body that is held or joined round {}", placeText(places[most].centre));
    motions.push_back(std::move(phrase));
  }
  return motions;
}

}  // namespace barelattice
