#include "vectors.hpp"

#include <array>
#include <vector>

#include "base/parallel.hpp"
#include "base/simd.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kSums = 16;  // side by side, so that the compiler may keep them in a vector

double total(const double (&sums)[kSums]) {
  double sum = 0;
  for (const double part : sums) sum += part;
  return sum;
}

BARELATTICE_DISPATCH void dotsKernel(const float* a, const float* b, const float* c, std::size_t count,
                                     double (&ab)[kSums], double (&ac)[kSums]) {
  std::size_t i = 0;
  for (; i + kSums <= count; i += kSums)
    for (std::size_t k = 0; k < kSums; ++k) {
      const double x = static_cast<double>(a[i + k]);
      ab[k] += x * static_cast<double>(b[i + k]);
      ac[k] += x * static_cast<double>(c[i + k]);
    }
  for (; i < count; ++i) {
    ab[0] += static_cast<double>(a[i]) * static_cast<double>(b[i]);
    ac[0] += static_cast<double>(a[i]) * static_cast<double>(c[i]);
  }
}

BARELATTICE_DISPATCH void combineKernel(const float* z, float beta, float* p, std::size_t count) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) p[i] = z[i] + beta * p[i];
}

BARELATTICE_DISPATCH void advanceKernel(double alpha, const float* p, const float* q, double* u, float* r,
                                        std::size_t count) {
  const auto single = static_cast<float>(alpha);
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) {
    u[i] += alpha * static_cast<double>(p[i]);
    r[i] -= single * q[i];
  }
}

BARELATTICE_DISPATCH void productKernel(const double* y, const float* p, const float* r, float* q,
                                        std::size_t count, double (&py)[kSums], double (&rp)[kSums]) {
  std::size_t i = 0;
#pragma GCC ivdep
  for (; i + kSums <= count; i += kSums)
    for (std::size_t k = 0; k < kSums; ++k) {
      const double x = static_cast<double>(p[i + k]);
      py[k] += x * y[i + k];
      rp[k] += x * static_cast<double>(r[i + k]);
      q[i + k] = static_cast<float>(y[i + k]);
    }
  for (; i < count; ++i) {
    py[0] += static_cast<double>(p[i]) * y[i];
    rp[0] += static_cast<double>(p[i]) * static_cast<double>(r[i]);
    q[i] = static_cast<float>(y[i]);
  }
}

}  // namespace

double dot(std::span<const double> a, std::span<const double> b) {
  return sumBlocks(a.size(), [&](std::size_t begin, std::size_t end) {
    double sum = 0;
    for (std::size_t i = begin; i < end; ++i) sum += a[i] * b[i];
    return sum;
  });
}

std::pair<double, double> dots(std::span<const float> a, std::span<const float> b, std::span<const float> c) {
  std::vector<double> second((a.size() + kBlockSize - 1) / kBlockSize);
  const double first = sumBlocks(a.size(), [&](std::size_t begin, std::size_t end) {
    double ab[kSums] = {};
    double ac[kSums] = {};
    dotsKernel(a.data() + begin, b.data() + begin, c.data() + begin, end - begin, ab, ac);
    second[begin / kBlockSize] = total(ac);
    return total(ab);
  });
  double sum = 0;
  for (const double part : second) sum += part;
  return {first, sum};
}

void combine(std::span<const float> z, float beta, std::span<float> p) {
  forEachBlock(z.size(), [&](std::size_t begin, std::size_t end) {
    combineKernel(z.data() + begin, beta, p.data() + begin, end - begin);
  });
}

void advance(double alpha, std::span<const float> p, std::span<const float> q, std::span<double> u,
             std::span<float> r) {
  forEachBlock(p.size(), [&](std::size_t begin, std::size_t end) {
    advanceKernel(alpha, p.data() + begin, q.data() + begin, u.data() + begin, r.data() + begin, end - begin);
  });
}

std::pair<double, double> storeProduct(const double* y, const float* p, const float* r, float* q,
                                       std::size_t count) {
  double py[kSums] = {};
  double rp[kSums] = {};
  productKernel(y, p, r, q, count, py, rp);
  return {total(py), total(rp)};
}

}  // namespace barelattice
