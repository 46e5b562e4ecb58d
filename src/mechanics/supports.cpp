// What each kind of support does to the nodes of a face: `ground`, one for each kind.
#include "barelattice/mechanics/supports.hpp"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "barelattice/mechanics/grounding.hpp"
#include "barelattice/shapes/face_pieces.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// What a support is given: its face, and the face as it is tied.
struct Standing {
  const Setup& setup;
  std::span<const FaceTies> ties;  // by number of the face
  std::size_t face;
  int number;  // of the support

  const Face& shape() const { return setup.faces[face].face; }
  const FaceTies& tied() const { return ties[face]; }
};

/// The piece of a face's boundary that is nearest to a place, as far as it reaches there.
const Patch& patchNear(const Face& face, const Vec3& place) {
  if (face.patches.empty()) throw InputError("the face has no pieces of a shape", "pick it from a shape");
  const Patch* best = nullptr;
  double least = std::numeric_limits<double>::max();
  for (const Patch& patch : face.patches) {
    const double beyond = patch.spans(place, 4 * face.spacing) ? 0 : face.spacing;
    const double distance = patch.distance(place) + beyond;
    if (distance >= least) continue;
    least = distance;
    best = &patch;
  }
  return *best;
}

void ground(const Held& held, const Standing& on, Grounding& grounding) {
  const FaceTies& face = on.tied();
  for (std::size_t n = 0; n < face.nodes.size(); ++n) {
    const Vec3 moved = held.moved.isZero() ? Vec3::Zero() : held.moved.at(face.places[n]);
    for (int i = 0; i < 3; ++i)
      if (held.directions >> i & 1U)
        grounding.hold(face.nodes[n], held.axes.col(i), on.number, held.axes.col(i).dot(moved));
  }
}

void ground(const Slide& /*has no numbers*/, const Standing& on, Grounding& grounding) {
  const FaceTies& face = on.tied();
  for (std::size_t n = 0; n < face.nodes.size(); ++n)
    grounding.hold(face.nodes[n], patchNear(on.shape(), face.places[n]).normal(face.places[n]), on.number);
}

void ground(const Pin& /*has no numbers*/, const Standing& on, Grounding& grounding) {
  const FaceTies& face = on.tied();
  for (std::size_t n = 0; n < face.nodes.size(); ++n) {
    const Patch& patch = patchNear(on.shape(), face.places[n]);
    if (patch.kind != Patch::Kind::cylinder)
      throw InputError("a pin holds a face that is not all of round bores or shafts",
                       "pick cylinders, or slide over the face");
    // Towards the axis, not along a wall that may be askew to it: turning stays free whatever the nodes are.
    const Vec3 axis = patch.direction();
    const Vec3 arm = face.places[n] - patch.origin;
    const Vec3 outward = arm - axis.dot(arm) * axis;
    if (outward.norm() > 0) grounding.hold(face.nodes[n], outward.normalized(), on.number);
    grounding.hold(face.nodes[n], axis, on.number);
  }
}

/// Each point's spring goes to its nodes. Weights of nodes beyond the point's cell, which are below zero,
/// would make springs that push; without them a spring stands up to half a cell deeper.
void ground(const Foundation& foundation, const Standing& on, Grounding& grounding) {
  const FaceTies& face = on.tied();
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
        grounding.addSpring(face.weights[w].node, face.weights[w].weight / sum * spring, on.number);
    begin = tie.end;
  }
}

/// Springs on the mean motion of what is there of a face.
void groundMean(const MeanSprings& springs, const FaceTies& face, int number, Grounding& grounding) {
  if (face.ties.empty()) return;
  Coupling coupling = springsOn(meanMotions(face, springs.axes, springs.at), springs.slide, springs.turn);
  coupling.support = number;
  if (!coupling.motions.empty()) grounding.couple(std::move(coupling));
}

void ground(const MeanSprings& springs, const Standing& on, Grounding& grounding) {
  if (springs.at)
    groundMean(springs, on.tied(), on.number, grounding);
  else
    for (const FaceTies& piece : tiesByPiece(on.shape(), on.tied()))
      groundMean(springs, piece, on.number, grounding);
}

void ground(const std::shared_ptr<const OwnSupport>& own, const Standing& on, Grounding& grounding) {
  own->ground(on.tied(), on.number, grounding);
}

