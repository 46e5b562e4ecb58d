#include "barelattice/mechanics/grounding.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <optional>
#include <set>

#include "barelattice/base/quantity.hpp"
#include "barelattice/mechanics/free_motions.hpp"
#include "base/check.hpp"
#include "base/groups.hpp"

namespace barelattice {
namespace {

/// The square root of a matrix that is not negative but for rounding.
Eigen::Matrix3d rootOf(const Eigen::Matrix3d& matrix) {
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> eigen(matrix);
  return eigen.eigenvectors() * eigen.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal() *
         eigen.eigenvectors().transpose();
}

}  // namespace

void Grounding::hold(std::size_t node, const Vec3& direction, int support, double at) {
  std::vector<Direction>& held = nodes_[node].held;
  Vec3 rest = direction;
  for (const Direction& other : held) {
    const double along = other.unit.dot(direction);
    rest -= along * other.unit;
    at -= along * other.at;
  }
  constexpr double kNothing = 1e-9;  // held already, but for rounding
  const double left = rest.norm();
  if (left > kNothing)
    held.push_back({rest / left, support, at / left});
  else if (std::abs(at) > contradiction_)
    contradiction_ = std::abs(at);
}

NodalVectors Grounding::moved() const {
  NodalVectors all;
  for (const auto& [node, on] : nodes_) {
    Vec3 sum = Vec3::Zero();
    for (const Direction& held : on.held) sum += held.at * held.unit;
    if (!sum.isZero(0)) all.push_back({node, sum});
  }
  return all;
}

NodalVectors Grounding::preloads() const {
  NodalVectors all;
  for (const Coupling& coupling : couplings_)
    for (Eigen::Index i = 0; i < coupling.preload.size(); ++i)
      for (const NodalVector& v : coupling.motions[static_cast<std::size_t>(i)])
        all.push_back({v.node, coupling.preload[i] * v.value});
  return summed(std::move(all));
}

void Grounding::requireStraight() const {
  double most = 0;
  const NodalVectors all = moved();
  for (const NodalVector& at : all) most = std::max(most, at.value.norm());
  constexpr double kSame = 1e-6;  // of the largest motion: rounding, and where faces meet
  if (contradiction_ > kSame * most)
    throw InputError(fmt::format("two supports move the same points differently, by {:.3g} mm",
                                 kMillimetresPerMetre * contradiction_),
                     "let them act in different cases, or hold different directions");
  std::set<std::size_t> nodes;
  for (const NodalVector& at : all) nodes.insert(at.node);
  for (const Coupling& coupling : couplings_)
    for (const NodalVectors& motion : coupling.motions)
      for (const NodalVector& at : motion)
        if (nodes.contains(at.node))
          throw InputError(
              "a face that is moved shares points with one that stands on springs or is connected",
              "leave a gap between them");
}

void Grounding::addSpring(std::size_t node, const Eigen::Matrix3d& stiffness, int support) {
  std::vector<Spring>& springs = nodes_[node].springs;
  if (!springs.empty() && springs.back().support == support)
    springs.back().stiffness += stiffness;
  else
    springs.push_back({stiffness, support});
}

std::vector<NodeSupport<3>> Grounding::nodes() const {
  std::vector<NodeSupport<3>> all;
  all.reserve(nodes_.size());
  for (const auto& [node, on] : nodes_) {
    NodeSupport<3>& support = all.emplace_back();
    support.node = node;
    for (const Direction& held : on.held) support.free -= held.unit * held.unit.transpose();
    if (on.held.size() == 3) support.free.setZero();  // without the rounding of oblique directions
    for (const Spring& spring : on.springs) support.spring += spring.stiffness;
  }
  return all;
}

std::uint8_t Grounding::directionsAt(std::size_t node) const {
  constexpr std::uint8_t kOther = 8;
  const auto found = nodes_.find(node);
  if (found == nodes_.end()) return 0;
  std::uint8_t bits = found->second.springs.empty() ? 0 : kOther;
  for (const Direction& held : found->second.held) {
    int axis = 0;
    while (axis < 3 && std::abs(held.unit[axis]) != 1) ++axis;
    bits |= static_cast<std::uint8_t>(1U << axis);
  }
  return bits;
}

std::vector<int> Grounding::joinedBodies(const std::function<int(std::size_t)>& bodyOf,
                                         std::size_t bodies) const {
  Groups joined(bodies);
  for (const Coupling& coupling : couplings_) {
    std::optional<int> first;
    for (const NodalVectors& motion : coupling.motions)
      for (const NodalVector& at : motion) {
        if (!first) first = bodyOf(at.node);
        joined.join(*first, bodyOf(at.node));
      }
  }
  std::vector<int> standing;
  for (std::size_t b = 0; b < bodies; ++b) standing.push_back(joined.find(static_cast<int>(b)));
  return standing;
}

std::vector<std::string> Grounding::motionsLeft(const std::function<Vec3(std::size_t)>& positionOf,
                                                const std::function<int(std::size_t)>& bodyOf,
                                                std::size_t bodies, bool planar) const {
  // Of springs, motions are told by the squares of what a point has: a bed that is soft across still holds.
  std::vector<HeldPoint> points;
  for (const auto& [node, on] : nodes_) {
    const int body = bodyOf(node);
    if (body < 0) continue;
    HeldPoint point{positionOf(node), Eigen::Matrix3d::Zero(), static_cast<std::size_t>(body)};
    for (const Direction& held : on.held) point.held += held.unit * held.unit.transpose();
    for (const Spring& spring : on.springs)
      if (spring.stiffness.norm() > 0) point.held += rootOf(spring.stiffness / spring.stiffness.norm());
    points.push_back(point);
  }
  std::vector<ResistedSum> sums;
  for (const Coupling& coupling : couplings_)
    for (const NodalVectors& motion : coupling.motions) {
      ResistedSum sum;
      for (const NodalVector& v : motion)
        if (const int body = bodyOf(v.node); body >= 0)
          sum.push_back({positionOf(v.node), v.value, static_cast<std::size_t>(body)});
      if (!sum.empty()) sums.push_back(std::move(sum));
    }
  return freeMotions(points, sums, planar, bodies);
}

std::vector<NodalVectors> Grounding::forces(std::size_t supports, std::span<const double> displacement,
                                            std::span<const double> balance, std::span<const double> strain,
                                            const DofOrder& order) const {
  std::vector<NodalVectors> by(supports);
  const auto add = [&](int support, std::size_t node, const Vec3& force) {
    if (support != kNobody) by[static_cast<std::size_t>(support)].push_back({node, force});
  };
  // Springs and couplings exert what they are strained by; what is held carries the rest of the balance.
  std::map<std::size_t, Vec3> strained;
  std::size_t number = 0;
  for (const Coupling& coupling : couplings_)
    for (std::size_t i = 0; i < coupling.motions.size(); ++i) {
      const double force = strain[number++];
      const double preload = coupling.preload.size() > 0 ? coupling.preload[static_cast<Eigen::Index>(i)] : 0;
      for (const NodalVector& v : coupling.motions[i]) {
        const Vec3 own = (preload - force) * v.value;
        add(coupling.support, v.node, own);
        strained.try_emplace(v.node, Vec3::Zero()).first->second += own;
      }
    }
  for (const auto& [node, on] : nodes_) {
    Vec3 rest = order.at(balance, node);
    if (const auto found = strained.find(node); found != strained.end()) rest -= found->second;
    const Vec3 u = order.at(displacement, node);
    for (const Spring& spring : on.springs) {
      const Vec3 own = -spring.stiffness * u;
      add(spring.support, node, own);
      rest -= own;
    }
    for (const Direction& held : on.held) add(held.support, node, held.unit.dot(rest) * held.unit);
  }
  for (NodalVectors& vectors : by) vectors = summed(std::move(vectors));
  return by;
}

}  // namespace barelattice
