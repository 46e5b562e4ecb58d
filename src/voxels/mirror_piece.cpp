#include "barelattice/voxels/mirror_piece.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "barelattice/voxels/node_support.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// How far what acts may be from its own image, as a share of it: points on faces lie where they do, and of
/// two corners that are as near to one the lower is taken.
constexpr double kUnlikeForces = 0.05;
constexpr double kUnlikeSprings = 0.02;
constexpr double kUnlikeHolds = 0.2;

[[noreturn]] void refuseUnlike(const char* what) {
  throw InputError(fmt::format("{} not their own image in the planes of symmetry", what),
                   "leave out the plane that is none of what acts");
}

/// Fields that are constant or linear in space, each of which a mirror plane either keeps or turns round:
/// component i of the direction, times coordinate j from the planes, or alone (j = D).
struct LinearField {
  int i = 0;
  int j = 0;
  unsigned turned = 0;  ///< bit a: the plane across axis a turns it round
};

template <int D>
std::vector<LinearField> linearFields(const MirrorLayers<D>& layers) {
  std::vector<LinearField> fields;
  for (int i = 0; i < D; ++i)
    for (int j = 0; j <= D; ++j) {
      LinearField field{i, j, 0};
      for (int a = 0; a < D; ++a)
        if (layers[static_cast<std::size_t>(a)] && (i == a) != (j == a)) field.turned |= 1U << a;
      fields.push_back(field);
    }
  return fields;
}

/// Stiffness on linear fields joins none that planes keep with one they turn round, if it is its own image.
/// @param products of the fields with each other through the stiffness.
void requireAlike(const Eigen::MatrixXd& products, const std::vector<LinearField>& fields, double share,
                  const char* what) {
  const double most = products.diagonal().maxCoeff();
  constexpr double kNothing = 1e-6;  // of the most
  for (Eigen::Index p = 0; p < products.rows(); ++p)
    for (Eigen::Index q = 0; q < p; ++q)
      if (fields[static_cast<std::size_t>(p)].turned != fields[static_cast<std::size_t>(q)].turned &&
          std::abs(products(p, q)) > share * std::sqrt(products(p, p) * products(q, q)) + kNothing * most)
        refuseUnlike(what);
}

double normOf(const NodalVectors& vectors) {
  double squared = 0;
  for (const NodalVector& at : vectors) squared += at.value.squaredNorm();
  return std::sqrt(squared);
}

/// The sign with which two motions are the same; 0 if they are not.
double signBetween(const NodalVectors& one, const NodalVectors& other) {
  if (one.size() != other.size()) return 0;
  double with = 0;
  double against = 0;
  for (std::size_t k = 0; k < one.size(); ++k) {
    if (one[k].node != other[k].node) return 0;
    with += (one[k].value - other[k].value).squaredNorm();
    against += (one[k].value + other[k].value).squaredNorm();
  }
  constexpr double kSame = 1e-6;
  const double same = kSame * normOf(one);
  return std::sqrt(with) < same ? 1 : std::sqrt(against) < same ? -1 : 0;
}

/// Images of springs on one side of a plane and those on the other are one set: they are added, where they
/// act on the same motions.
bool takesOver(Coupling& sum, const Coupling& other) {
  if (sum.motions.size() != other.motions.size()) return false;
  Eigen::VectorXd signs(static_cast<Eigen::Index>(sum.motions.size()));
  for (std::size_t m = 0; m < sum.motions.size(); ++m) {
    const double sign = signBetween(sum.motions[m], other.motions[m]);
    if (sign == 0) return false;
    signs[static_cast<Eigen::Index>(m)] = sign;
  }
  sum.stiffness += Eigen::MatrixXd(signs.asDiagonal() * other.stiffness * signs.asDiagonal());
  return true;
}

}  // namespace

