#include "low_rank.hpp"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "base/parallel.hpp"

namespace barelattice {

LowRank::LowRank(const std::vector<Coupling>& couplings, const DofOrder& order, std::size_t size, double unit,
                 double spacing, const std::function<void(std::span<double>)>& project) {
  constexpr double kSoft = 2;
  Eigen::Index rank = 0;
  for (const Coupling& coupling : couplings) rank += coupling.stiffness.rows();
  given_ = Eigen::MatrixXd::Zero(rank, rank);
  for (const Coupling& coupling : couplings) {
    const auto at = static_cast<Eigen::Index>(columns_.size());
    given_.block(at, at, coupling.stiffness.rows(), coupling.stiffness.rows()) = coupling.stiffness / unit;
    bool hard = false;
    for (const NodalVectors& motion : coupling.motions) {
      std::vector<double> field(size, 0.0);
      order.add(motion, 1, field);
      project(field);
      Column& column = columns_.emplace_back();
      for (std::size_t dof = 0; dof < size; ++dof)
        if (field[dof] != 0) {
          column.dofs.push_back(dof);
          column.values.push_back(field[dof]);
        }
      double squares = 0;
      for (const double value : column.values) squares += value * value;
      const double nodes = static_cast<double>(column.dofs.size()) / order.components;
      const auto own = static_cast<Eigen::Index>(columns_.size()) - 1;
      hard = hard || given_(own, own) * squares * std::sqrt(nodes) / spacing > kSoft;
    }
    for (Eigen::Index i = 0; hard && i < coupling.stiffness.rows(); ++i) hard_.push_back(at + i);
  }
  stiffness_ = given_;
}

Eigen::MatrixXd inSeries(const Eigen::MatrixXd& stiffness, const Eigen::MatrixXd& flexibility) {
  // (1 + S F)^-1 S, with S scaled to one on its diagonal: it may hold numbers of very different size.
  const Eigen::VectorXd scale =
      stiffness.diagonal().cwiseSqrt().unaryExpr([](double s) { return s > 0 ? s : 1; });
  const Eigen::MatrixXd unit =
      scale.cwiseInverse().asDiagonal() * stiffness * scale.cwiseInverse().asDiagonal();
  const Eigen::MatrixXd scaled = scale.asDiagonal() * flexibility * scale.asDiagonal();
  const Eigen::Index size = stiffness.rows();
  const Eigen::MatrixXd joined =
      (Eigen::MatrixXd::Identity(size, size) + unit * scaled).partialPivLu().solve(unit);
  return scale.asDiagonal() * (0.5 * (joined + joined.transpose())) * scale.asDiagonal();
}

void LowRank::renew(const Preconditioner& b, std::size_t length) {
  constexpr std::size_t kTogether = 4;  // in one cycle, which passes the stiffness once for all of them
  softened_.assign(hard_.size(), std::vector<float>(length));
  const auto columnOf = [&](std::size_t i) -> const Column& {
    return columns_[static_cast<std::size_t>(hard_[i])];
  };
  std::vector<std::vector<float>> dense(std::min(kTogether, hard_.size()), std::vector<float>(length));
  for (std::size_t begin = 0; begin < hard_.size(); begin += kTogether) {
    Fields<const float> from;
    Fields<float> to;
    for (std::size_t i = begin; i < std::min(begin + kTogether, hard_.size()); ++i) {
      std::vector<float>& column = dense[i - begin];
      std::fill(column.begin(), column.end(), 0.0F);
      for (std::size_t k = 0; k < columnOf(i).dofs.size(); ++k)
        column[columnOf(i).dofs[k]] = static_cast<float>(columnOf(i).values[k]);
      from.emplace_back(column);
      to.emplace_back(softened_[i]);
    }
    b(from, to);
  }
  const auto rank = static_cast<Eigen::Index>(hard_.size());
  Eigen::MatrixXd overlap(rank, rank);  // G
  for (Eigen::Index i = 0; i < rank; ++i) {
    const Eigen::VectorXd all = motions(std::span<const float>(softened_[static_cast<std::size_t>(i)]));
    overlap.col(i) = all(hard_);
  }
  // The cycle is symmetric up to rounding; what is left of that would make the correction unsymmetric.
  overlap = 0.5 * (overlap + overlap.transpose()).eval();
  constexpr double kInSeries = 1e-6;
  const Eigen::MatrixXd hardened = inSeries(given_(hard_, hard_), kInSeries * overlap);
  stiffness_ = given_;
  stiffness_(hard_, hard_) = hardened;
  correction_ = inSeries(hardened, overlap);
}

template <class Real>
void LowRank::correct(std::span<Real> z) const {
  if (hard_.empty()) return;
  const Eigen::VectorXd amounts = correction_ * Eigen::VectorXd(motions(std::span<const Real>(z))(hard_));
  forEach(z.size(), [&](std::size_t d) {
    double sum = 0;
    for (std::size_t i = 0; i < softened_.size(); ++i)
      sum += amounts[static_cast<Eigen::Index>(i)] * static_cast<double>(softened_[i][d]);
    z[d] -= static_cast<Real>(sum);
  });
}

template void LowRank::correct(std::span<float>) const;
template void LowRank::correct(std::span<double>) const;

}  // namespace barelattice
