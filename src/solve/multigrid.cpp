#include "multigrid.hpp"

#include <cmath>

#include "barelattice/base/error.hpp"
#include "base/parallel.hpp"

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
    : matrix_(std::move(matrix)),
      inverse_(matrix_.inverseDiagonal()),
      smoother_{bound},
      r_(D * matrix_.rows()),
      z_(D * matrix_.rows()),
      t_(D * matrix_.rows()) {}

template <int D>
void BlockLevel<D>::scale(std::span<const float> r, float c, std::span<float> z) const {
  forEach(matrix_.rows(), [&](std::size_t row) {
    const auto at = static_cast<std::ptrdiff_t>(D * row);
    Eigen::Map<Eigen::Matrix<float, D, 1>>(z.data() + at) =
        c * (inverse_[row] * Eigen::Map<const Eigen::Matrix<float, D, 1>>(r.data() + at));
  });
}

template <int D>
void BlockLevel<D>::smoothFromZero(const Fields<const float>& b, const Fields<float>& x) {
  const Fields<float> r = r_.first(x.size());
  const Fields<float> z = z_.first(x.size());
  for (std::size_t k = 0; k < x.size(); ++k) {
    scale(b[k], smoother_.first(), z[k]);
    std::copy(z[k].begin(), z[k].end(), x[k].begin());
    std::copy(b[k].begin(), b[k].end(), r[k].begin());
  }
  finish(x);
}

template <int D>
Fields<const float> BlockLevel<D>::residual(const Fields<const float>& b, const Fields<float>& x) {
  const Fields<float> r = r_.first(x.size());
  const Fields<float> t = t_.first(x.size());
  matrix_.apply(asConst(x), t);
  for (std::size_t k = 0; k < x.size(); ++k)
    forEach(size(), [&](std::size_t i) { r[k][i] = b[k][i] - t[k][i]; });
  return asConst(r);
}

template <int D>
void BlockLevel<D>::smooth(const Fields<const float>& b, const Fields<float>& x) {
  const Fields<const float> r = residual(b, x);
  const Fields<float> z = z_.first(x.size());
  for (std::size_t k = 0; k < x.size(); ++k) {
    scale(r[k], smoother_.first(), z[k]);
    forEach(size(), [&](std::size_t i) { x[k][i] += z[k][i]; });
  }
  finish(x);
}

/// The steps after the first.
template <int D>
void BlockLevel<D>::finish(const Fields<float>& x) {
  const Fields<float> r = r_.first(x.size());
  const Fields<float> z = z_.first(x.size());
  const Fields<float> t = t_.first(x.size());
  for (int step = 1; step < kSmoothingDegree; ++step) {
    matrix_.apply(asConst(z), t);
    const float keep = ChebyshevSmoother::keep(step);
    for (std::size_t k = 0; k < x.size(); ++k) {
      forEach(size(), [&](std::size_t i) { r[k][i] -= t[k][i]; });
      scale(r[k], smoother_.weight(step), t[k]);
      forEach(size(), [&](std::size_t i) {
        z[k][i] = keep * z[k][i] + t[k][i];
        x[k][i] += z[k][i];
      });
    }
  }
}

Multigrid::Multigrid(std::vector<std::unique_ptr<MultigridLevel>> levels,
                     std::vector<std::unique_ptr<MultigridTransfer>> transfers)
    : levels_(std::move(levels)),
      transfers_(std::move(transfers)),
      single_{FieldStore(levels_.front()->size()), FieldStore(levels_.front()->size())},
      work_(levels_.size()) {
  for (std::size_t l = 1; l < levels_.size(); ++l)
    work_[l - 1] = {FieldStore(levels_[l]->size()), FieldStore(levels_[l]->size())};
}

