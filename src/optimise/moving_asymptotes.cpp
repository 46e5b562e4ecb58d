#include "barelattice/optimise/moving_asymptotes.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/check.hpp"
#include "base/parallel.hpp"

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

void validate(std::span<const double> x, const AsymptotesProblem& problem, const AsymptotesOptions& options,
              const AsymptotesState& state) {
  const std::size_t n = x.size();
  requireCountOrNone("goalGradient", problem.goalGradient.size(), n, "variables");
  requireCount("limitGradients", problem.limitGradients.size(), problem.limits.size(), "limits");
  requireCount("shares", problem.shares.size(), problem.limits.size(), "limits");
  if (problem.goalGradient.empty() && problem.limits.empty())
    throw InputError("there is neither a goal nor a limit", "give one");
  for (const std::vector<double>& gradient : problem.limitGradients)
    requireCount("gradient of a limit", gradient.size(), n, "variables");
  for (const double value : problem.limits) requireFinite("value of a limit", value);
  if (!(options.move > 0 && options.move <= 1))
    throw InputError(fmt::format("move is {}", options.move), "give above 0, up to 1");
  for (const auto* field : {&state.low, &state.high, &state.previous, &state.earlier})
    requireCountOrNone("a field of the state", field->size(), n, "variables");
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
/// Multipliers: lambda of the limits, xi and eta of the bounds on x, mu of y >= 0, zeta of z >= 0; slacks s
/// of the limits. With slope_j = d(goal + lambda^T g)/dx_j and a relaxation e that is lowered step by step,
/// at the solution
///   slope_j - xi_j + eta_j = 0,   c + y_i - mu_i - lambda_i = 0,   1 - zeta - a^T lambda = 0,
///   g_i - a_i z - y_i + s_i - b_i = 0,
///   xi_j (x_j - least_j) = eta_j (most_j - x_j) = mu_i y_i = lambda_i s_i = zeta z = e,
/// and all but x are positive.
class InteriorPoint {
 public:
  explicit InteriorPoint(const Approximation& problem)
      : f_(problem), n_(problem.low.size()), m_(problem.b.size()) {
    for (auto* v : {&now_.x, &now_.xi, &now_.eta}) v->resize(n_);
    forEach(n_, [&](std::size_t j) {
      now_.x[j] = 0.5 * (f_.least[j] + f_.most[j]);
      now_.xi[j] = std::max(1.0, 1 / (now_.x[j] - f_.least[j]));
      now_.eta[j] = std::max(1.0, 1 / (f_.most[j] - now_.x[j]));
    });
    now_.y = now_.lambda = now_.s = Eigen::VectorXd::Ones(m_);
    now_.mu = Eigen::VectorXd::Constant(m_, std::max(1.0, 0.5 * kPenalty));
  }

  std::vector<double> solve() {
    constexpr double kLast = 1e-7;
    constexpr int kMostSteps = 100;  // per relaxation; a few are usual
    for (double relaxation = 1; relaxation > kLast; relaxation *= 0.1)
      for (int step = 0; step < kMostSteps && residual(relaxation).most > 0.9 * relaxation; ++step)
        advance(relaxation);
    return now_.x;
  }

 private:
  struct Unknowns {
    std::vector<double> x, xi, eta;
    Eigen::VectorXd y, lambda, mu, s;
    double z = 1;
    double zeta = 1;
  };
  struct Norm {
    double most;
    double square;
  };

  double p(std::size_t j) const { return combined(f_.p, j); }
  double q(std::size_t j) const { return combined(f_.q, j); }
  double combined(const std::vector<std::vector<double>>& rows, std::size_t j) const {
    double value = rows[0][j];
    for (Eigen::Index i = 0; i < m_; ++i) value += now_.lambda[i] * rows[static_cast<std::size_t>(i) + 1][j];
    return value;
  }
  double above(std::size_t j) const { return f_.high[j] - now_.x[j]; }
  double below(std::size_t j) const { return now_.x[j] - f_.low[j]; }
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
      small[i] = kPenalty + now_.y[i] - now_.mu[i] - now_.lambda[i];
      small[m_ + i] = limit(i) - f_.a[i] * now_.z - now_.y[i] + now_.s[i] - f_.b[i];
      small[2 * m_ + i] = now_.mu[i] * now_.y[i] - relaxation;
      small[3 * m_ + i] = now_.lambda[i] * now_.s[i] - relaxation;
    }
    small[4 * m_] = 1 - now_.zeta - f_.a.dot(now_.lambda);
    small[4 * m_ + 1] = now_.zeta * now_.z - relaxation;
    const auto parts = [&](std::size_t j) {
      return std::array<double, 3>{slope(j) - now_.xi[j] + now_.eta[j],
                                   now_.xi[j] * (now_.x[j] - f_.least[j]) - relaxation,
                                   now_.eta[j] * (f_.most[j] - now_.x[j]) - relaxation};
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

  /// The Newton step from where it stands. The last row of conditions, made linear, gives
  ///   dxi_j = -xi_j + (e - xi_j dx_j) / (x_j - least_j),   deta_j = -eta_j + (e + eta_j dx_j) / (most_j -
  ///   x_j), dmu_i = -mu_i + (e - mu_i dy_i) / y_i,   ds_i = -s_i + (e - s_i dlambda_i) / lambda_i, dzeta =
  ///   -zeta + (e - zeta dz) / z;
  /// put into the first two, with G_ij = dg_i/dx_j,
  ///   D_j dx_j = -r_j - sum_i G_ij dlambda_i,   E_i dy_i = dlambda_i - t_i,
  ///   D_j = dslope_j/dx_j + xi_j / (x_j - least_j) + eta_j / (most_j - x_j),   E_i = 1 + mu_i / y_i,
  ///   r_j = slope_j - e / (x_j - least_j) + e / (most_j - x_j),   t_i = c + y_i - lambda_i - e / y_i,
  /// and all that put into the others leaves m + 1 equations:
  ///   sum_k (sum_j G_ij G_kj / D_j) dlambda_k + (s_i / lambda_i + 1 / E_i) dlambda_i + a_i dz
  ///     = g_i - a_i z - y_i - b_i + e / lambda_i + t_i / E_i - sum_j G_ij r_j / D_j,
  ///   a^T dlambda - (zeta / z) dz = 1 - a^T lambda - e / z.
  Unknowns newtonStep(double relaxation) const {
    std::vector<double> r(n_), d(n_);
    forEach(n_, [&](std::size_t j) {
      const double toLeast = now_.x[j] - f_.least[j];
      const double toMost = f_.most[j] - now_.x[j];
      r[j] = slope(j) - relaxation / toLeast + relaxation / toMost;
      d[j] = 2 * (p(j) / std::pow(above(j), 3) + q(j) / std::pow(below(j), 3)) + now_.xi[j] / toLeast +
             now_.eta[j] / toMost;
    });
    const Eigen::VectorXd t =
        (kPenalty + now_.y.array() - now_.lambda.array() - relaxation / now_.y.array()).matrix();
    const Eigen::VectorXd e = (1 + now_.mu.array() / now_.y.array()).matrix();
    Eigen::MatrixXd system = Eigen::MatrixXd::Zero(m_ + 1, m_ + 1);
    Eigen::VectorXd right(m_ + 1);
    for (Eigen::Index i = 0; i < m_; ++i) {
      const double rl = limit(i) - f_.a[i] * now_.z - now_.y[i] - f_.b[i] + relaxation / now_.lambda[i];
      right[i] = rl + t[i] / e[i] - sum(n_, [&](std::size_t j) { return limitSlope(i, j) * r[j] / d[j]; });
      for (Eigen::Index k = 0; k <= i; ++k)
        system(i, k) = system(k, i) =
            sum(n_, [&](std::size_t j) { return limitSlope(i, j) * limitSlope(k, j) / d[j]; });
      system(i, i) += now_.s[i] / now_.lambda[i] + 1 / e[i];
      system(i, m_) = system(m_, i) = f_.a[i];
    }
    system(m_, m_) = -now_.zeta / now_.z;
    right[m_] = 1 - f_.a.dot(now_.lambda) - relaxation / now_.z;
    const Eigen::VectorXd solution = system.partialPivLu().solve(right);

    Unknowns step;
    step.lambda = solution.head(m_);
    step.z = solution[m_];
    for (auto* v : {&step.x, &step.xi, &step.eta}) v->resize(n_);
    forEach(n_, [&](std::size_t j) {
      double coupling = 0;
      for (Eigen::Index i = 0; i < m_; ++i) coupling += limitSlope(i, j) * step.lambda[i];
      step.x[j] = -(r[j] + coupling) / d[j];
      const double toLeast = now_.x[j] - f_.least[j];
      const double toMost = f_.most[j] - now_.x[j];
      step.xi[j] = -now_.xi[j] + (relaxation - now_.xi[j] * step.x[j]) / toLeast;
      step.eta[j] = -now_.eta[j] + (relaxation + now_.eta[j] * step.x[j]) / toMost;
    });
    step.y = ((step.lambda - t).array() / e.array()).matrix();
    step.mu = (-now_.mu.array() + (relaxation - now_.mu.array() * step.y.array()) / now_.y.array()).matrix();
    step.s = (-now_.s.array() + (relaxation - now_.s.array() * step.lambda.array()) / now_.lambda.array())
                 .matrix();
    step.zeta = -now_.zeta + (relaxation - now_.zeta * step.z) / now_.z;
    return step;
  }

  /// The largest share of a step, up to all of it, that leaves everything positive.
  double longest(const Unknowns& step) const {
    constexpr double kShy = 1.01;  // how much short of the boundary it ends
    double over = 1;
    const auto account = [&](double change, double value) { over = std::max(over, -kShy * change / value); };
    for (Eigen::Index i = 0; i < m_; ++i) {
      account(step.y[i], now_.y[i]);
      account(step.lambda[i], now_.lambda[i]);
      account(step.mu[i], now_.mu[i]);
      account(step.s[i], now_.s[i]);
    }
    account(step.z, now_.z);
    account(step.zeta, now_.zeta);
    over = std::max(over, largest(n_, [&](std::size_t j) {
                      return kShy * std::max({-step.xi[j] / now_.xi[j], -step.eta[j] / now_.eta[j],
                                              -step.x[j] / (now_.x[j] - f_.least[j]),
                                              step.x[j] / (f_.most[j] - now_.x[j])});
                    }));
    return 1 / over;
  }

  /// Goes a share of a step from where it stood.
  void go(const Unknowns& from, const Unknowns& step, double share) {
    forEach(n_, [&](std::size_t j) {
      now_.x[j] = from.x[j] + share * step.x[j];
      now_.xi[j] = from.xi[j] + share * step.xi[j];
      now_.eta[j] = from.eta[j] + share * step.eta[j];
    });
    now_.y = from.y + share * step.y;
    now_.lambda = from.lambda + share * step.lambda;
    now_.mu = from.mu + share * step.mu;
    now_.s = from.s + share * step.s;
    now_.z = from.z + share * step.z;
    now_.zeta = from.zeta + share * step.zeta;
  }

  /// One Newton step, shortened until everything stays positive and the residual falls.
  void advance(double relaxation) {
    const double before = residual(relaxation).square;
    const Unknowns step = newtonStep(relaxation);
    const Unknowns from = now_;
    double share = longest(step);
    constexpr int kMostHalvings = 50;
    for (int halving = 0; halving < kMostHalvings; ++halving, share *= 0.5) {
      go(from, step, share);
      if (residual(relaxation).square < before) break;
    }
  }

  const Approximation& f_;
  std::size_t n_;
  Eigen::Index m_;
  Unknowns now_;
};

}  // namespace

std::vector<double> updateByAsymptotes(std::span<const double> x, const AsymptotesProblem& problem,
                                       const AsymptotesOptions& options, AsymptotesState& state) {
  validate(x, problem, options, state);
  moveAsymptotes(x, state);
  std::vector<double> next = InteriorPoint(approximate(x, problem, options.move, state)).solve();
  state.earlier = std::move(state.previous);
  state.previous.assign(x.begin(), x.end());
  return next;
}

}  // namespace barelattice
