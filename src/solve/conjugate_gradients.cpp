#include "conjugate_gradients.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "vectors.hpp"

namespace barelattice {
namespace {

// The iteration, for A u = f with a preconditioner B close to A^-1; r = f - A u throughout:
//
//   z_k     = B r_k                                                       (1)
//   beta_k  = z_k^T (r_k - r_(k-1)) / (z_(k-1)^T r_(k-1)),  beta_0 = 0    (2)
//   p_k     = z_k + beta_k p_(k-1),   q_k = A p_k                         (3)
//   alpha_k = r_k^T p_k / p_k^T q_k                                       (4)
//   u_(k+1) = u_k + alpha_k p_k,   r_(k+1) = r_k - alpha_k q_k            (5)
//
// (2) is the flexible form (Notay 2000): with B fixed and symmetric z_k^T r_(k-1) is zero and it is the
// textbook's. Since r_k - r_(k-1) = -alpha_(k-1) q_(k-1), it costs one more sum, z^T q, and no vector. (4)
// is exact line search along p_k whatever p_k is, so rounding in z and p spoils directions, never the step.
//
// The error e_k = u - u_k. Because (4) minimises the energy along p_k,
//
//   |e_k|_A^2 - |e_(k+1)|_A^2 = alpha_k^2 p_k^T A p_k = alpha_k r_k^T p_k       (6)
//
// and summed over the next d steps it tells what those took away (Strakos & Tichy 2002):
//
//   |e_k|_A^2 = sum of the drops k ... k + d - 1  +  |e_(k+d)|_A^2              (7)
//
// The sum bounds the error before the d steps from below; the error after them is the tail of the series. It
// is judged by the past: tail_j / (sum of d drops before it) is known for every j up to d steps ago, and the
// largest of these ratios times the last d drops is what `ErrorEstimate::left` returns. It is compared with
// f^T u_k: for a load that stands alone, the relative error of the compliance. For with A u = f and r_k = A
// e_k
//
//   (f + r_k)^T u_k = 2 f^T u_k - u_k^T A u_k = f^T u - |e_k|_A^2               (8)
//
// which is what `SolveReport::work` gives: it errs by the energy of the error alone, to second order.

/// Steps whose energy drops are added up for the error estimate.
constexpr std::size_t kDelay = 3;

/// A drop over kDelay steps to more than this share is slow: a stronger preconditioner pays for itself. On
/// voxels a W-cycle costs about twice a V-cycle, which pays from a V-cycle's 0.17 on if the W-cycle has 0.03,
/// as on layouts of three-voxel members; those without slim members have 0.1 and less.
constexpr double kSlow = 0.15;
constexpr int kPatience = 6;  // iterations before that is judged

/// Without a new least error estimate for this many steps, the solve is given up: at full precision the
/// slowest layouts seen set a new one every few steps.
constexpr int kStagnation = 60;

/// Share of the residual that may be rounding carried along; more, and the iteration goes on with the true
/// one.
constexpr double kMostDrift = 0.1;

/// Residual over the load that is rounding.
constexpr double kExact = 1e-10;

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
  PlainSystem(const FieldsMap& matrix, const FieldsMap& preconditioner, const Fields<const double>& f,
              const Fields<double>& u)
      : matrix_(matrix),
        preconditioner_(preconditioner),
        f_(f),
        u_(u),
        r_(f.size(), std::vector<double>(f.front().size())),
        z_(r_),
        p_(r_),
        q_(r_) {}

