#include "measures.hpp"

#include <Eigen/CholmodSupport>
#include <cmath>
#include <limits>
#include <map>

#include "base/parallel.hpp"
#include "support/direct.hpp"

namespace barelattice::bench {
namespace {

/// Squared distances, in cells, from each cell of a box to the nearest one where `set` is not zero: exact,
/// axis by axis through lower envelopes of parabolas (Felzenszwalb & Huttenlocher 2012).
template <int D>
std::vector<double> squaredDistances(const Index<D>& cells, const std::vector<std::uint8_t>& set) {
  constexpr double kFar = 1e12;
  std::vector<double> distance(set.size());
  for (std::size_t i = 0; i < set.size(); ++i) distance[i] = set[i] ? 0 : kFar;
  std::size_t stride = 1;
  for (std::size_t axis = 0; axis < D; ++axis) {
    const auto n = static_cast<std::size_t>(cells[axis]);
    runTasks(set.size() / n, [&](std::size_t line) {
      const std::size_t first = line / stride * stride * n + line % stride;
      std::vector<double> row(n);
      for (std::size_t i = 0; i < n; ++i) row[i] = distance[first + i * stride];
      std::vector<std::size_t> parabola(n);
      std::vector<double> from(n + 1);
      std::size_t last = 0;
      from[0] = -std::numeric_limits<double>::infinity();
      for (std::size_t q = 1; q < n; ++q) {
        const auto meets = [&](std::size_t p) {
          const auto x = static_cast<double>(q);
          const auto y = static_cast<double>(p);
          return (row[q] - row[p] + x * x - y * y) / (2 * (x - y));
        };
        double at = meets(parabola[last]);
        while (last > 0 && at <= from[last]) at = meets(parabola[--last]);
        parabola[++last] = q;
        from[last] = at;
      }
      for (std::size_t q = 0, k = 0; q < n; ++q) {
        while (k < last && from[k + 1] < static_cast<double>(q)) ++k;
        const double x = static_cast<double>(q) - static_cast<double>(parabola[k]);
        distance[first + q * stride] = std::min(kFar, row[parabola[k]] + x * x);
      }
    });
    stride *= n;
  }
  return distance;
}

}  // namespace

template <int D>
double directGoal(const LayoutProblem<D>& problem, const std::vector<double>& density) {
  const StiffnessLaw law;
  std::vector<double> shares(density.size());
  for (std::size_t c = 0; c < shares.size(); ++c)
    shares[c] = problem.fill[c] * (problem.modulus.empty() ? 1 : problem.modulus[c]) * law.share(density[c]);
  double sum = 0;
  double worst = 0;
  std::vector<bool> done(problem.cases.size(), false);
  for (std::size_t first = 0; first < done.size(); ++first) {
    if (done[first]) continue;
    VoxelOperator<D> a(problem.grid, problem.material.poisson, problem.cases[first].supports);
    a.setScales(shares);
    const double scale = problem.material.modulus * std::pow(problem.grid.frame().size, D - 2);
    const Eigen::CholmodSupernodalLLT<Eigen::SparseMatrix<double>> direct(testing::assembled(a));
    for (std::size_t k = first; k < done.size(); ++k) {
      if (!problem.cases[k].standsAs(problem.cases[first])) continue;
      done[k] = true;
      std::vector<double> f(a.size(), 0.0);
      for (const auto& [dof, force] : problem.cases[k].force) f[dof] = force;
      a.template project<double>(f);
      const Eigen::Map<const Eigen::VectorXd> load(f.data(), static_cast<Eigen::Index>(f.size()));
      const double compliance =
          problem.cases[k].weight * load.dot(Eigen::VectorXd(direct.solve(load))) / scale;
      sum += compliance;
      worst = std::max(worst, compliance);
    }
  }
  return problem.goal.form == GoalForm::worst ? worst : sum;
}

template <int D>
double thinShare(const LayoutProblem<D>& problem, const std::vector<double>& level, double threshold,
                 double diameter, int fine) {
  const Grid<D>& grid = problem.grid;
  const int pad = static_cast<int>(std::ceil(0.5 * diameter * fine)) + 1;
  Index<D> cells = grid.frame().cells;
  std::size_t count = 1;
  for (int& n : cells) {
    n = n * fine + 2 * pad;
    count *= static_cast<std::size_t>(n);
  }
  std::vector<std::uint8_t> solid(count, 0);
  std::vector<std::uint8_t> empty(count, 1);
  std::vector<std::uint8_t> counted(count, 0);
  std::vector<std::uint8_t> outside(count, 1);
  std::vector<Index<D>> at;
  forEachIndex<D>(cells, [&](const Index<D>& index) { at.push_back(index); });
  forEach(count, [&](std::size_t i) {
    Index<D> own{};  // the cell the sample lies in
    Index<D> low{};  // the lowest of the cells whose centres are round it
    Point<D> share;  // how far it lies from there to the next
    for (std::size_t a = 0; a < D; ++a) {
      const double x = (at[i][a] - pad + 0.5) / fine;
      own[a] = static_cast<int>(std::floor(x));
      low[a] = static_cast<int>(std::floor(x - 0.5));
      share[static_cast<Eigen::Index>(a)] = x - 0.5 - low[a];
    }
    const int cell = grid.cellAt(own);
    if (cell < 0) return;
    const auto c = static_cast<std::size_t>(cell);
    outside[i] = 0;
    double value = 0;
    for (int corner = 0; corner < kCorners<D>; ++corner) {
      Index<D> other = low;
      double weight = 1;
      for (std::size_t a = 0; a < D; ++a) {
        const int bit = corner >> a & 1;
        other[a] += bit;
        weight *= bit ? share[static_cast<Eigen::Index>(a)] : 1 - share[static_cast<Eigen::Index>(a)];
      }
      const int there = grid.cellAt(other);
      value += weight * level[there < 0 ? c : static_cast<std::size_t>(there)];
    }
    solid[i] = problem.keep[c] || value >= threshold;
    empty[i] = !solid[i];
    counted[i] = !problem.keep[c] && !problem.attached[c];
  });
  const double radius = 0.5 * diameter * fine;
  const auto opened = [&](const std::vector<std::uint8_t>& none) {
    const std::vector<double> depth = squaredDistances<D>(cells, none);
    std::vector<std::uint8_t> core(count);
    // A sample lies half a step inside of the wall that is seen behind the next one.
    for (std::size_t i = 0; i < count; ++i) core[i] = std::sqrt(depth[i]) - 0.5 >= radius;
    const std::vector<double> reach = squaredDistances<D>(cells, core);
    std::vector<std::uint8_t> left(count);
    for (std::size_t i = 0; i < count; ++i) left[i] = std::sqrt(reach[i]) <= radius + 0.5;
    return left;
  };
  const std::vector<std::uint8_t> left = opened(empty);
  const std::vector<std::uint8_t> space = opened(outside);  // its own edges are no thin members
  double whole = 0;
  double thin = 0;
  for (std::size_t i = 0; i < count; ++i) {
    if (!solid[i]) continue;
    whole += 1;
    if (counted[i] && space[i] && !left[i]) thin += 1;
  }
  return whole > 0 ? thin / whole : 0;
}

template double directGoal<2>(const LayoutProblem<2>&, const std::vector<double>&);
template double directGoal<3>(const LayoutProblem<3>&, const std::vector<double>&);
template double thinShare<2>(const LayoutProblem<2>&, const std::vector<double>&, double, double, int);
template double thinShare<3>(const LayoutProblem<3>&, const std::vector<double>&, double, double, int);

}  // namespace barelattice::bench
