#include "barelattice/voxels/natural_modes.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <numeric>
#include <random>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "solve/vectors.hpp"
#include "voxel_operator.hpp"

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
// error of l: what `step` returns. M is lumped: diagonal, a share of 2^-D of each cell at each of its
// corners.

/// Vectors beyond those asked for: the highest modes wanted converge as if the gap to these were theirs.
constexpr int kGuards = 2;

/// Vectors side by side.
using Block = std::vector<std::vector<double>>;
using Small = Eigen::MatrixXd;

/// a^T b, entry by entry.
Small products(const Block& a, const Block& b) {
  Small result(static_cast<Eigen::Index>(a.size()), static_cast<Eigen::Index>(b.size()));
  for (std::size_t i = 0; i < a.size(); ++i)
    for (std::size_t j = 0; j < b.size(); ++j)
      result(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = dot(a[i], b[j]);
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

template <int D>
class Iteration {
 public:
  Iteration(ElasticModel<D>& model, std::span<const double> cellMass, int count)
      : model_(model), mass_(nodalMass(model.stiffness().grid(), cellMass)), count_(count) {
    // The start: fixed pseudo-random vectors, smoothed by the cycle.
    std::mt19937 random;  // as the standard has it: the same on every machine
    for (int i = 0; i < count_; ++i) {
      std::vector<double> start(model_.size());
      for (double& value : start) value = static_cast<double>(random()) * 0x1p-32 - 0.5;
      model_.stiffness().template project<double>(start);
      std::vector<double> smooth(start.size());
      model_.precondition(start, smooth);
      space_.x.push_back(std::move(smooth));
    }
    space_.kx = stiff(space_.x);
    improve(Space(space_));
    previous_ = {};
  }

  /// One step. @return the estimated relative errors of the squared frequencies.
  std::vector<double> step() {
    Space residuals;
    std::vector<double> errors;
    for (std::size_t i = 0; i < space_.x.size(); ++i) {
      std::vector<double> r(model_.size());
      forEach(r.size(), [&](std::size_t d) {
        r[d] = space_.kx[i][d] -
               values_[static_cast<Eigen::Index>(i)] * mass_[d % mass_.size()] * space_.x[i][d];
      });
      model_.stiffness().template project<double>(r);
      std::vector<double> w(r.size());
      model_.precondition(r, w);
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

  /// Share of a vector's kinetic energy at nodes of no other cells than `loose` and light ones.
  double shareOf(const std::vector<std::uint8_t>& loose, std::size_t i) const {
    const std::vector<double>& x = space_.x[i];
    double sum = 0;
    for (std::size_t d = 0; d < x.size(); ++d)
      if (loose[d % mass_.size()]) sum += mass_[d % mass_.size()] * x[d] * x[d];
    return sum;
  }

  const Eigen::VectorXd& values() const { return values_; }
  const Block& vectors() const { return space_.x; }

 private:
  static std::vector<double> nodalMass(const Grid<D>& grid, std::span<const double> cellMass) {
    const double most = *std::max_element(cellMass.begin(), cellMass.end());
    std::vector<double> mass(grid.nodeCount(), 0.0);
    for (std::size_t c = 0; c < grid.cellCount(); ++c)
      for (const int n : grid.cellNodes(c))
        mass[static_cast<std::size_t>(n)] += std::max(cellMass[c], 1e-12 * most) / kCorners<D>;
    return mass;
  }

  Block stiff(const Block& x) const {
    Block y;
    for (const std::vector<double>& vector : x) {
      std::vector<double> product(vector.size());
      model_.apply(vector, product);
      y.push_back(std::move(product));
    }
    return y;
  }
  Block heavy(const Block& x) const {
    Block y = x;
    for (std::vector<double>& vector : y)
      forEach(vector.size(), [&](std::size_t d) { vector[d] *= mass_[d % mass_.size()]; });
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

  ElasticModel<D>& model_;
  std::vector<double> mass_;  // per node
  int count_;
  Space space_;
  Space previous_;
  Eigen::VectorXd values_;
};

/// Nodes of islands: of stiff cells that hang together but reach no support.
template <int D>
std::vector<std::uint8_t> nodesOfIslands(const ElasticModel<D>& model) {
  const VoxelOperator<D>& stiffness = model.stiffness();
  const Grid<D>& grid = stiffness.grid();
  std::vector<std::uint8_t> stiff(grid.cellCount());
  for (std::size_t c = 0; c < stiff.size(); ++c) stiff[c] = stiffness.scales()[c] >= kStiffShare;
  const Pieces pieces = findPieces(grid, stiff);
  std::vector<std::uint8_t> supported(grid.nodeCount(), 0);
  for (const NodeSupport<D>& support : stiffness.supports()) supported[support.node] = 1;
  for (const std::size_t node : model.coupledNodes()) supported[node] = 1;
  std::vector<std::uint8_t> held(pieces.cells.size(), 0);
  const auto forEachStiff = [&](const auto& visit) {
    for (std::size_t c = 0; c < stiff.size(); ++c)
      if (stiff[c])
        for (const int n : grid.cellNodes(c))
          visit(static_cast<std::size_t>(pieces.ofCell[c]), static_cast<std::size_t>(n));
  };
  forEachStiff([&](std::size_t piece, std::size_t node) { held[piece] |= supported[node]; });
  std::vector<std::uint8_t> loose(grid.nodeCount(), 0);
  forEachStiff([&](std::size_t piece, std::size_t node) {
    if (!held[piece]) loose[node] = 1;
  });
  forEachStiff([&](std::size_t piece, std::size_t node) {
    if (held[piece]) loose[node] = 0;
  });
  return loose;
}

}  // namespace

double vibratingShare(double density) {
  constexpr double kLight = 0.1;
  constexpr double kSolid = 0.5;
  const double way = std::clamp((density - kLight) / (kSolid - kLight), 0.0, 1.0);
  return std::pow(density, 3 - 2 * way * way * (3 - 2 * way));
}

template <int D>
NaturalModes findNaturalModes(ElasticModel<D>& model, std::span<const double> cellMass,
                              const ModeOptions& options) {
  requireCount("cellMass", cellMass.size(), model.stiffness().grid().cellCount(), "cells");
  for (const double mass : cellMass) requireNotNegative("mass of a cell", mass);
  if (options.count < 1)
    throw InputError(fmt::format("{} modes are asked for", options.count), "give 1 or more");
  if (options.maxIterations < 1)
    throw InputError(fmt::format("maxIterations is {}", options.maxIterations), "give 1 or more");
  requirePositive("tolerance", options.tolerance);
  if (!(std::accumulate(cellMass.begin(), cellMass.end(), 0.0) > 0))
    throw InputError("a body without mass has no natural frequencies");
  const int count = options.count + kGuards;
  double free = static_cast<double>(model.size());
  for (const NodeSupport<D>& s : model.stiffness().supports()) free -= D - s.free.trace();
  if (3 * count > free) throw InputError("there are more modes asked for than the body has motions");
  Iteration<D> iteration(model, cellMass, count);
  NaturalModes result;
  std::vector<double> errors;
  while (result.iterations < options.maxIterations && !result.converged) {
    errors = iteration.step();
    ++result.iterations;
    result.converged = std::all_of(errors.begin(), errors.begin() + options.count,
                                   [&](double error) { return error <= options.tolerance; });
  }
  const std::vector<std::uint8_t> loose = nodesOfIslands(model);
  for (int i = 0; i < options.count; ++i) {
    const double squared = model.scale() * iteration.values()[i];
    result.modes.push_back({std::sqrt(std::max(0.0, squared)) / (2 * std::numbers::pi),
                            errors[static_cast<std::size_t>(i)],
                            iteration.vectors()[static_cast<std::size_t>(i)],
                            iteration.shareOf(loose, static_cast<std::size_t>(i))});
  }
  return result;
}

template BARELATTICE_API NaturalModes findNaturalModes<2>(ElasticModel<2>&, std::span<const double>,
                                                          const ModeOptions&);
template BARELATTICE_API NaturalModes findNaturalModes<3>(ElasticModel<3>&, std::span<const double>,
                                                          const ModeOptions&);

}  // namespace barelattice
