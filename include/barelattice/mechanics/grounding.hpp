/// @file
/// What the supports of a case do to the nodes of a discretisation.
#pragma once

#include <Eigen/Core>
#include <cstdint>
#include <functional>
#include <map>
#include <span>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/matrix_layout.hpp"
#include "barelattice/mechanics/face_ties.hpp"
#include "barelattice/mechanics/setup.hpp"

namespace barelattice BARELATTICE_API {

/// One held node: directions in which it cannot move, springs in those in which it can. A direction need not
/// be an axis.
template <int D>
struct NodeSupport {
  using Matrix = Eigen::Matrix<double, D, D>;
  std::size_t node = 0;
  Matrix free = Matrix::Identity();  ///< projector on the free directions: the identity less n n^T for each
                                     ///< held unit vector n, these at right angles to each other
  Matrix spring = Matrix::Zero();    ///< stiffness against moving, N/m, symmetric, not negative
  bool operator==(const NodeSupport&) const = default;
};

/// A stiffness on a few numbers W_i^T u: K + W S W^T. It joins nodes far apart, so it is no part of any
/// element.
struct Coupling {
  int support = 0;                    ///< number of the support it is of
  std::vector<NodalVectors> motions;  ///< the W_i
  Eigen::MatrixXd stiffness;          ///< S, symmetric, not negative
  Eigen::VectorXd preload = {};       ///< p: it exerts W p before anything moves; empty for nothing
  bool operator==(const Coupling& other) const {
    return motions == other.motions && stiffness == other.stiffness && preload == other.preload;
  }
};

/// Springs on the mean motions of a face. @param motions see meanMotions.
Coupling springsOn(std::vector<NodalVectors> motions, const Vec3& slide, const Vec3& turn);

/// Gathers what supports hold, node by node, and remembers which support holds what: where two hold the same
/// direction of a node, it is the first one's.
class Grounding {
 public:
  static constexpr int kNobody = -1;  ///< held by the way the body is looked at, by no support

  /// Holds a node in a direction (a unit vector), as far as it is not held there yet.
  /// @param at where along it the node is held, from its own place, m.
  void hold(std::size_t node, const Vec3& direction, int support, double at = 0);
  void addSpring(std::size_t node, const Eigen::Matrix3d& stiffness, int support);
  void couple(Coupling coupling) { couplings_.push_back(std::move(coupling)); }

  /// Held nodes and such on springs, ascending.
  std::vector<NodeSupport<3>> nodes() const;
  const std::vector<Coupling>& couplings() const { return couplings_; }

  /// Where nodes are held that are not held at their own places, m.
  NodalVectors moved() const;
  /// What couplings exert before anything moves, N.
  NodalVectors preloads() const;
  /// @throws InputError if two supports move a node differently, or a coupling acts on one that is moved.
  void requireStraight() const;

  /// The directions a node is held in, those of coordinate axes as bits: bit 0 x, bit 1 y, bit 2 z; bit 3 if
  /// it is held in another direction or on springs.
  std::uint8_t directionsAt(std::size_t node) const;

  /// Which bodies couplings join: by body, the number of one that stands for all it hangs together with.
  /// @param bodyOf the body a node is on, by number.
  std::vector<int> joinedBodies(const std::function<int(std::size_t)>& bodyOf, std::size_t bodies) const;

  /// The rigid motions that are left to bodies, which couplings may join; see freeMotions.
  /// @param bodyOf the body a node is on, by number; negative for one that is not asked about.
  std::vector<std::string> motionsLeft(const std::function<Vec3(std::size_t)>& positionOf,
                                       const std::function<int(std::size_t)>& bodyOf, std::size_t bodies,
                                       bool planar) const;

  /// What each support exerts on the body, N by node.
  /// @param balance internal less applied forces: what supports have to exert in all.
  /// @param strain what each motion of the couplings takes up, S W^T u, one after another, as the solver has
  ///   it.
  /// @param supports how many there are.
  std::vector<NodalVectors> forces(std::size_t supports, std::span<const double> displacement,
                                   std::span<const double> balance, std::span<const double> strain,
                                   const DofOrder& order) const;

 private:
  struct Direction {
    Vec3 unit;
    int support;
    double at;  // m
  };
  struct Spring {
    Eigen::Matrix3d stiffness;
    int support;
  };
  struct Node {
    std::vector<Direction> held;  // at right angles to each other
    std::vector<Spring> springs;
  };
  std::map<std::size_t, Node> nodes_;
  std::vector<Coupling> couplings_;
  double contradiction_ = 0;  // the most that two supports move a node differently, m
};

/// What the supports of a case do. @param faces by number, tied.
Grounding grounded(const Setup& setup, const LoadCase& c, std::span<const FaceTies> faces);

}  // namespace barelattice
