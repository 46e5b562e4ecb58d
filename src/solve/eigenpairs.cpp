#include "eigenpairs.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <random>

#include "barelattice/base/progress.hpp"
#include "base/parallel.hpp"
#include "vectors.hpp"

namespace barelattice {
namespace {

// K x = l M x, the least l wanted. LOBPCG (Knyazev 2001): the block X of vectors so far is bettered within
//
//   span { X, W, P },   W = B (K X - M X L),   L = diag(l)                        (1)
//
// with B the multigrid cycle as preconditioner and P what the last step added to X. By Rayleigh and Ritz the
// best X in that span are the lowest eigenvectors Y of the small problem
//
//   (S^T K S) Y = (S^T M S) Y L,   S = [X W P]                                    (2)
//   X <- S Y,   P <- [0 W P] Y                                                    (3)
//
// (3) makes of P a conjugate direction, as in conjugate gradients. With X^T M X = 1, r = K x - l M x and
// w = B r with B close to K^-1, r^T w is close to the energy of the error, and r^T w / l to the relative
// error of l: what `step` returns.

/// Vectors side by side.
using Block = std::vector<std::vector<double>>;
using Small = Eigen::MatrixXd;

/// a^T b, entry by entry. In blocks that stay in the cache, as each vector would be read once for each of the
/// others otherwise.
Small products(const Block& a, const Block& b) {
  const auto rows = static_cast<Eigen::Index>(a.size());
  const auto columns = static_cast<Eigen::Index>(b.size());
  const std::size_t n = a.front().size();
  std::vector<Small> partial(n / kBlockSize + 1, Small::Zero(rows, columns));
  forEachBlock(n, [&](std::size_t begin, std::size_t end) {
    const auto length = static_cast<Eigen::Index>(end - begin);
    const auto part = [&](const Block& block) {
      Small values(length, static_cast<Eigen::Index>(block.size()));
      for (std::size_t i = 0; i < block.size(); ++i)
        values.col(static_cast<Eigen::Index>(i)) =
            Eigen::Map<const Eigen::VectorXd>(block[i].data() + begin, length);
      return values;
    };
    partial[begin / kBlockSize].noalias() = part(a).transpose() * part(b);
  });
  Small result = Small::Zero(rows, columns);
  for (const Small& block : partial) result += block;
  return result;
}

/// block * coefficients.
Block combined(const Block& block, const Small& coefficients) {
  Block result(static_cast<std::size_t>(coefficients.cols()), std::vector<double>(block.front().size(), 0.0));
  for (std::size_t j = 0; j < result.size(); ++j)
    forEachBlock(result[j].size(), [&](std::size_t begin, std::size_t end) {
      for (std::size_t k = 0; k < block.size(); ++k) {
        const double c = coefficients(static_cast<Eigen::Index>(k), static_cast<Eigen::Index>(j));
        for (std::size_t i = begin; i < end; ++i) result[j][i] += c * block[k][i];
      }
    });
  return result;
}

void append(Block& to, const Block& what) {
  to.insert(to.end(), what.begin(), what.end());
}

/// A subspace with what the stiffness makes of it.
struct Space {
  Block x;   // the vectors
  Block kx;  // K x

  void append(const Space& other) {
    barelattice::append(x, other.x);
    barelattice::append(kx, other.kx);
  }
  Space times(const Small& coefficients) const {
    return {combined(x, coefficients), combined(kx, coefficients)};
  }
};

class Iteration {
 public:
  Iteration(ModalSystem& system, int count, std::span<const std::vector<double>> given)
      : system_(system), count_(count) {
    if (!begin(given)) begin({});  // what is given may be no basis
  }

  /// One step. @return the estimated relative errors of the squared frequencies.
  std::vector<double> step() {
    Space residuals;
    std::vector<double> errors;
    for (std::size_t i = 0; i < space_.x.size(); ++i) {
      std::vector<double> r = space_.x[i];
      system_.weigh(r);
      forEach(r.size(),
              [&](std::size_t d) { r[d] = space_.kx[i][d] - values_[static_cast<Eigen::Index>(i)] * r[d]; });
      system_.project(r);
      std::vector<double> w(r.size());
      system_.precondition(r, w);
      errors.push_back(dot(r, w) / values_[static_cast<Eigen::Index>(i)]);
      residuals.x.push_back(std::move(w));
    }
    orthogonalise(residuals.x);
    residuals.kx = stiff(residuals.x);
    Space all = space_;
    all.append(residuals);
    if (!previous_.x.empty()) all.append(previous_);
    if (!improve(all)) {  // the last directions have become dependent: go on without them
      previous_ = {};
      all = space_;
      all.append(residuals);
      improve(all);
    }
    return errors;
  }

