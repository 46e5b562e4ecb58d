#include "barelattice/elasticity/conjugate_gradients.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>

#include "barelattice/base/parallel.hpp"
#include "vectors.hpp"

namespace barelattice {
namespace {

/// Steps whose energy drops are added up for the error estimate.
constexpr std::size_t kDelay = 3;

/// A drop over kDelay steps to more than this share is slow: a stronger preconditioner pays for itself. On
/// voxels a W-cycle costs 1.4 times a V-cycle, which pays from a V-cycle's 0.3 on if the W-cycle has 0.03, as
/// on layouts of three-voxel members; those without slim members have 0.1 and less.
constexpr double kSlow = 0.15;
constexpr int kPatience = 6;  // iterations before that is judged

/// Without a new least error estimate for this many steps, the solve is given up: at full precision the
/// slowest layouts seen set a new one every few steps.
constexpr int kStagnation = 60;

/// Share of the residual that may be rounding carried along; more, and the iteration goes on with the true
/// one.
constexpr double kMostDrift = 0.1;

/// The drops of the squared energy norm of the error, and what they say about what is left.
class ErrorEstimate {
 public:
  void add(double drop) { drops_.push_back(drop); }
  void restart() { drops_.clear(); }
  bool ready() const { return drops_.size() >= kDelay; }

  /// Ratio of the last few drops to those before; 0 while there are too few.
  double ratio() const { return drops_.size() < 2 * kDelay ? 0 : sum(0) / sum(kDelay); }

  double left() const {
    // The worst so far: how many times the drops of a few steps were still to come after them.
    double worst = 1;
    double after = sum(0);
    for (std::size_t back = kDelay; back + kDelay <= drops_.size(); ++back) {
      worst = std::max(worst, after / sum(back));
      after += drops_[drops_.size() - 1 - back];
    }
    return worst * sum(0);
  }

 private:
  /// Of kDelay drops, `back` steps ago.
  double sum(std::size_t back) const {
    const auto end = drops_.end() - static_cast<std::ptrdiff_t>(std::min(back, drops_.size()));
    const auto count = std::min(kDelay, static_cast<std::size_t>(end - drops_.begin()));
    return std::accumulate(end - static_cast<std::ptrdiff_t>(count), end, 0.0);
  }
  std::vector<double> drops_;
};

/// All vectors in double precision.
class PlainSystem final : public ConjugateSystem {
 public:
  PlainSystem(const LinearMap& matrix, const LinearMap& preconditioner, std::span<const double> f,
              std::span<double> u)
      : matrix_(matrix),
        preconditioner_(preconditioner),
        f_(f),
        u_(u),
        r_(f.size()),
        z_(f.size()),
        p_(f.size()),
        q_(f.size()) {}

  Residual renewResidual() override {
    matrix_(u_, z_);
    forEach(r_.size(), [&](std::size_t i) {
      const double carried = r_[i];
      r_[i] = f_[i] - z_[i];
      z_[i] = r_[i] - carried;
    });
    return {dot(r_, r_), dot(z_, z_), dot(f_, u_) + dot(r_, u_)};
  }
  Preconditioned precondition() override {
    preconditioner_(r_, z_);
    return {dot(r_, z_), dot(q_, z_)};
  }
  Direction advance(double beta) override {
    forEach(p_.size(), [&](std::size_t i) { p_[i] = z_[i] + beta * p_[i]; });
    matrix_(p_, q_);
    return {dot(p_, q_), dot(r_, p_)};
  }
  double step(double alpha) override {
    forEach(u_.size(), [&](std::size_t i) {
      u_[i] += alpha * p_[i];
      r_[i] -= alpha * q_[i];
    });
    return dot(f_, u_);
  }
  double loadSquared() const override { return dot(f_, f_); }
  void rest() override { std::fill(u_.begin(), u_.end(), 0.0); }
  double renewalDrop() const override { return 0; }

 private:
  const LinearMap& matrix_;
  const LinearMap& preconditioner_;
  std::span<const double> f_;
  std::span<double> u_;
  std::vector<double> r_, z_, p_, q_;
};

}  // namespace

std::string describe(SolveStop stop) {
  switch (stop) {
    case SolveStop::converged:
      return "the energy error is below the tolerance";
    case SolveStop::zeroLoad:
      return "there is no load";
    case SolveStop::limit:
      return "the iteration limit was reached before the energy error was small enough";
    case SolveStop::stagnated:
      return "the energy error stopped falling before it was small enough";
    case SolveStop::indefinite:
      return "the stiffness is not positive definite: a piece may be free to move";
  }
  return {};
}

SolveReport solveConjugateGradients(ConjugateSystem& system, const SolveOptions& options) {
  SolveReport report;
  const double loadSquared = system.loadSquared();
  if (loadSquared == 0) {
    system.rest();
    report.stop = SolveStop::zeroLoad;
    return report;
  }
  ConjugateSystem::Residual residual = system.renewResidual();
  ErrorEstimate estimate;
  report.stop = SolveStop::limit;
  double rz = 0;
  double rzRenewed = 0;
  double alpha = 0;
  double least = std::numeric_limits<double>::infinity();
  int leastAt = 0;
  bool renewed = true;
  for (int k = 0; k < options.maxIterations; ++k) {
    const ConjugateSystem::Preconditioned z = system.precondition();
    if (z.withResidual < 0) {
      report.stop = SolveStop::indefinite;
      break;
    }
    if (z.withResidual == 0) {  // the start value was exact
      report.stop = SolveStop::converged;
      break;
    }
    // z^T (r - r_old) / (r_old^T z_old), with r - r_old = -alpha q
    const double beta = k == 0 ? 0 : -alpha * z.withProduct / rz;
    rz = z.withResidual;
    if (renewed) rzRenewed = rz;
    const ConjugateSystem::Direction p = system.advance(beta);
    if (!(p.energy > 0)) {
      report.stop = SolveStop::indefinite;
      break;
    }
    alpha = p.residual / p.energy;
    const double work = system.step(alpha);
    renewed = false;
    report.iterations = k + 1;
    estimate.add(alpha * alpha * p.energy);
    report.energyError = estimate.left() / std::abs(work);
    if (report.energyError < 0.5 * least) {
      least = report.energyError;
      leastAt = k;
    }
    if (estimate.ready() && report.energyError <= options.energyTolerance) {
      residual = system.renewResidual();
      renewed = true;
      if (residual.drift <= kMostDrift * kMostDrift * residual.squared || residual.squared == 0) {
        report.stop = SolveStop::converged;
        break;
      }
      estimate.restart();
    } else if (rz < system.renewalDrop() * rzRenewed) {
      residual = system.renewResidual();
      renewed = true;
    }
    if (k - leastAt >= kStagnation) {
      report.stop = SolveStop::stagnated;
      break;
    }
    if (k >= kPatience && report.strengthenedAt == 0 && estimate.ratio() > kSlow && system.strengthen())
      report.strengthenedAt = k + 1;
  }
  if (!renewed) residual = system.renewResidual();
  report.residual = std::sqrt(residual.squared / loadSquared);
  report.work = residual.work;
  return report;
}

SolveReport solveConjugateGradients(const LinearMap& matrix, const LinearMap& preconditioner,
                                    std::span<const double> f, std::span<double> u,
                                    const SolveOptions& options) {
  PlainSystem system(matrix, preconditioner, f, u);
  return solveConjugateGradients(system, options);
}

}  // namespace barelattice