  std::size_t count() const override { return f_.size(); }
  std::vector<Residual> renewResidual(Which which) override {
    matrix_(asConst(chosen(u_, which)), chosen(z_, which));
    std::vector<Residual> residuals;
    for (const std::size_t k : which) {
      forEach(r_[k].size(), [&](std::size_t i) {
        const double carried = r_[k][i];
        r_[k][i] = f_[k][i] - z_[k][i];
        z_[k][i] = r_[k][i] - carried;
      });
      residuals.push_back({dot(r_[k], r_[k]), dot(z_[k], z_[k]), dot(f_[k], u_[k]) + dot(r_[k], u_[k])});
    }
    return residuals;
  }
  std::vector<Preconditioned> precondition(Which which) override {
    preconditioner_(asConst(chosen(r_, which)), chosen(z_, which));
    std::vector<Preconditioned> products;
    for (const std::size_t k : which) products.push_back({dot(r_[k], z_[k]), dot(q_[k], z_[k])});
    return products;
  }
  std::vector<Direction> advance(Which which, std::span<const double> beta) override {
    for (std::size_t i = 0; i < which.size(); ++i) {
      std::vector<double>& p = p_[which[i]];
      forEach(p.size(), [&](std::size_t d) { p[d] = z_[which[i]][d] + beta[i] * p[d]; });
    }
    matrix_(asConst(chosen(p_, which)), chosen(q_, which));
    std::vector<Direction> directions;
    for (const std::size_t k : which) directions.push_back({dot(p_[k], q_[k]), dot(r_[k], p_[k])});
    return directions;
  }
  std::vector<double> step(Which which, std::span<const double> alpha) override {
    std::vector<double> work;
    for (std::size_t i = 0; i < which.size(); ++i) {
      const std::size_t k = which[i];
      forEach(p_[k].size(), [&](std::size_t d) {
        u_[k][d] += alpha[i] * p_[k][d];
        r_[k][d] -= alpha[i] * q_[k][d];
      });
      work.push_back(dot(f_[k], u_[k]));
    }
    return work;
  }
  double loadSquared(std::size_t k) const override { return dot(f_[k], f_[k]); }
  void rest(std::size_t k) override { std::fill(u_[k].begin(), u_[k].end(), 0.0); }
  double renewalDrop() const override { return 0; }

 private:
  template <class Vectors>
  static Fields<double> chosen(Vectors& vectors, Which which) {
    Fields<double> fields;
    for (const std::size_t k : which) fields.emplace_back(vectors[k]);
    return fields;
  }

  const FieldsMap& matrix_;
  const FieldsMap& preconditioner_;
  Fields<const double> f_;
  Fields<double> u_;
  std::vector<std::vector<double>> r_, z_, p_, q_;
};

/// The numbers of one solve; its vectors are the system's. Call in the order of the steps; each may end it.
class Solve {
 public:
  Solve(const SolveOptions& options, double renewalDrop) : options_(options), renewalDrop_(renewalDrop) {
    report.stop = SolveStop::limit;
  }

  void takeResidual(const ConjugateSystem::Residual& residual) {
    residual_ = residual;
    renewed_ = true;
    if (!claimed_) return;
    claimed_ = false;
    if (residual.drift <= kMostDrift * kMostDrift * residual.squared || residual.squared == 0)
      end(SolveStop::converged);
    else
      estimate_.restart();
  }

  void takePreconditioned(const ConjugateSystem::Preconditioned& z) {
    if (z.withResidual < 0) return end(SolveStop::indefinite);
    if (z.withResidual == 0) return end(SolveStop::converged);  // the start value was exact
    // (2), with r - r_old = -alpha q
    beta = report.iterations == 0 ? 0 : -alpha * z.withProduct / rz_;
    rz_ = z.withResidual;
    if (renewed_) rzRenewed_ = rz_;
  }

  void takeDirection(const ConjugateSystem::Direction& p) {
    if (!(p.energy > 0)) return end(SolveStop::indefinite);
    alpha = p.residual / p.energy;            // (4)
    estimate_.add(alpha * alpha * p.energy);  // (6)
  }

  void takeStep(double work) {
    renewed_ = false;
    ++report.iterations;
    report.energyError = estimate_.left() / std::abs(work);
    if (report.energyError < 0.5 * least_) {
      least_ = report.energyError;
      leastAt_ = report.iterations;
    }
    claimed_ = estimate_.ready() && report.energyError <= options_.energyTolerance;
  }

  /// True when the residual has to be computed anew: to be sure of the end, or against rounding.
  bool wantsResidual() const { return claimed_ || rz_ < renewalDrop_ * rzRenewed_; }
  bool isRenewed() const { return renewed_; }
  bool isSlow() const { return report.iterations > kPatience && estimate_.ratio() > kSlow; }

  /// At the end of an iteration.
  void checkLimits() {
    if (ended) return;
    // A start that is exact already leaves nothing but rounding, which no renewed residual bears out.
    if (report.iterations - leastAt_ >= kStagnation)
      end(residual_.squared < kExact * kExact * loadSquared_ ? SolveStop::converged : SolveStop::stagnated);
    else if (report.iterations >= options_.maxIterations)
      end(SolveStop::limit);
  }

  void setLoad(double squared) { loadSquared_ = squared; }
  void finish() {
    report.residual = std::sqrt(residual_.squared / loadSquared_);
    report.work = residual_.work;
  }

  void end(SolveStop stop) {
    report.stop = stop;
    ended = true;
  }

  SolveReport report;
  bool ended = false;
  double alpha = 0;
  double beta = 0;

