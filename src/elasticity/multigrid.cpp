#include "barelattice/elasticity/multigrid.hpp"

#include "barelattice/base/error.hpp"
#include "barelattice/base/parallel.hpp"

namespace barelattice {
namespace {

constexpr int kSmoothingDegree = 2;

/// Added to the diagonal of the bottom matrix, relative. The direct solve is the one place where the cycle
/// divides by a small eigenvalue. A piece that hangs on light material only can move with an energy 1e-9 of
/// its stiffness, below the rounding of the single precision the matrix was formed in (81 entries a row of
/// 6e-8 each): unshifted, such a motion came out with a negative energy, or so large that the rounding of the
/// levels above drowned the rest, and the cycle was indefinite. The motions the bottom is there for have 1e-4
/// and more; the others are left to the outer iteration, a few steps each.
constexpr double kBottomShift = 5e-6;

}  // namespace

template <int D>
BlockLevel<D>::BlockLevel(BlockMatrix<D> matrix, double bound)
    : matrix_(std::move(matrix)), inverse_(matrix_.inverseDiagonal()), bound_(bound) {}

template <int D>
void BlockLevel<D>::scale(std::span<const float> r, float c, std::span<float> z) const {
  forEach(matrix_.rows(), [&](std::size_t row) {
    const auto at = static_cast<std::ptrdiff_t>(D * row);
    Eigen::Map<Eigen::Matrix<float, D, 1>>(z.data() + at) =
        c * (inverse_[row] * Eigen::Map<const Eigen::Matrix<float, D, 1>>(r.data() + at));
  });
}

Multigrid::Multigrid(std::vector<std::unique_ptr<MultigridLevel>> levels,
                     std::vector<std::unique_ptr<MultigridTransfer>> transfers,
                     const Eigen::SparseMatrix<double>& bottom)
    : levels_(std::move(levels)), transfers_(std::move(transfers)), work_(levels_.size()) {
  for (std::size_t l = 0; l < levels_.size(); ++l)
    for (auto* v : {&work_[l].x, &work_[l].b, &work_[l].r, &work_[l].z, &work_[l].t})
      v->resize(levels_[l]->size());
  Eigen::SparseMatrix<double> shifted = bottom;
  for (Eigen::Index i = 0; i < shifted.rows(); ++i) shifted.coeffRef(i, i) *= 1 + kBottomShift;
  bottom_.compute(shifted);
  if (bottom_.info() != Eigen::Success) throw RunError("the coarsest stiffness matrix cannot be factorised");
}

void Multigrid::apply(std::span<const double> r, std::span<double> z) const {
  Workspace& w = work_.front();
  forEach(r.size(), [&](std::size_t i) { w.b[i] = static_cast<float>(r[i]); });
  cycle(0);
  forEach(z.size(), [&](std::size_t i) { z[i] = static_cast<double>(w.x[i]); });
}

void Multigrid::cycle(std::size_t level) const {
  if (level + 1 == levels_.size()) return solveBottom();
  Workspace& w = work_[level];
  smooth(level, true);
  levels_[level]->apply(w.x, w.t);
  forEach(w.r.size(), [&](std::size_t i) { w.r[i] = w.b[i] - w.t[i]; });
  transfers_[level]->restrictTo(w.r, work_[level + 1].b);
  cycle(level + 1);
  transfers_[level]->prolongAdd(work_[level + 1].x, w.x);
  smooth(level, false);
}

/// Fourth-kind Chebyshev iteration (Lottes 2023): for k = 1 ... degree
///   x += z_k,  r -= A z_k,  z_(k+1) = (2k - 1)/(2k + 3) z_k + (8k + 4)/(2k + 3)/bound M^-1 r
/// with z_1 = 4/3 / bound M^-1 r.
void Multigrid::smooth(std::size_t level, bool fromZero) const {
  const MultigridLevel& a = *levels_[level];
  Workspace& w = work_[level];
  const double bound = a.eigenvalueBound();
  if (fromZero) {
    a.scale(w.b, static_cast<float>(4 / (3 * bound)), w.z);
    w.x = w.z;
    if (kSmoothingDegree > 1) w.r = w.b;
  } else {
    a.apply(w.x, w.t);
    forEach(w.r.size(), [&](std::size_t i) { w.r[i] = w.b[i] - w.t[i]; });
    a.scale(w.r, static_cast<float>(4 / (3 * bound)), w.z);
    forEach(w.x.size(), [&](std::size_t i) { w.x[i] += w.z[i]; });
  }
  for (int k = 1; k < kSmoothingDegree; ++k) {
    a.apply(w.z, w.t);
    forEach(w.r.size(), [&](std::size_t i) { w.r[i] -= w.t[i]; });
    a.scale(w.r, static_cast<float>((8.0 * k + 4) / (2 * k + 3) / bound), w.t);
    const auto keep = static_cast<float>((2.0 * k - 1) / (2 * k + 3));
    forEach(w.x.size(), [&](std::size_t i) {
      w.z[i] = keep * w.z[i] + w.t[i];
      w.x[i] += w.z[i];
    });
  }
}

void Multigrid::solveBottom() const {
  Workspace& w = work_.back();
  const Eigen::VectorXd b =
      Eigen::Map<const Eigen::VectorXf>(w.b.data(), static_cast<Eigen::Index>(w.b.size())).cast<double>();
  Eigen::Map<Eigen::VectorXf>(w.x.data(), static_cast<Eigen::Index>(w.x.size())) =
      bottom_.solve(b).cast<float>();
}

template class BlockLevel<2>;
template class BlockLevel<3>;

}  // namespace barelattice