  const Eigen::VectorXd& values() const { return values_; }
  const Block& vectors() const { return space_.x; }

 private:
  /// From what is given, made up for by fixed pseudo-random vectors, smoothed by the cycle.
  bool begin(std::span<const std::vector<double>> given) {
    const auto count = static_cast<std::size_t>(count_);
    space_ = {};
    space_.x.assign(given.begin(),
                    given.begin() + static_cast<std::ptrdiff_t>(std::min(count, given.size())));
    for (std::vector<double>& known : space_.x) system_.project(known);
    std::mt19937 random;  // as the standard has it: the same on every machine
    while (space_.x.size() < count) {
      std::vector<double> start(system_.size());
      for (double& value : start) value = static_cast<double>(random()) * 0x1p-32 - 0.5;
      system_.project(start);
      std::vector<double> smooth(start.size());
      system_.precondition(start, smooth);
      space_.x.push_back(std::move(smooth));
    }
    space_.kx = stiff(space_.x);
    const bool good = improve(Space(space_));
    previous_ = {};
    return good;
  }

  Block stiff(const Block& x) {
    Block y;
    for (const std::vector<double>& vector : x) {
      std::vector<double> product(vector.size());
      system_.stiff(vector, product);
      y.push_back(std::move(product));
    }
    return y;
  }
  Block heavy(const Block& x) const {
    Block y = x;
    for (std::vector<double>& vector : y) system_.weigh(vector);
    return y;
  }

  /// Takes out of w what the current vectors hold already, and gives it unit length.
  void orthogonalise(Block& w) const {
    const Small shared = products(heavy(space_.x), w);
    const Block part = combined(space_.x, shared);
    for (std::size_t j = 0; j < w.size(); ++j) {
      forEach(w[j].size(), [&](std::size_t i) { w[j][i] -= part[j][i]; });
      const double length = std::sqrt(dot(heavy({w[j]}).front(), w[j]));
      if (length > 0) forEach(w[j].size(), [&](std::size_t i) { w[j][i] /= length; });
    }
  }

  /// Replaces the vectors by the best of `all`, and keeps as directions what the others contributed.
  bool improve(const Space& all) {
    const Small k = products(all.x, all.kx);  // (2)
    const Small m = products(heavy(all.x), all.x);
    const Eigen::LLT<Small> factor(m);
    if (factor.info() != Eigen::Success || factor.rcond() < 1e-13) return false;
    const Eigen::GeneralizedSelfAdjointEigenSolver<Small> solver(0.5 * (k + k.transpose()),
                                                                 0.5 * (m + m.transpose()));
    if (solver.info() != Eigen::Success) return false;
    const Small best = solver.eigenvectors().leftCols(count_);
    Small others = best;
    others.topRows(count_).setZero();  // (3)
    Space directions = all.times(others);
    for (std::size_t j = 0; j < directions.x.size(); ++j) {
      const double length = std::sqrt(dot(heavy({directions.x[j]}).front(), directions.x[j]));
      if (!(length > 0)) continue;
      forEach(directions.x[j].size(), [&](std::size_t i) {
        directions.x[j][i] /= length;
        directions.kx[j][i] /= length;
      });
    }
    space_ = all.times(best);
    previous_ = std::move(directions);
    values_ = solver.eigenvalues().head(count_);
    return true;
  }

  ModalSystem& system_;
  int count_;
  Space space_;
  Space previous_;
  Eigen::VectorXd values_;
};

}  // namespace

Eigenpairs lowestEigenpairs(ModalSystem& system, const EigenOptions& options,
                            std::span<const std::vector<double>> start, const std::function<bool()>& goOn) {
  // The highest wanted converge as if the gap to the guards were theirs.
  Iteration iteration(system, options.count + kGuardPairs, start);
  Eigenpairs found;
  while (found.iterations < options.maxIterations && !found.converged) {
    if (goOn && !goOn()) throw Cancelled();
    found.errors = iteration.step();
    ++found.iterations;
    found.converged = std::all_of(found.errors.begin(), found.errors.begin() + options.count,
                                  [&](double error) { return error <= options.tolerance; });
  }
  found.errors.resize(static_cast<std::size_t>(options.count));
  found.values = iteration.values().head(options.count);
  found.vectors = iteration.vectors();
  return found;
}

}  // namespace barelattice
