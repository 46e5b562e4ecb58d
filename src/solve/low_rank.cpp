#include "low_rank.hpp"

#include <Eigen/LU>

#include "barelattice/base/parallel.hpp"

namespace barelattice {

LowRank::LowRank(const std::vector<Coupling>& couplings, const DofOrder& order, std::size_t size, double unit,
                 const std::function<void(std::span<double>)>& project) {
  Eigen::Index rank = 0;
  for (const Coupling& coupling : couplings) rank += coupling.stiffness.rows();
  stiffness_ = Eigen::MatrixXd::Zero(rank, rank);
  for (const Coupling& coupling : couplings) {
    const auto at = static_cast<Eigen::Index>(columns_.size());
    stiffness_.block(at, at, coupling.stiffness.rows(), coupling.stiffness.rows()) =
        coupling.stiffness / unit;
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
    }
  }
}

void LowRank::renew(const Preconditioner& b, std::size_t length) {
  softened_.assign(columns_.size(), {});
  const auto rank = static_cast<Eigen::Index>(columns_.size());
  Eigen::MatrixXd overlap(rank, rank);  // G
  std::vector<float> column(length);
  for (std::size_t i = 0; i < columns_.size(); ++i) {
    std::fill(column.begin(), column.end(), 0.0F);
    for (std::size_t k = 0; k < columns_[i].dofs.size(); ++k)
      column[columns_[i].dofs[k]] = static_cast<float>(columns_[i].values[k]);
    softened_[i].resize(length);
    b({column}, {softened_[i]});
    for (std::size_t j = 0; j < columns_.size(); ++j) {
      double sum = 0;
      for (std::size_t k = 0; k < columns_[j].dofs.size(); ++k)
        sum += columns_[j].values[k] * static_cast<double>(softened_[i][columns_[j].dofs[k]]);
      overlap(static_cast<Eigen::Index>(j), static_cast<Eigen::Index>(i)) = sum;
    }
  }
  // The cycle is symmetric up to rounding; what is left of that would make the correction unsymmetric.
  overlap = 0.5 * (overlap + overlap.transpose()).eval();
  correction_ =
      (Eigen::MatrixXd::Identity(rank, rank) + stiffness_ * overlap).partialPivLu().solve(stiffness_);
}

template <class Real>
void LowRank::correct(std::span<Real> z) const {
  Eigen::VectorXd motions(correction_.rows());
  for (std::size_t i = 0; i < columns_.size(); ++i) {
    double sum = 0;
    for (std::size_t k = 0; k < columns_[i].dofs.size(); ++k)
      sum += columns_[i].values[k] * static_cast<double>(z[columns_[i].dofs[k]]);
    motions[static_cast<Eigen::Index>(i)] = sum;
  }
  const Eigen::VectorXd amounts = correction_ * motions;
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