Vec3 centroidOf(const FaceTies& face) {
  Vec3 centre = Vec3::Zero();
  for (const FaceTies::Tie& tie : face.ties) centre += tie.point.area / face.area * tie.point.position;
  return centre;
}

/// Sideways a bolt is a cantilever of length L, clamped at the base. A force F across it at z, half way down
/// the bore, and a moment M at its head, both in the plane of one lateral direction, bend it by
///   d(z) = (z^3 / 3 E I + z / k G A) F + (z^2 / 2 E I) M,
///   t(L) = (z^2 / 2 E I) F + (L / E I) M,
/// k = 6 (1 + nu) / (7 + 6 nu) of a round section (Cowper 1966). The inverse of this is its stiffness.
Eigen::Matrix2d lateralStiffness(const Bolt& bolt, double z) {
  const double area = std::numbers::pi / 4 * bolt.diameter * bolt.diameter;
  const double bending = bolt.modulus * area * bolt.diameter * bolt.diameter / 16;  // E I
  const double shear = bolt.modulus / (2 * (1 + bolt.poisson)) * area *             // k G A
                       6 * (1 + bolt.poisson) / (7 + 6 * bolt.poisson);
  Eigen::Matrix2d flexibility;
  flexibility << z * z * z / (3 * bending) + z / shear, z * z / (2 * bending), z * z / (2 * bending),
      bolt.grip / bending;
  return flexibility.inverse();
}

/// One bolt: what its head and its shank take up.
void groundBolt(const Bolt& bolt, const FaceTies& hole, const FaceTies& seat, const Axis& axis, int number,
                Grounding& grounding) {
  Vec3 outward = Vec3::Zero();  // of the seat, towards the head
  for (const FaceTies::Tie& tie : seat.ties) outward += tie.point.area * tie.point.normal;
  const Vec3 up = std::copysign(1.0, axis.direction.dot(outward)) * axis.direction;
  const double depth =
      up.dot(centroidOf(seat) - centroidOf(hole));  // of the middle of the bore below the head
  if (!(depth > 0 && depth < bolt.grip))
    throw InputError(
        fmt::format("the middle of a bolt's bore lies {:.3g} mm below its head, and its base {:.3g} mm",
                    1e3 * depth, 1e3 * bolt.grip),
        "the base is below the bore: give the grip length from there to the seat, and the seat of this bore");
  Eigen::Matrix3d axes;  // across, across, along
  axes.col(2) = up;
  axes.col(0) = up.unitOrthogonal();
  axes.col(1) = up.cross(axes.col(0));
  std::vector<NodalVectors> shank = meanMotions(hole, axes);
  std::vector<NodalVectors> head = meanMotions(seat, axes);
  const double area = std::numbers::pi / 4 * bolt.diameter * bolt.diameter;
  const Eigen::Matrix2d lateral = lateralStiffness(bolt, bolt.grip - depth);
  // Towards axis 0 it tilts about axis 1, towards axis 1 about -axis 0.
  Coupling coupling{number, {head[2], shank[0], head[4], shank[1], head[3]}, Eigen::MatrixXd::Zero(5, 5), {}};
  coupling.stiffness(0, 0) = bolt.modulus * area / bolt.grip;
  coupling.stiffness.block<2, 2>(1, 1) = lateral;
  coupling.stiffness.block<2, 2>(3, 3) = lateral;
  coupling.stiffness(3, 4) *= -1;
  coupling.stiffness(4, 3) *= -1;
  if (bolt.preload > 0) {
    coupling.preload = Eigen::VectorXd::Zero(5);
    coupling.preload[0] = -bolt.preload;
  }
  grounding.couple(std::move(coupling));
}

