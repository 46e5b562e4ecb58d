#include "low_rank.hpp"

#include <Eigen/LU>

#include "base/parallel.hpp"

namespace barelattice {

LowRank::LowRank(const std::vector<Coupling>& couplings, const DofOrder& order, std::size_t size, double unit,
                 const std::function<void(std::span<double>)>& project) {
  Eigen::Index rank = 0;
  for (const Coupling& coupling : couplings) rank += coupling.stiffness.rows();
  given_ = Eigen::MatrixXd::Zero(rank, rank);
  for (const Coupling& coupling : couplings) {
    const auto at = static_cast<Eigen::Index>(columns_.size());
    given_.block(at, at, coupling.stiffness.rows(), coupling.stiffness.rows()) = coupling.stiffness / unit;
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
    overlap.col(static_cast<Eigen::Index>(i)) = motions(std::span<const float>(softened_[i]));
  }
  // The cycle is symmetric up to rounding; what is left of that would make the correction unsymmetric.
  overlap = 0.5 * (overlap + overlap.transpose()).eval();
  constexpr double kInSeries = 1e-6;
  stiffness_ = inSeries(given_, kInSeries * overlap);
  correction_ = inSeries(stiffness_, overlap);
}

template <class Real>
void LowRank::correct(std::span<Real> z) const {
  const Eigen::VectorXd amounts = correction_ * motions(std::span<const Real>(z));
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
