#include "barelattice/optimise/moving_asymptotes.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

// How far asymptotes start, and how they close in and move out: the rule and its numbers are those Svanberg
// recommends (2007, MMA and GCMMA - two methods for nonlinear optimization, KTH Stockholm, section 3).
constexpr double kStart = 0.5;
constexpr double kCloser = 0.7;
constexpr double kFarther = 1.2;
constexpr double kNearest = 0.01;
constexpr double kFarthest = 10;
// Common practice, in none of the texts proved best.
constexpr double kWithin = 0.1;      // steps stay this share away from the asymptotes
constexpr double kBothSides = 1e-3;  // share of a slope that both asymptotes push against
constexpr double kConvexity = 1e-2;  // of the mean slope, where there is none: every approximation is
                                     // strictly convex, however many variables share the function
constexpr double kFlat = 1e-14;      // the same of a function without any slope
constexpr double kPenalty = 1000;    // on the slack of limits that cannot be met

template <class Term>
double sum(std::size_t n, const Term& term) {
  return sumBlocks(n, [&](std::size_t begin, std::size_t end) {
    double s = 0;
    for (std::size_t j = begin; j < end; ++j) s += term(j);
    return s;
  });
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
    const auto slope = [&](std::size_t j) {
      return none ? 0 : i == 0 ? problem.goalGradient[j] : problem.limitGradients[i - 1][j];
    };
    const double mean = sum(n, [&](std::size_t j) { return std::abs(slope(j)); }) / static_cast<double>(n);
    const double least = std::max(kConvexity * mean, kFlat);
    forEach(n, [&](std::size_t j) {
      const double g = slope(j);
      const double above = (s.high[j] - x[j]) * (s.high[j] - x[j]);
      const double below = (x[j] - s.low[j]) * (x[j] - s.low[j]);
      // The slopes of both terms at x differ by g, whatever is added to both.
      const double both = kBothSides * std::abs(g) + least;
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

/// The optimum of the approximation,
///   minimise  goal(x) + z + sum_i (c y_i + y_i^2 / 2)   subject to   g_i(x) - a_i z - y_i <= b_i,  y, z >=
///   0,
/// by its dual (Svanberg 1987, section 4). For multipliers l the least of the Lagrange function is found
/// variable by variable: with P = p_0 + sum_i l_i p_i and Q likewise, x_j is where
///   P / (high - x)^2 = Q / (x - low)^2,   x = (sqrt(P) low + sqrt(Q) high) / (sqrt(P) + sqrt(Q)),
/// or the bound that is in its way; y_i = max(0, l_i - c), and z stays finite only where a^T l <= 1. What is
/// left to maximise is concave and of as many unknowns as there are limits,
///   W(l) = sum_j (P / (high - x) + Q / (x - low)) - b^T l - sum_i y_i^2 / 2,   l >= 0,  a^T l <= 1,
///   dW/dl_i = g_i(x) - b_i - y_i,   d2W/dl_i dl_k = -sum_j G_ij G_kj / D_j - [i = k, y_i > 0],
/// with G_ij = dg_i/dx_j, D_j = 2 P / (high - x)^3 + 2 Q / (x - low)^3 and sums over what is on no bound. It
/// is found with logarithmic barriers, Newton's method on each (Boyd & Vandenberghe 2004, section 11.3):
/// every step is one pass over the variables, whatever the number of limits.
class Dual {
 public:
  explicit Dual(const Approximation& problem) : f_(problem), n_(problem.low.size()), m_(problem.b.size()) {
    const double shared = f_.a.sum();
    lambda_.resize(m_);
    for (Eigen::Index i = 0; i < m_; ++i) lambda_[i] = f_.a[i] > 0 ? 0.5 / shared : 1;
  }

  std::vector<double> solve() {
    constexpr double kFirst = 0.1;
    constexpr double kLast = 1e-9;
    constexpr double kLower = 0.05;
    constexpr int kMostSteps = 40;  // on each barrier; a few are usual
    for (double barrier = kFirst; m_ > 0 && barrier > kLast; barrier *= kLower)
      for (int step = 0; step < kMostSteps && advance(barrier); ++step) {
      }
    std::vector<double> x(n_);
    forEach(n_, [&](std::size_t j) { x[j] = at(j, lambda_).x; });
    return x;
  }

 private:
  struct Variable {
    double p, q, x;
    bool bound;  // x is on one
  };
  struct Dualled {
    double value = 0;
    Eigen::VectorXd slope;
    Eigen::MatrixXd curvature;  // of -W
  };

  Variable at(std::size_t j, const Eigen::VectorXd& lambda) const {
    Variable v{f_.p[0][j], f_.q[0][j], 0, true};
    for (Eigen::Index i = 0; i < m_; ++i) {
      v.p += lambda[i] * f_.p[static_cast<std::size_t>(i) + 1][j];
      v.q += lambda[i] * f_.q[static_cast<std::size_t>(i) + 1][j];
    }
    const double rootP = std::sqrt(v.p);
    const double rootQ = std::sqrt(v.q);
    v.x = (rootP * f_.low[j] + rootQ * f_.high[j]) / (rootP + rootQ);
    if (!(v.x > f_.least[j]))
      v.x = f_.least[j];
    else if (v.x >= f_.most[j])
      v.x = f_.most[j];
    else
      v.bound = false;
    return v;
  }

  Dualled dual(const Eigen::VectorXd& lambda) const {
    const auto m = static_cast<std::size_t>(m_);
    const std::size_t entries = 1 + m + m * (m + 1) / 2;
    std::vector<std::vector<double>> partial(n_ / kBlockSize + 1);
    forEachBlock(n_, [&](std::size_t begin, std::size_t end) {
      std::vector<double>& sums = partial[begin / kBlockSize];
      sums.assign(entries, 0.0);
      std::vector<double> slopes(m);
      for (std::size_t j = begin; j < end; ++j) {
        const Variable v = at(j, lambda);
        const double above = 1 / (f_.high[j] - v.x);
        const double below = 1 / (v.x - f_.low[j]);
        sums[0] += v.p * above + v.q * below;
        for (std::size_t i = 0; i < m; ++i) {
          sums[1 + i] += f_.p[i + 1][j] * above + f_.q[i + 1][j] * below;
          slopes[i] = f_.p[i + 1][j] * above * above - f_.q[i + 1][j] * below * below;
        }
        if (v.bound) continue;
        const double curved = 1 / (2 * (v.p * above * above * above + v.q * below * below * below));
        std::size_t entry = 1 + m;
        for (std::size_t i = 0; i < m; ++i)
          for (std::size_t k = 0; k <= i; ++k) sums[entry++] += slopes[i] * slopes[k] * curved;
      }
    });
    std::vector<double> all(entries, 0.0);
    for (const std::vector<double>& sums : partial)
      for (std::size_t e = 0; e < sums.size(); ++e) all[e] += sums[e];
    Dualled found;
    const Eigen::VectorXd y = (lambda.array() - kPenalty).max(0.0).matrix();
    found.value = all[0] - f_.b.dot(lambda) - 0.5 * y.squaredNorm();
    found.slope = Eigen::Map<const Eigen::VectorXd>(all.data() + 1, m_) - f_.b - y;
    found.curvature.resize(m_, m_);
    std::size_t entry = 1 + m;
    for (Eigen::Index i = 0; i < m_; ++i)
      for (Eigen::Index k = 0; k <= i; ++k)
        found.curvature(i, k) = found.curvature(k, i) = all[entry++] + (i == k && y[i] > 0 ? 1 : 0);
    return found;
  }

  /// What a^T l lacks to one; one where no limit has a share.
  double room(const Eigen::VectorXd& lambda) const { return 1 - f_.a.dot(lambda); }
  double barred(const Dualled& found, const Eigen::VectorXd& lambda, double barrier) const {
    return found.value + barrier * (lambda.array().log().sum() + std::log(room(lambda)));
  }

  /// One step of Newton's method, shortened until W with its barriers grows. @return whether it is worth
  /// another.
  bool advance(double barrier) {
    constexpr double kDone = 1e-3;  // of the barrier: what the step would gain
    constexpr double kShy = 0.95;   // of the way to the boundary
    constexpr int kMostHalvings = 30;
    if (!(known_.slope.size() == m_)) known_ = dual(lambda_);
    const double free = room(lambda_);
    const Eigen::VectorXd slope = known_.slope + barrier * (lambda_.cwiseInverse() - f_.a / free).eval();
    Eigen::MatrixXd curvature = known_.curvature + barrier / (free * free) * f_.a * f_.a.transpose();
    curvature.diagonal() += barrier * lambda_.array().square().inverse().matrix();
    const Eigen::VectorXd step = curvature.ldlt().solve(slope);
    const double gain = slope.dot(step);
    if (!(gain > kDone * barrier)) return false;
    double over = 1;
    for (Eigen::Index i = 0; i < m_; ++i) over = std::max(over, -step[i] / (kShy * lambda_[i]));
    over = std::max(over, f_.a.dot(step) / (kShy * free));
    const double before = barred(known_, lambda_, barrier);
    double share = 1 / over;
    for (int halving = 0; halving < kMostHalvings; ++halving, share *= 0.5) {
      const Eigen::VectorXd next = lambda_ + share * step;
      Dualled found = dual(next);
      if (!(barred(found, next, barrier) > before)) continue;
      lambda_ = next;
      known_ = std::move(found);
      return true;
    }
    return false;
  }

  const Approximation& f_;
  std::size_t n_;
  Eigen::Index m_;
  Eigen::VectorXd lambda_;
  Dualled known_;  // at lambda_
};

}  // namespace

std::vector<double> updateByAsymptotes(std::span<const double> x, const AsymptotesProblem& problem,
                                       const AsymptotesOptions& options, AsymptotesState& state) {
  validate(x, problem, options, state);
  moveAsymptotes(x, state);
  std::vector<double> next = Dual(approximate(x, problem, options.move, state)).solve();
  state.earlier = std::move(state.previous);
  state.previous.assign(x.begin(), x.end());
  return next;
}

}  // namespace barelattice