void ground(const Bolt& bolt, const Standing& on, Grounding& grounding) {
  const std::vector<FacePiece> holes = piecesOf(on.shape());
  const std::vector<FaceTies> holeTies = tiesByPiece(on.shape(), on.tied());
  const Face& seatFace = on.setup.faces[bolt.seat].face;
  const std::vector<FacePiece> seats = piecesOf(seatFace);
  const std::vector<FaceTies> seatTies = tiesByPiece(seatFace, on.ties[bolt.seat]);
  for (std::size_t h = 0; h < holes.size(); ++h) {
    const std::optional<Axis> axis = axisOf(on.shape(), holes[h]);
    if (!axis) throw InputError("a bolt's hole is not round", "pick its bore, a cylinder");
    const auto off = [&](const FacePiece& seat) {
      return (seat.centre - axis->through).cross(axis->direction).norm();
    };
    std::size_t s = 0;
    for (std::size_t other = 1; other < seats.size(); ++other)
      if (off(seats[other]) < off(seats[s])) s = other;
    if (off(seats[s]) > bolt.diameter)
      throw InputError(
          fmt::format("a bolt's bore has no seat of its own: the nearest lies {:.3g} mm off its axis",
                      1e3 * off(seats[s])),
          "pick one flat ring for each bore");
    if (holeTies[h].ties.empty() || seatTies[s].ties.empty()) continue;  // nothing of it is on the body
    groundBolt(bolt, holeTies[h], seatTies[s], *axis, on.number, grounding);
  }
}

/// The springs of a connection feel what one face, or piece of a face, moves more than the other.
void join(const Connection& connection, const Setup& setup, std::span<const FaceTies> faces,
          Grounding& grounding) {
  FaceTies first = faces[connection.first];
  FaceTies second = faces[connection.second];
  if (connection.first == connection.second) {
    std::vector<FaceTies> pieces = tiesByPiece(setup.faces[connection.first].face, first);
    if (pieces.size() != 2)
      throw InputError(
          fmt::format("face {} is {} piece{}, and a connection within a face joins two",
                      setup.faces[connection.first].name, pieces.size(), pieces.size() == 1 ? "" : "s"),
          "name two faces, or one of two pieces");
    first = std::move(pieces[0]);
    second = std::move(pieces[1]);
  }
  if (first.ties.empty() || second.ties.empty()) return;
  const Vec3 at = connection.at ? *connection.at : Vec3(0.5 * (centroidOf(first) + centroidOf(second)));
  std::vector<NodalVectors> motions = meanMotions(first, connection.axes, at);
  const std::vector<NodalVectors> others = meanMotions(second, connection.axes, at);
  const auto sizeOf = [](const NodalVectors& motion) {
    double sum = 0;
    for (const NodalVector& v : motion) sum += v.value.norm();
    return sum;
  };
  for (std::size_t i = 0; i < motions.size(); ++i) {
    if (motions[i].empty() || others[i].empty()) {
      motions[i].clear();  // what does not turn about an axis is not turned about it
      continue;
    }
    const double size = sizeOf(motions[i]);
    for (const NodalVector& other : others[i]) motions[i].push_back({other.node, -other.value});
    motions[i] = summed(std::move(motions[i]));
    constexpr double kNothing = 1e-6;
    if (sizeOf(motions[i]) < kNothing * size)
      throw InputError("its two faces are one and the same", "name two faces, or one of two pieces");
  }
  Coupling coupling = springsOn(std::move(motions), connection.slide, connection.turn);
  coupling.support = Grounding::kNobody;
  if (!coupling.motions.empty()) grounding.couple(std::move(coupling));
}

}  // namespace

Coupling springsOn(std::vector<NodalVectors> motions, const Vec3& slide, const Vec3& turn) {
  Eigen::Matrix<double, 6, 1> stiffness;
  stiffness << slide, turn;
  Coupling coupling;
  std::vector<double> kept;
  for (std::size_t i = 0; i < motions.size(); ++i) {
    const double s = stiffness[static_cast<Eigen::Index>(i)];
    if (!(s > 0) || motions[i].empty()) continue;
    coupling.motions.push_back(std::move(motions[i]));
    kept.push_back(s);
  }
  coupling.stiffness =
      Eigen::Map<Eigen::VectorXd>(kept.data(), static_cast<Eigen::Index>(kept.size())).asDiagonal();
  return coupling;
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
    const Standing on{setup, faces, support.face, static_cast<int>(s)};
    naming("support", support.name,
           [&] { std::visit([&](const auto& kind) { ground(kind, on, grounding); }, support.kind); });
  }
  for (const Connection& connection : setup.connections)
    naming("connection", connection.name, [&] { join(connection, setup, faces, grounding); });
  grounding.requireStraight();
  return grounding;
}

}  // namespace barelattice
