#include "barelattice/optimise/moving_asymptotes.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "barelattice/base/parallel.hpp"

namespace barelattice {
namespace {

// How far asymptotes start, and how they close in and move out: the rule and its numbers are those Svanberg
// recommends (2007, MMA and GCMMA - two methods for nonlinear optimization, KTH Stockholm, section 3), as are
// the start and the relaxation of the interior point below (section 5).
constexpr double kStart = 0.5;
constexpr double kCloser = 0.7;
constexpr double kFarther = 1.2;
constexpr double kNearest = 0.01;
constexpr double kFarthest = 10;
// Common practice, in none of the texts proved best.
constexpr double kWithin = 0.1;      // steps stay this share away from the asymptotes
constexpr double kBothSides = 1e-3;  // share of a slope that both asymptotes push against
constexpr double kConvexity =
    1e-5;                          // as much where there is no slope: every approximation is strictly convex
constexpr double kPenalty = 1000;  // on the slack of limits that cannot be met

template <class Term>
double sum(std::size_t n, const Term& term) {
  return sumBlocks(n, [&](std::size_t begin, std::size_t end) {
    double s = 0;
    for (std::size_t j = begin; j < end; ++j) s += term(j);
    return s;
  });
}

template <class Term>
double largest(std::size_t n, const Term& term) {
  std::vector<double> partial(n / kBlockSize + 1, 0.0);
  forEachBlock(n, [&](std::size_t begin, std::size_t end) {
    double most = 0;
    for (std::size_t j = begin; j < end; ++j) most = std::max(most, term(j));
    partial[begin / kBlockSize] = most;
  });
  return *std::max_element(partial.begin(), partial.end());
}

void moveAsymptotes(std::span<const double> x, AsymptotesState& state) {
  const std::size_t n = x.size();
  if (state.earlier.empty()) {
    state.low.resize(n);
    state.high.resize(n);
    forEach(n, [&](std::size_t j) {
      state.low[j] = x[j] - kStart;
      state.high[j] = x[j] + kStart;
    });
    return;
  }
  forEach(n, [&](std::size_t j) {
    const double turn = (x[j] - state.previous[j]) * (state.previous[j] - state.earlier[j]);
    const double factor = turn < 0 ? kCloser : turn > 0 ? kFarther : 1;
    state.low[j] =
        std::clamp(x[j] - factor * (state.previous[j] - state.low[j]), x[j] - kFarthest, x[j] - kNearest);
    state.high[j] =
        std::clamp(x[j] + factor * (state.high[j] - state.previous[j]), x[j] + kNearest, x[j] + kFarthest);
  });
}

/// The approximation: sum_j p_ij / (high_j - x_j) + q_ij / (x_j - low_j), row 0 the goal, rows 1 ... m
/// limits.
struct Approximation {
  std::vector<double> low, high;    // asymptotes
  std::vector<double> least, most;  // of the step
  std::vector<std::vector<double>> p, q;
  Eigen::VectorXd b;  // right-hand sides of the limits
  Eigen::VectorXd a;
};

Approximation approximate(std::span<const double> x, const AsymptotesProblem& problem, double move,
                          const AsymptotesState& state) {
  const std::size_t n = x.size();
  const std::size_t m = problem.limits.size();
  Approximation s;
  s.low = state.low;
  s.high = state.high;
  s.least.resize(n);
  s.most.resize(n);
  forEach(n, [&](std::size_t j) {
    s.least[j] = std::max({0.0, s.low[j] + kWithin * (x[j] - s.low[j]), x[j] - move});
    s.most[j] = std::min({1.0, s.high[j] - kWithin * (s.high[j] - x[j]), x[j] + move});
  });
  s.p.assign(m + 1, std::vector<double>(n));
  s.q.assign(m + 1, std::vector<double>(n));
  for (std::size_t i = 0; i <= m; ++i) {
    const bool none = i == 0 && problem.goalGradient.empty();
    forEach(n, [&](std::size_t j) {
      const double g = none ? 0 : i == 0 ? problem.goalGradient[j] : problem.limitGradients[i - 1][j];
      const double above = (s.high[j] - x[j]) * (s.high[j] - x[j]);
      const double below = (x[j] - s.low[j]) * (x[j] - s.low[j]);
      // The slopes of both terms at x differ by g, whatever is added to both.
      const double both = kBothSides * std::abs(g) + kConvexity;
      s.p[i][j] = above * (std::max(g, 0.0) + both);
      s.q[i][j] = below * (std::max(-g, 0.0) + both);
    });
  }
  s.b.resize(static_cast<Eigen::Index>(m));
  s.a = Eigen::Map<const Eigen::VectorXd>(problem.shares.data(), static_cast<Eigen::Index>(m));
  for (std::size_t i = 0; i < m; ++i)
    s.b[static_cast<Eigen::Index>(i)] =
        sum(n,
            [&](std::size_t j) {
              return s.p[i + 1][j] / (s.high[j] - x[j]) + s.q[i + 1][j] / (x[j] - s.low[j]);
            }) -
        problem.limits[i];
  return s;
}

/// Primal-dual interior point on the approximation (Svanberg 2007, section 5):
///   minimise  goal(x) + z + sum_i (c y_i + y_i^2 / 2)   subject to   g_i(x) - a_i z - y_i <= b_i.
/// Multipliers: lambda of the limits, xi and eta of the bounds on x, mu of y >= 0, zeta of z >= 0; slacks s.
class InteriorPoint {
 public:
  explicit InteriorPoint(const Approximation& problem)
      : f_(problem),
        n_(problem.low.size()),
        m_(problem.b.size()),
        x_(n_),
        xi_(n_),
        eta_(n_),
        dx_(n_),
        dxi_(n_),
        deta_(n_) {
    forEach(n_, [&](std::size_t j) {
      x_[j] = 0.5 * (f_.least[j] + f_.most[j]);
      xi_[j] = std::max(1.0, 1 / (x_[j] - f_.least[j]));
      eta_[j] = std::max(1.0, 1 / (f_.most[j] - x_[j]));
    });
    y_ = lambda_ = s_ = Eigen::VectorXd::Ones(m_);
    mu_ = Eigen::VectorXd::Constant(m_, std::max(1.0, 0.5 * kPenalty));
  }

