#include "barelattice/layout/layout_map.hpp"

#include <algorithm>

#include "barelattice/base/parallel.hpp"

namespace barelattice {

const std::vector<double>& LayoutChain::forward(std::span<const double> variables) {
  fields_.resize(maps_.size() + 1);
  fields_.front().resize(variables.size());
  forEach(variables.size(), [&](std::size_t i) { fields_.front()[i] = variables[i]; });

  for (std::size_t m = 0; m < maps_.size(); ++m) {
    fields_[m + 1].resize(variables.size());
    maps_[m]->forward(fields_[m], fields_[m + 1]);
  }
  return fields_.back();
}

std::vector<double> LayoutChain::backward(std::span<const double> gradient) const {
  if (maps_.empty()) return {gradient.begin(), gradient.end()};
  std::vector<double> outer;
  std::vector<double> inner;
  for (std::size_t m = maps_.size(); m-- > 0;) {
    inner.resize(gradient.size());
    maps_[m]->backward(fields_[m], fields_[m + 1], m + 1 == maps_.size() ? gradient : outer, inner);
    std::swap(outer, inner);
  }
  return outer;
}

}  // namespace barelattice