void Multigrid::setBottom(const Eigen::SparseMatrix<double>& matrix, const LowRank& added) {
  const auto size = static_cast<std::size_t>(matrix.rows());
  work_.back() = {FieldStore(size), FieldStore(size)};
  Eigen::SparseMatrix<double> shifted = matrix;
  for (Eigen::Index i = 0; i < shifted.rows(); ++i) shifted.coeffRef(i, i) *= 1 + kBottomShift;
  if (!added.empty()) {
    // No stiffer than what the rounding of the direct solve bears: by Cauchy and Schwarz the flexibility
    // w^T K^-1 w is no less than (w^T w)^2 / (w^T K w).
    constexpr double kInSeries = 1e-6;
    Eigen::MatrixXd columns(matrix.rows(), added.given().rows());
    Eigen::VectorXd least(columns.cols());
    for (Eigen::Index i = 0; i < columns.cols(); ++i) {
      columns.col(i) = atBottom(added.columns()[static_cast<std::size_t>(i)]);
      const double energy = columns.col(i).dot(shifted * columns.col(i));
      least[i] = energy > 0 ? kInSeries * std::pow(columns.col(i).squaredNorm(), 2) / energy : 0;
    }
    const Eigen::MatrixXd stiffness = inSeries(added.given(), least.asDiagonal());
    shifted += Eigen::SparseMatrix<double>((columns * stiffness * columns.transpose()).sparseView());
  }
  bottom_.compute(shifted);
  if (bottom_.info() != Eigen::Success) throw RunError("the coarsest stiffness matrix cannot be factorised");
}

Eigen::VectorXd Multigrid::atBottom(const LowRank::Column& column) {
  std::vector<float> fine(levels_.front()->size(), 0.0F);
  for (std::size_t k = 0; k < column.dofs.size(); ++k)
    fine[column.dofs[k]] = static_cast<float>(column.values[k]);
  for (std::size_t l = 0; l < levels_.size(); ++l) {
    const std::span<float> coarse = work_[l].b.first(1).front();
    transfers_[l]->restrictTo(fine, coarse);
    fine.assign(coarse.begin(), coarse.end());
  }
  return Eigen::Map<const Eigen::VectorXf>(fine.data(), static_cast<Eigen::Index>(fine.size()))
      .cast<double>();
}

void Multigrid::apply(const Fields<const float>& r, const Fields<float>& z) {
  descend(0, r, z, true);
}

void Multigrid::apply(const Fields<const double>& r, const Fields<double>& z) {
  const Fields<float> b = single_.b.first(r.size());
  const Fields<float> x = single_.x.first(r.size());
  for (std::size_t k = 0; k < r.size(); ++k)
    forEach(r[k].size(), [&](std::size_t i) { b[k][i] = static_cast<float>(r[k][i]); });
  apply(asConst(b), x);
  for (std::size_t k = 0; k < r.size(); ++k)
    forEach(z[k].size(), [&](std::size_t i) { z[k][i] = static_cast<double>(x[k][i]); });
}

void Multigrid::descend(std::size_t level, const Fields<const float>& b, const Fields<float>& x,
                        bool fromZero) {
  if (level == levels_.size()) {
    for (std::size_t k = 0; k < x.size(); ++k) solveBottom(b[k], x[k]);
    return;
  }
  MultigridLevel& a = *levels_[level];
  if (fromZero)
    a.smoothFromZero(b, x);
  else
    a.smooth(b, x);
  const Fields<float> below = work_[level].b.first(x.size());
  const Fields<float> correction = work_[level].x.first(x.size());
  const Fields<const float> residual = a.residual(b, x);
  for (std::size_t k = 0; k < x.size(); ++k) transfers_[level]->restrictTo(residual[k], below[k]);
  descend(level + 1, asConst(below), correction, true);
  if (cycle_ == Cycle::w && level + 1 < levels_.size()) descend(level + 1, asConst(below), correction, false);
  for (std::size_t k = 0; k < x.size(); ++k) {
    transfers_[level]->prolongAdd(correction[k], x[k]);
    a.admit(x[k]);
  }
  a.smooth(b, x);
}

void Multigrid::solveBottom(std::span<const float> b, std::span<float> x) const {
  const Eigen::VectorXd load =
      Eigen::Map<const Eigen::VectorXf>(b.data(), static_cast<Eigen::Index>(b.size())).cast<double>();
  Eigen::Map<Eigen::VectorXf>(x.data(), static_cast<Eigen::Index>(x.size())) =
      bottom_.solve(load).cast<float>();
}

template class BlockLevel<3>;

}  // namespace barelattice
