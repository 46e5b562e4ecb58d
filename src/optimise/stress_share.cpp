#include "barelattice/optimise/stress_share.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "barelattice/voxels/node_support.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "voxels/element.hpp"

namespace barelattice {
namespace {

constexpr double kPower = 12;      // p
constexpr double kRelaxed = 1.5;   // q
constexpr double kFullest = 0.01;  // f

/// The displacements of a cell's corners, and the forms of its stress.
template <int D>
class CellStress {
 public:
  using Corners = Eigen::Matrix<double, kCellDofs<D>, 1>;

  CellStress(const Grid<D>& grid, const StressLimits& limits, std::span<const double> displacement)
      : grid_(grid),
        limits_(limits),
        u_(displacement),
        form_(vonMisesForm<D>(limits.poisson, limits.across) / (grid.frame().size * grid.frame().size)),
        stress_(centreStress<D>(limits.poisson) / grid.frame().size) {}

  Corners cornersOf(std::size_t cell) const {
    Corners values;
    const auto nodes = grid_.cellNodes(cell);
    for (std::size_t corner = 0; corner < nodes.size(); ++corner)
      for (int i = 0; i < D; ++i)
        values[static_cast<Eigen::Index>(D * corner) + i] =
            u_[gridDof(grid_, static_cast<std::size_t>(nodes[corner]), i)];
    return values;
  }
  /// sigma / strength of the solid material at the cell's strain.
  double solidShare(std::size_t cell) const {
    const Corners u = cornersOf(cell);
    if (limits_.kind == StressKind::vonMises)
      return perStrength(cell) * std::sqrt(std::max(0.0, u.dot(form_ * u)));
    return perStrength(cell) * std::max(0.0, principal(u).first);
  }
  /// Adds d(solidShare)/du times a factor; nothing where there is no stress.
  void addByDisplacement(std::size_t cell, double share, double factor, std::span<double> field) const {
    if (share <= 0) return;
    Corners change = cornersOf(cell);
    if (limits_.kind == StressKind::vonMises)
      change = factor * perStrength(cell) * perStrength(cell) / share * (form_ * change).eval();
    else
      change = factor * perStrength(cell) * principal(change).second;
    const auto nodes = grid_.cellNodes(cell);
    for (std::size_t corner = 0; corner < nodes.size(); ++corner)
      for (int i = 0; i < D; ++i)
        field[gridDof(grid_, static_cast<std::size_t>(nodes[corner]), i)] +=
            change[static_cast<Eigen::Index>(D * corner) + i];
  }

