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
    : matrix_(std::move(matrix)), inverse_(matrix_.inverseDiagonal()), smoother_{bound} {
  for (auto* v : {&r_, &z_, &t_}) v->resize(size());
}

template <int D>
void BlockLevel<D>::scale(std::span<const float> r, float c, std::span<float> z) const {
  forEach(matrix_.rows(), [&](std::size_t row) {
    const auto at = static_cast<std::ptrdiff_t>(D * row);
    Eigen::Map<Eigen::Matrix<float, D, 1>>(z.data() + at) =
        c * (inverse_[row] * Eigen::Map<const Eigen::Matrix<float, D, 1>>(r.data() + at));
  });
}

template <int D>
void BlockLevel<D>::smoothFromZero(std::span<const float> b, std::span<float> x) {
  scale(b, smoother_.first(), z_);
  std::copy(z_.begin(), z_.end(), x.begin());
  std::copy(b.begin(), b.end(), r_.begin());
  finish(x);
}

template <int D>
std::span<const float> BlockLevel<D>::residual(std::span<const float> b, std::span<const float> x) {
  apply(x, t_);
  forEach(r_.size(), [&](std::size_t i) { r_[i] = b[i] - t_[i]; });
  return r_;
}

template <int D>
void BlockLevel<D>::smooth(std::span<const float> b, std::span<float> x) {
  residual(b, x);
  scale(r_, smoother_.first(), z_);
  forEach(x.size(), [&](std::size_t i) { x[i] += z_[i]; });
  finish(x);
}

/// The steps after the first.
template <int D>
void BlockLevel<D>::finish(std::span<float> x) {
  for (int k = 1; k < kSmoothingDegree; ++k) {
    apply(z_, t_);
    forEach(r_.size(), [&](std::size_t i) { r_[i] -= t_[i]; });
    scale(r_, smoother_.weight(k), t_);
    const float keep = ChebyshevSmoother::keep(k);
    forEach(x.size(), [&](std::size_t i) {
      z_[i] = keep * z_[i] + t_[i];
      x[i] += z_[i];
    });
  }
}

Multigrid::Multigrid(std::vector<std::unique_ptr<MultigridLevel>> levels,
                     std::vector<std::unique_ptr<MultigridTransfer>> transfers)
    : levels_(std::move(levels)), transfers_(std::move(transfers)), work_(levels_.size()) {
  for (std::size_t l = 1; l < levels_.size(); ++l) {
    work_[l - 1].b.resize(levels_[l]->size());
    work_[l - 1].x.resize(levels_[l]->size());
  }
}

void Multigrid::setBottom(const Eigen::SparseMatrix<double>& matrix) {
  Eigen::SparseMatrix<double> shifted = matrix;
  for (Eigen::Index i = 0; i < shifted.rows(); ++i) shifted.coeffRef(i, i) *= 1 + kBottomShift;
  bottom_.compute(shifted);
  if (bottom_.info() != Eigen::Success) throw RunError("the coarsest stiffness matrix cannot be factorised");
  work_.back().b.resize(static_cast<std::size_t>(matrix.rows()));
  work_.back().x.resize(work_.back().b.size());
}

void Multigrid::apply(std::span<const float> r, std::span<float> z) {
  descend(0, r, z, true);
}

void Multigrid::apply(std::span<const double> r, std::span<double> z) {
  single_.b.resize(r.size());
  single_.x.resize(r.size());
  forEach(r.size(), [&](std::size_t i) { single_.b[i] = static_cast<float>(r[i]); });
  apply(std::span<const float>(single_.b), single_.x);
  forEach(z.size(), [&](std::size_t i) { z[i] = static_cast<double>(single_.x[i]); });
}

void Multigrid::descend(std::size_t level, std::span<const float> b, std::span<float> x, bool fromZero) {
  if (level == levels_.size()) return solveBottom(b, x);
  MultigridLevel& a = *levels_[level];
  if (fromZero)
    a.smoothFromZero(b, x);
  else
    a.smooth(b, x);
  Workspace& below = work_[level];
  transfers_[level]->restrictTo(a.residual(b, x), below.b);
  descend(level + 1, below.b, below.x, true);
  if (cycle_ == Cycle::w && level + 1 < levels_.size()) descend(level + 1, below.b, below.x, false);
  transfers_[level]->prolongAdd(below.x, x);
  a.admit(x);
  a.smooth(b, x);
}

void Multigrid::solveBottom(std::span<const float> b, std::span<float> x) const {
  const Eigen::VectorXd load =
      Eigen::Map<const Eigen::VectorXf>(b.data(), static_cast<Eigen::Index>(b.size())).cast<double>();
  Eigen::Map<Eigen::VectorXf>(x.data(), static_cast<Eigen::Index>(x.size())) =
      bottom_.solve(load).cast<float>();
}

template class BlockLevel<2>;
template class BlockLevel<3>;

}  // namespace barelattice
