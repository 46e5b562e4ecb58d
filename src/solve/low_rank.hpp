/// @file
/// A stiffness on a few numbers, added to that of a body.
#pragma once

#include <Eigen/Core>
#include <functional>
#include <span>
#include <vector>

#include "barelattice/mechanics/grounding.hpp"
#include "fields.hpp"

namespace barelattice {

/// W S W^T with few columns W_i, which join nodes far apart: of no element, so the outer iteration adds it to
/// each product, and the preconditioner of the body alone is corrected for it.
///
/// With B close to A^-1, (B^-1 + W S W^T)^-1 is close to (A + W S W^T)^-1, and by Woodbury's identity
///   (B^-1 + W S W^T)^-1 r = z - B W (1 + S G)^-1 S W^T z,   z = B r,  G = W^T B W,
/// symmetric and positive definite with B whatever S is. That costs one cycle for each column whenever B
/// changes, and no cycle more in a solve.
class LowRank {
 public:
  /// One W_i. Degrees of freedom ascending, each once.
  struct Column {
    std::vector<std::size_t> dofs;
    std::vector<double> values;
  };

  LowRank() = default;
  /// @param size degrees of freedom.
  /// @param unit that the stiffness is wanted in.
  /// @param project takes what supports hold out of a field.
  LowRank(const std::vector<Coupling>& couplings, const DofOrder& order, std::size_t size, double unit,
          const std::function<void(std::span<double>)>& project);

  bool empty() const { return columns_.empty(); }
  const std::vector<Column>& columns() const { return columns_; }
  const Eigen::MatrixXd& stiffness() const { return stiffness_; }

  /// S W^T u, and u^T W S W^T u.
  struct Product {
    Eigen::VectorXd forces;
    double energy = 0;
  };
  template <class Real>
  Product times(std::span<const Real> u) const {
    Eigen::VectorXd motions(stiffness_.rows());
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      double sum = 0;
      for (std::size_t k = 0; k < columns_[i].dofs.size(); ++k)
        sum += columns_[i].values[k] * static_cast<double>(u[columns_[i].dofs[k]]);
      motions[static_cast<Eigen::Index>(i)] = sum;
    }
    Product product{stiffness_ * motions, 0};
    product.energy = motions.dot(product.forces);
    return product;
  }

  /// y += factor W forces.
  template <class Real>
  void add(const Eigen::VectorXd& forces, double factor, std::span<Real> y) const {
    for (std::size_t i = 0; i < columns_.size(); ++i)
      for (std::size_t k = 0; k < columns_[i].dofs.size(); ++k)
        y[columns_[i].dofs[k]] +=
            static_cast<Real>(factor * forces[static_cast<Eigen::Index>(i)] * columns_[i].values[k]);
  }

  /// Takes over a preconditioner B of vectors of a length.
  using Preconditioner = std::function<void(const Fields<const float>& r, const Fields<float>& z)>;
  void renew(const Preconditioner& b, std::size_t length);

  /// Corrects z = B r, B the preconditioner taken over last. O(length) for each column.
  template <class Real>
  void correct(std::span<Real> z) const;

 private:
  std::vector<Column> columns_;
  Eigen::MatrixXd stiffness_;
  std::vector<std::vector<float>> softened_;  // B W_i
  Eigen::MatrixXd correction_;                // (1 + S G)^-1 S
};

}  // namespace barelattice
