#include "barelattice/mechanics/grounding.hpp"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "barelattice/mechanics/free_motions.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

void ground(const Held& held, const FaceTies& face, int number, Grounding& grounding) {
  for (const std::size_t node : face.nodes)
    for (int i = 0; i < 3; ++i)
      if (held.directions >> i & 1U) grounding.hold(node, held.axes.col(i), number);
}

/// Each point's spring goes to its nodes. Weights of nodes beyond the point's cell, which are below zero,
/// would make springs that push; without them a spring stands up to half a cell deeper.
void ground(const Foundation& foundation, const FaceTies& face, int number, Grounding& grounding) {
  std::size_t begin = 0;
  for (const FaceTies::Tie& tie : face.ties) {
    const Eigen::Matrix3d along = tie.point.normal * tie.point.normal.transpose();
    const Eigen::Matrix3d spring =
        tie.point.area *
        (foundation.normal * along + foundation.tangential * (Eigen::Matrix3d::Identity() - along));
    double sum = 0;
    for (std::size_t w = begin; w < tie.end; ++w) sum += std::max(face.weights[w].weight, 0.0);
    for (std::size_t w = begin; w < tie.end; ++w)
      if (face.weights[w].weight > 0)
        grounding.addSpring(face.weights[w].node, face.weights[w].weight / sum * spring, number);
    begin = tie.end;
  }
}

void ground(const MeanSprings& springs, const FaceTies& face, int number, Grounding& grounding) {
  Eigen::Matrix<double, 6, 1> stiffness;
  stiffness << springs.slide, springs.turn;
  std::vector<NodalVectors> motions = meanMotions(face, springs.axes);
  Coupling coupling{number, {}, {}};
  std::vector<double> kept;
  for (std::size_t i = 0; i < motions.size(); ++i) {
    const double s = stiffness[static_cast<Eigen::Index>(i)];
    if (!(s > 0) || motions[i].empty()) continue;
    coupling.motions.push_back(std::move(motions[i]));
    kept.push_back(s);
  }
  if (kept.empty()) return;
  coupling.stiffness =
      Eigen::Map<Eigen::VectorXd>(kept.data(), static_cast<Eigen::Index>(kept.size())).asDiagonal();
  grounding.couple(std::move(coupling));
}

void ground(const std::shared_ptr<const OwnSupport>& own, const FaceTies& face, int number,
            Grounding& grounding) {
  own->ground(face, number, grounding);
}

}  // namespace

void Grounding::hold(std::size_t node, const Vec3& direction, int support) {
  std::vector<Direction>& held = nodes_[node].held;
  Vec3 rest = direction;
  for (const Direction& other : held) rest -= other.unit.dot(direction) * other.unit;
  constexpr double kNothing = 1e-9;  // held already, but for rounding
  if (rest.norm() > kNothing) held.push_back({rest.normalized(), support});
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

std::vector<std::string> Grounding::motionsLeft(const std::function<Vec3(std::size_t)>& positionOf,
                                                const std::function<bool(std::size_t)>& chosen,
                                                bool planar) const {
  std::vector<HeldPoint> points;
  for (const auto& [node, on] : nodes_) {
    if (!chosen(node)) continue;
    HeldPoint point{positionOf(node), Eigen::Matrix3d::Zero()};
    for (const Direction& held : on.held) point.held += held.unit * held.unit.transpose();
    for (const Spring& spring : on.springs)
      if (spring.stiffness.norm() > 0) point.held += spring.stiffness / spring.stiffness.norm();
    points.push_back(point);
  }
  std::vector<ResistedSum> sums;
  for (const Coupling& coupling : couplings_)
    for (const NodalVectors& motion : coupling.motions) {
      ResistedSum sum;
      for (const NodalVector& v : motion)
        if (chosen(v.node)) sum.emplace_back(positionOf(v.node), v.value);
      if (!sum.empty()) sums.push_back(std::move(sum));
    }
  return freeMotions(points, sums, planar);
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
    for (const NodalVectors& motion : coupling.motions) {
      const double force = strain[number++];
      for (const NodalVector& v : motion) {
        const Vec3 own = -force * v.value;
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

Grounding grounded(const Setup& setup, const LoadCase& c, std::span<const FaceTies> faces) {
  requireCount("faces", faces.size(), setup.faces.size(), "faces in the setup");
  for (const std::size_t s : c.supports) {
    requireIndex("support", s, setup.supports.size(), "supports");
    requireIndex("face of a support", setup.supports[s].face, faces.size(), "faces");
  }
  Grounding grounding;
  for (const std::size_t s : c.supports) {
    const Support& support = setup.supports[s];
    std::visit([&](const auto& kind) { ground(kind, faces[support.face], static_cast<int>(s), grounding); },
               support.kind);
  }
  return grounding;
}

}  // namespace barelattice