template <int D>
MirrorPiece<D>::MirrorPiece(const Grid<D>& whole, const MirrorLayers<D>& layers)
    : layers_(layers), whole_(whole) {
  GridFrame<D> frame = whole.frame();
  for (std::size_t i = 0; i < D; ++i) {
    if (!layers[i]) continue;
    requireIndex("layer of a plane of symmetry", static_cast<std::size_t>(*layers[i]),
                 static_cast<std::size_t>(frame.cells[i]), "cells of the box along its axis");
    frame.cells[i] = *layers[i];
    count_ *= 2;
  }
  if (count_ == 1) throw InputError("no plane of symmetry is given");
  std::vector<std::uint8_t> there(frame.boxCells(), 0);
  std::vector<std::size_t> places;
  places.reserve(whole.cellCount());
  for (std::size_t c = 0; c < whole.cellCount(); ++c) {
    Index<D> at = whole.cellIndex(c);
    for (std::size_t i = 0; i < D; ++i)
      if (layers[i] && at[i] >= *layers[i]) at[i] = 2 * *layers[i] - 1 - at[i];
    if (!frame.contains(at))
      throw InputError("a cell of the grid has its image outside of the grid",
                       "put the plane of symmetry through the middle");
    places.push_back(frame.linear(at));
    there[places.back()] = 1;
  }
  grid_ = Grid<D>(frame, there);
  images_.assign(grid_.cellCount(), 0);
  for (const std::size_t place : places) {
    cellOf_.push_back(grid_.cellAt(frame.index(static_cast<std::uint32_t>(place))));
    ++images_[static_cast<std::size_t>(cellOf_.back())];
  }
  nodeImages_.assign(grid_.nodeCount(), 0);
  for (std::size_t n = 0; n < whole.nodeCount(); ++n) {
    Index<D> at = whole.nodeIndex(n);
    std::uint8_t mirrored = 0;
    for (std::size_t i = 0; i < D; ++i)
      if (layers[i] && at[i] > *layers[i]) {
        at[i] = 2 * *layers[i] - at[i];
        mirrored |= static_cast<std::uint8_t>(1U << i);
      }
    nodeOf_.push_back(grid_.nodeAt(at));
    mirrored_.push_back(mirrored);
    ++nodeImages_[static_cast<std::size_t>(nodeOf_.back())];
  }
}

template <int D>
auto MirrorPiece<D>::signsOf(std::size_t node) const -> Vector {
  Vector signs;
  for (int i = 0; i < D; ++i) signs[i] = mirrored_[node] >> i & 1 ? -1 : 1;
  return signs;
}

template <int D>
auto MirrorPiece<D>::acrossOf(std::size_t pieceNode) const -> Vector {
  const Index<D> at = grid_.nodeIndex(pieceNode);
  Vector across = Vector::Zero();
  for (std::size_t i = 0; i < D; ++i)
    if (layers_[i] && at[i] == *layers_[i]) across[static_cast<Eigen::Index>(i)] = 1;
  return across;
}

template <int D>
std::vector<double> MirrorPiece<D>::heldBy(std::span<const double> whole) const {
  std::vector<double> sums(grid_.cellCount(), 0.0);
  for (std::size_t c = 0; c < whole.size(); ++c) sums[static_cast<std::size_t>(cellOf_[c])] += whole[c];
  for (double& sum : sums) sum /= count_;
  return sums;
}

template <int D>
std::vector<double> MirrorPiece<D>::meansOf(std::span<const double> whole) const {
  std::vector<double> means = heldBy(whole);
  for (std::size_t c = 0; c < means.size(); ++c) means[c] *= static_cast<double>(count_) / images_[c];
  return means;
}

template <int D>
double MirrorPiece<D>::unlikeness(std::span<const double> whole) const {
  const std::vector<double> means = meansOf(whole);
  double apart = 0;
  double all = 0;
  for (std::size_t c = 0; c < whole.size(); ++c) {
    apart += std::abs(whole[c] - means[static_cast<std::size_t>(cellOf_[c])]);
    all += std::abs(whole[c]);
  }
  return all > 0 ? apart / all : 0;
}

template <int D>
void MirrorPiece<D>::handOut(std::span<const double> gradient, std::span<double> whole) const {
  for (std::size_t c = 0; c < whole.size(); ++c) {
    const auto own = static_cast<std::size_t>(cellOf_[c]);
    whole[c] = gradient[own] * count_ / images_[own];
  }
}

template <int D>
std::vector<double> MirrorPiece<D>::forceOf(std::span<const double> whole) const {
  std::vector<double> sums(D * grid_.nodeCount(), 0.0);
  for (std::size_t n = 0; n < whole_.nodeCount(); ++n) {
    const auto own = static_cast<std::size_t>(nodeOf_[n]);
    const Vector signs = signsOf(n);
    for (int i = 0; i < D; ++i)
      sums[gridDof(grid_, own, i)] += signs[i] * whole[gridDof(whole_, n, i)] / count_;
  }
  for (std::size_t n = 0; n < grid_.nodeCount(); ++n) {
    const Vector across = acrossOf(n);
    for (int i = 0; i < D; ++i)
      if (across[i] > 0)
        sums[gridDof(grid_, n, i)] = 0;  // whatever lies across a plane has its opposite there
  }
  return sums;
}