 private:
  /// The principal stress of unit modulus, its sign such that it counts where it is above zero, and its
  /// derivative by the displacements of the corners.
  std::pair<double, Corners> principal(const Corners& u) const {
    constexpr int kShears = D * (D - 1) / 2;
    const auto s = (stress_ * u).eval();
    Eigen::Matrix3d tensor = Eigen::Matrix3d::Zero();
    for (int i = 0; i < D; ++i) tensor(i, i) = s[i];
    if (D == 2) tensor(2, 2) = limits_.across * (s[0] + s[1]);
    const auto pair = [](int k) {
      return D == 2 ? std::pair(0, 1) : std::pair(k == 0 ? 1 : 0, k == 2 ? 1 : 2);
    };
    for (int k = 0; k < kShears; ++k) {
      const auto [i, j] = pair(k);
      tensor(i, j) = tensor(j, i) = s[D + k];
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(tensor);
    const bool pulls = limits_.kind == StressKind::tension;
    const double sign = pulls ? 1 : -1;
    const Vec3 n = solver.eigenvectors().col(pulls ? 2 : 0);
    Corners change = Corners::Zero();
    for (int i = 0; i < D; ++i) {
      const double across = D == 2 ? limits_.across * n[2] * n[2] : 0;
      change += sign * (n[i] * n[i] + across) * stress_.row(i).transpose();
    }
    for (int k = 0; k < kShears; ++k) {
      const auto [i, j] = pair(k);
      change += sign * 2 * n[i] * n[j] * stress_.row(D + k).transpose();
    }
    return {sign * solver.eigenvalues()[pulls ? 2 : 0], change};
  }

  double perStrength(std::size_t cell) const { return limits_.modulus[cell] / limits_.strength[cell]; }

  const Grid<D>& grid_;
  const StressLimits& limits_;
  std::span<const double> u_;
  CellMatrix<D> form_;
  Eigen::Matrix<double, D*(D + 1) / 2, kCellDofs<D>> stress_;
};

}  // namespace

template <int D>
StressShare<D>::StressShare(const Grid<D>& grid, StressLimits limits)
    : grid_(grid), limits_(std::move(limits)) {
  const std::size_t cells = grid_.cellCount();
  requireCount("modulus", limits_.modulus.size(), cells, "cells");
  requireCount("strength", limits_.strength.size(), cells, "cells");
  requireCount("volume", limits_.volume.size(), cells, "cells");
  for (const double strength : limits_.strength) requirePositive("strength of a cell", strength);
  for (const double volume : limits_.volume) requireNotNegative("volume of a cell", volume);
  total_ = kFullest * std::accumulate(limits_.volume.begin(), limits_.volume.end(), 0.0);
  requirePositive("volume that stress is looked at in", total_);
}

template <int D>
std::vector<std::string> StressShare<D>::names(const Analysis& analysis) const {
  std::vector<std::string> names;
  for (std::size_t k = 0; k < analysis.caseCount(); ++k)
    names.push_back(limits_.name + "_in_" + analysis.caseName(k));
  return names;
}

template <int D>
std::vector<double> StressShare<D>::shares(std::span<const double> density,
                                           std::span<const double> displacement) const {
  requireCount("density", density.size(), grid_.cellCount(), "cells");
  requireCount("displacement", displacement.size(), D * grid_.nodeCount(), "degrees of freedom");
  const CellStress<D> stress(grid_, limits_, displacement);
  std::vector<double> shares(density.size());
  forEach(shares.size(), [&](std::size_t c) {
    if (limits_.volume[c] > 0)
      shares[c] = std::pow(std::max(density[c], 0.0), kRelaxed) * stress.solidShare(c);
  });
  return shares;
}

/// The powers are of shares of the largest: those of small numbers would vanish.
template <int D>
double StressShare<D>::meanOf(const std::vector<double>& shares) const {
  const double most = *std::max_element(shares.begin(), shares.end());
  if (most == 0) return 0;
  const double sum = sumBlocks(shares.size(), [&](std::size_t begin, std::size_t end) {
    double s = 0;
    for (std::size_t c = begin; c < end; ++c) s += limits_.volume[c] * std::pow(shares[c] / most, kPower);
    return s;
  });
  return most * std::pow(sum / total_, 1 / kPower);
}

template <int D>
std::vector<double> StressShare<D>::values(const Analysed& at) const {
  std::vector<double> values;
  for (std::size_t k = 0; k < at.states.displacements.size(); ++k)
    values.push_back(std::isfinite(at.states.compliances[k])
                         ? meanOf(shares(at.states.density, at.states.displacements[k]))
                         : std::numeric_limits<double>::infinity());
  return values;
}

/// dg = g^(1-p) / (f V) sum_i v_i s_i^(p-1) ds_i, with s_i = rho_i^q t_i and t_i the share of the solid
/// material: ds_i = q s_i drho_i / rho_i + rho_i^q dt_i. This is the latter.
template <int D>
std::optional<AdjointLoad> StressShare<D>::adjointLoad(const Analysed& at, std::size_t which) const {
  requireIndex("case", which, at.states.displacements.size(), "cases");
  const std::vector<double>& density = at.states.density;
  const std::vector<double>& u = at.states.displacements[which];
  const std::vector<double> s = shares(density, u);
  const double g = meanOf(s);
  if (g == 0) return std::nullopt;
  const CellStress<D> stress(grid_, limits_, u);
  AdjointLoad load{which, std::vector<double>(u.size(), 0.0)};
  for (std::size_t c = 0; c < s.size(); ++c) {
    if (s[c] <= 0) continue;
    const double relaxed = std::pow(density[c], kRelaxed);
    stress.addByDisplacement(c, s[c] / relaxed, byShare(s[c], g, c) * relaxed, load.byDisplacement);
  }
  return load;
}

/// dg / ds_i.
template <int D>
double StressShare<D>::byShare(double share, double mean, std::size_t cell) const {
  return limits_.volume[cell] / total_ * std::pow(share / mean, kPower - 1);
}

template <int D>
void StressShare<D>::gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                                  std::span<double> gradient) const {
  if (adjoint.empty()) return std::fill(gradient.begin(), gradient.end(), 0.0);
  at.analysis.adjointGradient(at.states, which, adjoint, gradient);
  const std::vector<double>& density = at.states.density;
  const std::vector<double> s = shares(density, at.states.displacements[which]);
  const double g = meanOf(s);
  forEach(gradient.size(), [&](std::size_t c) {
    if (s[c] > 0) gradient[c] += byShare(s[c], g, c) * kRelaxed * s[c] / density[c];
  });
}

template <int D>
void StressShare<D>::gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const {
  const std::optional<AdjointLoad> load = adjointLoad(at, which);
  gradientFrom(at, which,
               load ? at.analysis.adjoint(at.states, which, load->byDisplacement) : std::vector<double>(),
               gradient);
}

template class StressShare<2>;
template class StressShare<3>;

}  // namespace barelattice
