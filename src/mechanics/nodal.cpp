#include "barelattice/mechanics/nodal.hpp"

#include <algorithm>

namespace barelattice {

NodalVectors summed(NodalVectors vectors) {
  std::stable_sort(vectors.begin(), vectors.end(),
                   [](const NodalVector& a, const NodalVector& b) { return a.node < b.node; });
  NodalVectors sums;
  for (const NodalVector& v : vectors) {
    if (sums.empty() || sums.back().node != v.node)
      sums.push_back(v);
    else
      sums.back().value += v.value;
  }
  return sums;
}

}  // namespace barelattice