template <int D>
std::vector<double> MirrorPiece<D>::displacementOf(std::span<const double> whole) const {
  std::vector<double> means = forceOf(whole);
  for (std::size_t n = 0; n < grid_.nodeCount(); ++n)
    for (int i = 0; i < D; ++i) means[gridDof(grid_, n, i)] *= static_cast<double>(count_) / nodeImages_[n];
  return means;
}

template <int D>
void MirrorPiece<D>::spread(std::span<const double> displacement, std::span<double> whole) const {
  for (std::size_t n = 0; n < whole_.nodeCount(); ++n) {
    const auto own = static_cast<std::size_t>(nodeOf_[n]);
    const Vector signs = signsOf(n);
    for (int i = 0; i < D; ++i)
      whole[gridDof(whole_, n, i)] = signs[i] * displacement[gridDof(grid_, own, i)];
  }
}

template <int D>
GridCase<D> MirrorPiece<D>::caseOf(const GridCase<D>& whole) const {
  GridCase<D> own{whole.name, whole.weight, {}, {}, {}, whole.bodyForce, whole.temperature, {}};

  // Vectors at nodes, E^T v / n, and how much of them cancels.
  const auto folded = [&](const NodalVectors& vectors, const char* what) {
    NodalVectors parts;
    double all = 0;
    for (const NodalVector& at : vectors) {
      Vec3 value = Vec3::Zero();
      const Vector flat = at.value.template head<D>();
      value.template head<D>() = signsOf(at.node).cwiseProduct(flat);
      all += value.squaredNorm();
      parts.push_back({static_cast<std::size_t>(nodeOf_[at.node]), value / count_});
    }
    NodalVectors sums = summed(std::move(parts));
    double kept = 0;
    for (NodalVector& sum : sums) {
      const Vector across = acrossOf(sum.node);
      for (int i = 0; i < D; ++i)
        if (across[i] > 0) sum.value[i] = 0;
      kept += sum.value.squaredNorm() * count_ * count_ / nodeImages_[sum.node];
    }
    if (what && all - kept > kUnlikeForces * kUnlikeForces * all) refuseUnlike(what);
    return sums;
  };

  std::map<std::size_t, Vec3> forces;
  for (const auto& [dof, force] : whole.force)
    forces.try_emplace(dof % whole_.nodeCount(), Vec3::Zero())
        .first->second[static_cast<Eigen::Index>(dof / whole_.nodeCount())] += force;
  NodalVectors acting;
  for (const auto& [node, force] : forces) acting.push_back({node, force});
  for (const NodalVector& at : folded(acting, "the loads of the case are"))
    for (int i = 0; i < D; ++i)
      if (at.value[i] != 0) own.force[gridDof(grid_, at.node, i)] = at.value[i];

  requireAlike(whole);
  // A node is held where any of its images is.
  struct Standing {
    Matrix free = Matrix::Identity();
    Matrix spring = Matrix::Zero();
  };
  std::map<std::size_t, Standing> standing;
  for (const NodeSupport<D>& support : whole.supports) {
    const Vector vector = signsOf(support.node);
    const auto signs = vector.asDiagonal();
    Standing& on = standing[static_cast<std::size_t>(nodeOf_[support.node])];
    const Matrix free = signs * support.free * signs;
    if (free.trace() < on.free.trace()) on.free = free;
    on.spring += Matrix(signs * support.spring * signs) / count_;
  }
  for (std::size_t n = 0; n < grid_.nodeCount(); ++n) {
    const Vector across = acrossOf(n);
    if (!across.isZero()) standing[n];
  }
  for (auto& [node, on] : standing) {
    // At a node in a plane supports that are their own image hold its normal, or leave it free.
    const Vector across = acrossOf(node);
    for (int i = 0; i < D; ++i)
      if (across[i] > 0) {
        on.free.row(i).setZero();
        on.free.col(i).setZero();
        on.spring.row(i).setZero();
        on.spring.col(i).setZero();
      }
    own.supports.push_back({node, on.free, on.spring});
  }

  for (const Coupling& coupling : whole.couplings) {
    // What planes cancel, as turning about an axis in them, is no motion of the piece.
    Coupling part{coupling.support, {}, {}, {}};
    std::vector<Eigen::Index> kept;
    for (std::size_t m = 0; m < coupling.motions.size(); ++m) {
      NodalVectors sums = folded(coupling.motions[m], nullptr);
      for (NodalVector& sum : sums) sum.value *= count_;  // E^T w
      constexpr double kNothing = 1e-9;
      if (normOf(sums) < kNothing * normOf(coupling.motions[m])) continue;
      part.motions.push_back(std::move(sums));
      kept.push_back(static_cast<Eigen::Index>(m));
    }
    if (kept.empty()) continue;
    part.stiffness = coupling.stiffness(kept, kept) / count_;
    if (std::none_of(own.couplings.begin(), own.couplings.end(),
                     [&](Coupling& other) { return takesOver(other, part); }))
      own.couplings.push_back(std::move(part));
  }

  for (NodalVector& at : folded(whole.moved, "the motions of faces of the case are"))
    own.moved.push_back({at.node, at.value * count_ / nodeImages_[at.node]});

  for (std::size_t i = 0; i < D; ++i) {
    if (!layers_[i]) continue;
    // At the plane nothing acts across it, and the gradient is its own image.
    const auto e = static_cast<Eigen::Index>(i);
    const Vec3 atPlane = planePlace();
    Vec3 mirror = Vec3::Ones();
    mirror[e] = -1;
    const Eigen::Matrix3d& gradient = whole.bodyForce.gradient;
    const Vec3 force = whole.bodyForce.at(atPlane);
    constexpr double kRounding = 1e-9;
    if (std::abs(force[e]) > kRounding * force.norm() ||
        (mirror.asDiagonal() * gradient * mirror.asDiagonal() - gradient).norm() >
            kRounding * gradient.norm())
      refuseUnlike("the forces of the case on all mass are");
  }
  return own;
}

