#include "projection.hpp"

#include <algorithm>

#include "base/simd.hpp"

namespace barelattice {
namespace {

/// Weight of coarse corner `coarse` at corner `corner` of child `child`.
template <int D>
double childWeight(int child, int corner, int coarse) {
  double weight = 1;
  for (int i = 0; i < D; ++i) {
    const int position = (child >> i & 1) + (corner >> i & 1);  // 0, 1 or 2 halves along the axis
    const int far = coarse >> i & 1;
    weight *= position == 1 ? 0.5 : (position == 2) == (far == 1) ? 1.0 : 0.0;
  }
  return weight;
}

template <int D>
struct ChildWeights {
  double w[kCorners<D>][kCorners<D>][kCorners<D>];  // [child][corner][coarse]
  ChildWeights() {
    for (int child = 0; child < kCorners<D>; ++child)
      for (int corner = 0; corner < kCorners<D>; ++corner)
        for (int coarse = 0; coarse < kCorners<D>; ++coarse)
          w[child][corner][coarse] = childWeight<D>(child, corner, coarse);
  }
};

/// out = in P, column by column; two thirds of the weights are zero.
template <int D>
BARELATTICE_INLINE void combineColumns(const ChildWeights<D>& weights, int child, const double* in,
                                       double* out) {
  constexpr int kPerCorner = D * kCellDofs<D>;
  std::fill_n(out, kCorners<D> * kPerCorner, 0.0);
  for (int corner = 0; corner < kCorners<D>; ++corner)
    for (int coarse = 0; coarse < kCorners<D>; ++coarse) {
      const double weight = weights.w[child][corner][coarse];
      if (weight == 0) continue;
      for (int i = 0; i < kPerCorner; ++i)
        out[coarse * kPerCorner + i] += weight * in[corner * kPerCorner + i];
    }
}

#define BARELATTICE_KERNELS(D)                                                                         \
  BARELATTICE_DISPATCH void combineKernel(const ChildWeights<D>& weights, int child, const double* in, \
                                          double* out) {                                               \
    combineColumns<D>(weights, child, in, out);                                                        \
  }
BARELATTICE_KERNELS(2)
BARELATTICE_KERNELS(3)
#undef BARELATTICE_KERNELS

}  // namespace

template <int D>
void addProjected(const CellMatrix<D>& k, int child, CellMatrix<D>& sum) {
  static const ChildWeights<D> weights;
  CellMatrix<D> right;
  CellMatrix<D> both;
  combineKernel(weights, child, k.data(), right.data());  // K P
  const CellMatrix<D> turned = right.transpose();         // P^T K, K being symmetric
  combineKernel(weights, child, turned.data(), both.data());
  sum += both;
}

template void addProjected<2>(const CellMatrix<2>&, int, CellMatrix<2>&);
template void addProjected<3>(const CellMatrix<3>&, int, CellMatrix<3>&);

}  // namespace barelattice