  std::vector<double> solve() {
    constexpr double kLast = 1e-7;
    constexpr int kMostSteps = 100;  // per relaxation; a few are usual
    for (double relaxation = 1; relaxation > kLast; relaxation *= 0.1)
      for (int step = 0; step < kMostSteps && residual(relaxation).most > 0.9 * relaxation; ++step)
        advance(relaxation);
    return x_;
  }

 private:
  struct Norm {
    double most;
    double square;
  };

  double p(std::size_t j) const { return combined(f_.p, j); }
  double q(std::size_t j) const { return combined(f_.q, j); }
  double combined(const std::vector<std::vector<double>>& rows, std::size_t j) const {
    double value = rows[0][j];
    for (Eigen::Index i = 0; i < m_; ++i) value += lambda_[i] * rows[static_cast<std::size_t>(i) + 1][j];
    return value;
  }
  double above(std::size_t j) const { return f_.high[j] - x_[j]; }
  double below(std::size_t j) const { return x_[j] - f_.low[j]; }
  /// d(goal + lambda g)/dx_j
  double slope(std::size_t j) const { return p(j) / (above(j) * above(j)) - q(j) / (below(j) * below(j)); }
  /// dg_i/dx_j
  double limitSlope(Eigen::Index i, std::size_t j) const {
    const auto row = static_cast<std::size_t>(i) + 1;
    return f_.p[row][j] / (above(j) * above(j)) - f_.q[row][j] / (below(j) * below(j));
  }
  double limit(Eigen::Index i) const {
    const auto row = static_cast<std::size_t>(i) + 1;
    return sum(n_, [&](std::size_t j) { return f_.p[row][j] / above(j) + f_.q[row][j] / below(j); });
  }

  Norm residual(double relaxation) const {
    Eigen::VectorXd small(4 * m_ + 2);
    for (Eigen::Index i = 0; i < m_; ++i) {
      small[i] = kPenalty + y_[i] - mu_[i] - lambda_[i];
      small[m_ + i] = limit(i) - f_.a[i] * z_ - y_[i] + s_[i] - f_.b[i];
      small[2 * m_ + i] = mu_[i] * y_[i] - relaxation;
      small[3 * m_ + i] = lambda_[i] * s_[i] - relaxation;
    }
    small[4 * m_] = 1 - zeta_ - f_.a.dot(lambda_);
    small[4 * m_ + 1] = zeta_ * z_ - relaxation;
    const auto parts = [&](std::size_t j) {
      return std::array<double, 3>{slope(j) - xi_[j] + eta_[j], xi_[j] * (x_[j] - f_.least[j]) - relaxation,
                                   eta_[j] * (f_.most[j] - x_[j]) - relaxation};
    };
    const double square = sum(n_, [&](std::size_t j) {
      const auto r = parts(j);
      return r[0] * r[0] + r[1] * r[1] + r[2] * r[2];
    });
    const double most = largest(n_, [&](std::size_t j) {
      const auto r = parts(j);
      return std::max({std::abs(r[0]), std::abs(r[1]), std::abs(r[2])});
    });
    return {std::max(most, small.cwiseAbs().maxCoeff()), square + small.squaredNorm()};
  }