template <int D>
Vec3 MirrorPiece<D>::planePlace() const {
  const GridFrame<D>& frame = whole_.frame();
  Vec3 place = Vec3::Zero();
  for (int i = 0; i < D; ++i) {
    const std::optional<int>& layer = layers_[static_cast<std::size_t>(i)];
    place[i] =
        frame.origin[i] + frame.size * (layer ? *layer : 0.5 * frame.cells[static_cast<std::size_t>(i)]);
  }
  return place;
}

template <int D>
void MirrorPiece<D>::requireAlike(const GridCase<D>& whole) const {
  const std::vector<LinearField> fields = linearFields<D>(layers_);
  const auto count = static_cast<Eigen::Index>(fields.size());
  const Vec3 origin = planePlace();
  double reach = 0;
  for (const int cells : whole_.frame().cells) reach = std::max(reach, 0.5 * whole_.frame().size * cells);
  const auto valueAt = [&](const LinearField& field, std::size_t node) {
    Vector value = Vector::Zero();
    value[field.i] = field.j == D ? 1 : (whole_.nodePosition(node)[field.j] - origin[field.j]) / reach;
    return value;
  };
  Eigen::MatrixXd held = Eigen::MatrixXd::Zero(count, count);
  Eigen::MatrixXd strained = held;
  for (const NodeSupport<D>& support : whole.supports) {
    Eigen::Matrix<double, D, Eigen::Dynamic> values(D, count);
    for (Eigen::Index f = 0; f < count; ++f)
      values.col(f) = valueAt(fields[static_cast<std::size_t>(f)], support.node);
    held += values.transpose() * (Matrix::Identity() - support.free) * values;
    strained += values.transpose() * support.spring * values;
  }
  for (const Coupling& coupling : whole.couplings) {
    Eigen::MatrixXd motions =
        Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(coupling.motions.size()), count);
    for (Eigen::Index m = 0; m < motions.rows(); ++m)
      for (const NodalVector& at : coupling.motions[static_cast<std::size_t>(m)])
        for (Eigen::Index f = 0; f < count; ++f)
          motions(m, f) +=
              at.value.template head<D>().dot(valueAt(fields[static_cast<std::size_t>(f)], at.node));
    strained += motions.transpose() * coupling.stiffness * motions;
  }
  barelattice::requireAlike(held, fields, kUnlikeHolds, "the supports of the case are");
  barelattice::requireAlike(strained, fields, kUnlikeSprings, "the springs of the case are");
}

template class MirrorPiece<2>;
template class MirrorPiece<3>;

}  // namespace barelattice
