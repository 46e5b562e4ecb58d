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
/// changes, and no cycle more in a solve. Columns that are soft against the body need none: without them
/// eigenvalues of the preconditioned matrix rise from 1 to 1 + S G, and for a bolt that is less than 2. A
/// place of L across gives way by about 1 / (E L), so that for a column of n nodes h apart, in the body's own
/// units, G is about w^T w sqrt(n) / h; from S G = kSoft on a coupling is corrected for.
///
/// A stiffness far above the body's own would turn the rounding of single precision in W^T u into forces that
/// drown all others. So a millionth of the body's own flexibility, G, is put in series with it,
///   S' = (S^-1 + 1e-6 G)^-1 = S (1 + 1e-6 G S)^-1,
/// which adds some millionths to a compliance at most and lets S be as large as one likes.
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
  /// @param spacing of the nodes, in units of length of the body's stiffness; see above.
  /// @param project takes what supports hold out of a field.
  LowRank(const std::vector<Coupling>& couplings, const DofOrder& order, std::size_t size, double unit,
          double spacing, const std::function<void(std::span<double>)>& project);

  bool empty() const { return columns_.empty(); }
  const std::vector<Column>& columns() const { return columns_; }
  /// True if some of it is stiffer than the body: what it takes up is told by small differences.
  bool isHard() const { return !hard_.empty(); }
  /// S as it was given.
  const Eigen::MatrixXd& given() const { return given_; }

  /// S' W^T u, and u^T W S' W^T u.
  struct Product {
    Eigen::VectorXd forces;
    double energy = 0;
  };
  template <class Real>
  Product times(std::span<const Real> u) const {
    const Eigen::VectorXd moved = motions(u);
    Product product{stiffness_ * moved, 0};
    product.energy = moved.dot(product.forces);
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
  /// W^T u.
  template <class Real>
  Eigen::VectorXd motions(std::span<const Real> u) const {
    Eigen::VectorXd sums(stiffness_.rows());
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      double sum = 0;
      for (std::size_t k = 0; k < columns_[i].dofs.size(); ++k)
        sum += columns_[i].values[k] * static_cast<double>(u[columns_[i].dofs[k]]);
      sums[static_cast<Eigen::Index>(i)] = sum;
    }
    return sums;
  }

  std::vector<Column> columns_;
  Eigen::MatrixXd given_;
  Eigen::MatrixXd stiffness_;                 // S', from the first preconditioner on
  std::vector<Eigen::Index> hard_;            // numbers of the columns that are corrected for
  std::vector<std::vector<float>> softened_;  // B W_i of these
  Eigen::MatrixXd correction_;                // (1 + S' G)^-1 S' of these
};

/// A stiffness with a flexibility in series: (S^-1 + F)^-1, for S without an inverse too.
Eigen::MatrixXd inSeries(const Eigen::MatrixXd& stiffness, const Eigen::MatrixXd& flexibility);

}  // namespace barelattice
