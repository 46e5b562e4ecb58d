#include "projection.hpp"

#include <array>

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
  std::array<std::array<std::array<double, kCorners<D>>, kCorners<D>>, kCorners<D>>
      w{};  // [child][corner][coarse]
  ChildWeights() {
    for (int child = 0; child < kCorners<D>; ++child)
      for (int corner = 0; corner < kCorners<D>; ++corner)
        for (int coarse = 0; coarse < kCorners<D>; ++coarse)
          w[static_cast<std::size_t>(child)][static_cast<std::size_t>(corner)]
           [static_cast<std::size_t>(coarse)] = childWeight<D>(child, corner, coarse);
  }
};

}  // namespace

template <int D>
void addProjected(const CellMatrix<D>& k, int child, CellMatrix<D>& sum) {
  static const ChildWeights<D> weights;
  const auto& w = weights.w[static_cast<std::size_t>(child)];
  CellMatrix<D> right = CellMatrix<D>::Zero();  // K P; two thirds of the weights are zero
  for (int b = 0; b < kCorners<D>; ++b)
    for (int coarse = 0; coarse < kCorners<D>; ++coarse) {
      const double weight = w[static_cast<std::size_t>(b)][static_cast<std::size_t>(coarse)];
      if (weight != 0) right.template middleCols<D>(D * coarse) += weight * k.template middleCols<D>(D * b);
    }
  for (int a = 0; a < kCorners<D>; ++a)
    for (int coarse = 0; coarse < kCorners<D>; ++coarse) {
      const double weight = w[static_cast<std::size_t>(a)][static_cast<std::size_t>(coarse)];
      if (weight != 0) sum.template middleRows<D>(D * coarse) += weight * right.template middleRows<D>(D * a);
    }
}

template void addProjected<2>(const CellMatrix<2>&, int, CellMatrix<2>&);
template void addProjected<3>(const CellMatrix<3>&, int, CellMatrix<3>&);

}  // namespace barelattice
