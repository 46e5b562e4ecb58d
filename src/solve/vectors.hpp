// Sums and updates over long vectors, in blocks that do not depend on the number of threads.
#pragma once

#include <cstddef>
#include <span>
#include <utility>

namespace barelattice {

/// a^T b.
double dot(std::span<const double> a, std::span<const double> b);

/// a^T b and a^T c, summed in double precision.
std::pair<double, double> dots(std::span<const float> a, std::span<const float> b, std::span<const float> c);

/// p = z + beta p.
void combine(std::span<const float> z, float beta, std::span<float> p);

/// u += alpha p, r -= alpha q.
void advance(double alpha, std::span<const float> p, std::span<const float> q, std::span<double> u,
             std::span<float> r);

/// q = y. @return p^T y and r^T p of these entries.
std::pair<double, double> storeProduct(const double* y, const float* p, const float* r, float* q,
                                       std::size_t count);

}  // namespace barelattice