 private:
  const SolveOptions& options_;
  double renewalDrop_;
  double loadSquared_ = 0;  // f^T f
  ConjugateSystem::Residual residual_;
  ErrorEstimate estimate_;
  double rz_ = 0;
  double rzRenewed_ = 0;
  double least_ = std::numeric_limits<double>::infinity();
  int leastAt_ = 0;
  bool renewed_ = true;
  bool claimed_ = false;  // by the estimate it is done
};

}  // namespace

void validate(const SolveOptions& options) {
  if (!(options.energyTolerance > 0 && options.energyTolerance < 1))
    throw InputError(fmt::format("energyTolerance is {}", options.energyTolerance), "give above 0, below 1");
  if (options.maxIterations < 1)
    throw InputError(fmt::format("maxIterations is {}", options.maxIterations), "give 1 or more");
}

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

std::vector<SolveReport> solveConjugateGradients(ConjugateSystem& system, const SolveOptions& options) {
  std::vector<Solve> solves(system.count(), Solve(options, system.renewalDrop()));
  std::vector<std::size_t> active;
  for (std::size_t k = 0; k < solves.size(); ++k) {
    const double loadSquared = system.loadSquared(k);
    solves[k].setLoad(loadSquared);
    if (loadSquared == 0) {
      system.rest(k);
      solves[k].end(SolveStop::zeroLoad);
    } else {
      active.push_back(k);
    }
  }
  const auto renew = [&](std::span<const std::size_t> which) {
    if (which.empty()) return;
    const auto residuals = system.renewResidual(which);
    for (std::size_t i = 0; i < which.size(); ++i) solves[which[i]].takeResidual(residuals[i]);
  };
  const auto those = [&](const auto& wanted) {
    std::vector<std::size_t> chosen;
    for (const std::size_t k : active)
      if (wanted(solves[k])) chosen.push_back(k);
    return chosen;
  };
  const auto dropEnded = [&] { active = those([](const Solve& solve) { return !solve.ended; }); };
  const auto numbers = [&](double Solve::*number) {
    std::vector<double> values;
    for (const std::size_t k : active) values.push_back(solves[k].*number);
    return values;
  };

  const auto askWhetherToGoOn = [&] {
    if (options.goOn && !options.goOn()) throw Cancelled();
  };
  const std::vector<std::size_t> loaded = active;
  askWhetherToGoOn();
  renew(active);
  while (!active.empty()) {
    askWhetherToGoOn();
    const auto preconditioned = system.precondition(active);
    for (std::size_t i = 0; i < active.size(); ++i) solves[active[i]].takePreconditioned(preconditioned[i]);
    dropEnded();
    if (active.empty()) break;
    askWhetherToGoOn();
    const auto directions = system.advance(active, numbers(&Solve::beta));
    for (std::size_t i = 0; i < active.size(); ++i) solves[active[i]].takeDirection(directions[i]);
    dropEnded();
    if (active.empty()) break;
    const auto work = system.step(active, numbers(&Solve::alpha));
    for (std::size_t i = 0; i < active.size(); ++i) solves[active[i]].takeStep(work[i]);
    renew(those([](const Solve& solve) { return solve.wantsResidual(); }));
    for (const std::size_t k : active) solves[k].checkLimits();
    dropEnded();
    if (!those([](const Solve& solve) { return solve.isSlow(); }).empty() && system.strengthen())
      for (const std::size_t k : active) solves[k].report.strengthenedAt = solves[k].report.iterations;
  }

  active = loaded;
  renew(those([](const Solve& solve) { return !solve.isRenewed(); }));
  std::vector<SolveReport> reports;
  for (std::size_t k = 0; k < solves.size(); ++k) {
    if (solves[k].report.stop != SolveStop::zeroLoad) solves[k].finish();
    reports.push_back(solves[k].report);
  }
  return reports;
}

std::vector<SolveReport> solveConjugateGradients(const FieldsMap& matrix, const FieldsMap& preconditioner,
                                                 const Fields<const double>& f, const Fields<double>& u,
                                                 const SolveOptions& options) {
  PlainSystem system(matrix, preconditioner, f, u);
  return solveConjugateGradients(system, options);
}

SolveReport solveConjugateGradients(const LinearMap& matrix, const LinearMap& preconditioner,
                                    std::span<const double> f, std::span<double> u,
                                    const SolveOptions& options) {
  const auto one = [](const LinearMap& map) {
    return FieldsMap([&map](const Fields<const double>& x, const Fields<double>& y) { map(x[0], y[0]); });
  };
  return solveConjugateGradients(one(matrix), one(preconditioner), Fields<const double>{f}, Fields<double>{u},
                                 options)
      .front();
}

}  // namespace barelattice