  /// One Newton step, shortened until everything stays positive and the residual falls.
  void advance(double relaxation) {
    const double before = residual(relaxation).square;
    std::vector<double> rx(n_), dd(n_);  // right-hand side and diagonal of the x rows
    forEach(n_, [&](std::size_t j) {
      const double toLeast = x_[j] - f_.least[j];
      const double toMost = f_.most[j] - x_[j];
      rx[j] = slope(j) - relaxation / toLeast + relaxation / toMost;
      dd[j] = 2 * (p(j) / std::pow(above(j), 3) + q(j) / std::pow(below(j), 3)) + xi_[j] / toLeast +
              eta_[j] / toMost;
    });
    const Eigen::VectorXd ry = (kPenalty + y_.array() - lambda_.array() - relaxation / y_.array()).matrix();
    const Eigen::VectorXd dy = (1 + mu_.array() / y_.array()).matrix();
    Eigen::MatrixXd system = Eigen::MatrixXd::Zero(m_ + 1, m_ + 1);
    Eigen::VectorXd right(m_ + 1);
    for (Eigen::Index i = 0; i < m_; ++i) {
      const double rl = limit(i) - f_.a[i] * z_ - y_[i] - f_.b[i] + relaxation / lambda_[i];
      right[i] =
          rl + ry[i] / dy[i] - sum(n_, [&](std::size_t j) { return limitSlope(i, j) * rx[j] / dd[j]; });
      for (Eigen::Index k = 0; k <= i; ++k)
        system(i, k) = system(k, i) =
            sum(n_, [&](std::size_t j) { return limitSlope(i, j) * limitSlope(k, j) / dd[j]; });
      system(i, i) += s_[i] / lambda_[i] + 1 / dy[i];
      system(i, m_) = system(m_, i) = f_.a[i];
    }
    system(m_, m_) = -zeta_ / z_;
    right[m_] = 1 - f_.a.dot(lambda_) - relaxation / z_;
    const Eigen::VectorXd solution = system.partialPivLu().solve(right);
    const Eigen::VectorXd dLambda = solution.head(m_);
    const double dz = solution[m_];
    forEach(n_, [&](std::size_t j) {
      double coupling = 0;
      for (Eigen::Index i = 0; i < m_; ++i) coupling += limitSlope(i, j) * dLambda[i];
      dx_[j] = -(rx[j] + coupling) / dd[j];
      const double toLeast = x_[j] - f_.least[j];
      const double toMost = f_.most[j] - x_[j];
      dxi_[j] = -xi_[j] + (relaxation - xi_[j] * dx_[j]) / toLeast;
      deta_[j] = -eta_[j] + (relaxation + eta_[j] * dx_[j]) / toMost;
    });
    const Eigen::VectorXd dyStep = ((dLambda - ry).array() / dy.array()).matrix();
    const Eigen::VectorXd dMu =
        (-mu_.array() + (relaxation - mu_.array() * dyStep.array()) / y_.array()).matrix();
    const Eigen::VectorXd dS =
        (-s_.array() + (relaxation - s_.array() * dLambda.array()) / lambda_.array()).matrix();
    const double dZeta = -zeta_ + (relaxation - zeta_ * dz) / z_;

    constexpr double kShy = 1.01;  // how much short of the boundary a step stops
    double over = 1;
    const auto account = [&](double change, double value) { over = std::max(over, -kShy * change / value); };
    for (Eigen::Index i = 0; i < m_; ++i) {
      account(dyStep[i], y_[i]);
      account(dLambda[i], lambda_[i]);
      account(dMu[i], mu_[i]);
      account(dS[i], s_[i]);
    }
    account(dz, z_);
    account(dZeta, zeta_);
    over =
        std::max(over, largest(n_, [&](std::size_t j) {
                   return kShy * std::max({-dxi_[j] / xi_[j], -deta_[j] / eta_[j],
                                           -dx_[j] / (x_[j] - f_.least[j]), dx_[j] / (f_.most[j] - x_[j])});
                 }));

    const std::vector<double> x0 = x_, xi0 = xi_, eta0 = eta_;
    const Eigen::VectorXd y0 = y_, lambda0 = lambda_, mu0 = mu_, s0 = s_;
    const double z0 = z_, zeta0 = zeta_;
    double length = 1 / over;
    constexpr int kMostHalvings = 50;
    for (int halving = 0; halving < kMostHalvings; ++halving, length *= 0.5) {
      forEach(n_, [&](std::size_t j) {
        x_[j] = x0[j] + length * dx_[j];
        xi_[j] = xi0[j] + length * dxi_[j];
        eta_[j] = eta0[j] + length * deta_[j];
      });
      y_ = y0 + length * dyStep;
      lambda_ = lambda0 + length * dLambda;
      mu_ = mu0 + length * dMu;
      s_ = s0 + length * dS;
      z_ = z0 + length * dz;
      zeta_ = zeta0 + length * dZeta;
      if (residual(relaxation).square < before) break;
    }
  }

  const Approximation& f_;
  std::size_t n_;
  Eigen::Index m_;
  std::vector<double> x_, xi_, eta_;
  std::vector<double> dx_, dxi_, deta_;
  Eigen::VectorXd y_, lambda_, mu_, s_;
  double z_ = 1;
  double zeta_ = 1;
};

}  // namespace

std::vector<double> updateByAsymptotes(std::span<const double> x, const AsymptotesProblem& problem,
                                       const AsymptotesOptions& options, AsymptotesState& state) {
  moveAsymptotes(x, state);
  std::vector<double> next = InteriorPoint(approximate(x, problem, options.move, state)).solve();
  state.earlier = std::move(state.previous);
  state.previous.assign(x.begin(), x.end());
  return next;
}

}  // namespace barelattice
