#include "barelattice/elasticity/conjugate_gradients.hpp"

#include <cmath>
#include <deque>
#include <numeric>
#include <vector>

#include "barelattice/base/parallel.hpp"

namespace barelattice {
namespace {

/// Steps whose energy drops are added up for the error estimate. What is left after them is below the sum as
/// long as the squared error at least halves in three steps; the slowest seen (the rigger's tetrahedra, 57
/// iterations to 1e-9) falls threefold on average. A solve that stalls beyond that would be judged too
/// kindly.
constexpr std::size_t kDelay = 3;

double dot(std::span<const double> a, std::span<const double> b) {
  return sumBlocks(a.size(), [&](std::size_t begin, std::size_t end) {
    double sum = 0;
    for (std::size_t i = begin; i < end; ++i) sum += a[i] * b[i];
    return sum;
  });
}

}  // namespace

std::string describe(SolveStop stop) {
  switch (stop) {
    case SolveStop::converged:
      return "the energy error is below the tolerance";
    case SolveStop::zeroLoad:
      return "there is no load";
    case SolveStop::limit:
      return "the iteration limit was reached before the energy error was small enough";
    case SolveStop::indefinite:
      return "the stiffness is not positive definite: a piece may be free to move";
  }
  return {};
}

SolveReport solveConjugateGradients(const LinearMap& matrix, const LinearMap& preconditioner,
                                    std::span<const double> f, std::span<double> u,
                                    const SolveOptions& options) {
  const std::size_t n = f.size();
  std::vector<double> r(n), z(n), p(n), q(n), old(n);
  SolveReport report;
  const double loadNorm = std::sqrt(dot(f, f));
  if (loadNorm == 0) {
    std::fill(u.begin(), u.end(), 0.0);
    report.stop = SolveStop::zeroLoad;
    return report;
  }
  matrix(u, q);
  forEach(n, [&](std::size_t i) { r[i] = f[i] - q[i]; });  // r = f - A u
  std::deque<double> drops;
  report.stop = SolveStop::limit;
  double rz = 0;
  for (int k = 0; k < options.maxIterations; ++k) {
    preconditioner(r, z);  // z = B r
    const double rzNew = dot(r, z);
    if (rzNew < 0) {
      report.stop = SolveStop::indefinite;
      break;
    }
    if (rzNew == 0) {  // the start value was exact
      report.stop = SolveStop::converged;
      break;
    }
    const double beta = k == 0 ? 0 : (rzNew - dot(old, z)) / rz;  // z^T (r - r_old) / (r_old^T z_old)
    rz = rzNew;
    forEach(n, [&](std::size_t i) { p[i] = z[i] + beta * p[i]; });  // p = z + beta p
    matrix(p, q);                                                   // q = A p
    const double pq = dot(p, q);
    if (!(pq > 0)) {
      report.stop = SolveStop::indefinite;
      break;
    }
    const double alpha = dot(r, p) / pq;
    old = r;
    forEach(n, [&](std::size_t i) {
      u[i] += alpha * p[i];
      r[i] -= alpha * q[i];
    });
    report.iterations = k + 1;
    drops.push_back(alpha * alpha * pq);  // gamma_k, the fall of the squared energy norm of the error
    if (drops.size() > kDelay) drops.pop_front();
    const double recent = std::accumulate(drops.begin(), drops.end(), 0.0);
    report.energyError = recent / std::abs(dot(f, u));
    if (drops.size() == kDelay && report.energyError <= options.energyTolerance) {
      report.stop = SolveStop::converged;
      break;
    }
  }
  report.residual = std::sqrt(dot(r, r)) / loadNorm;
  report.work = dot(f, u) + dot(r, u);  // f^T u + (f - A u)^T u
  return report;
}

}  // namespace barelattice
