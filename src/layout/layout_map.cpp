#include "barelattice/layout/layout_map.hpp"

namespace barelattice {

const std::vector<double>& LayoutChain::forward(std::span<const double> variables) {
  fields_.resize(maps_.size() + 1);
  fields_.front().assign(variables.begin(), variables.end());
  for (std::size_t m = 0; m < maps_.size(); ++m) {
    fields_[m + 1].resize(variables.size());
    maps_[m]->forward(fields_[m], fields_[m + 1]);
  }
  return fields_.back();
}

std::vector<double> LayoutChain::backward(std::span<const double> gradient) const {
  std::vector<double> outer(gradient.begin(), gradient.end());
  std::vector<double> inner(outer.size());
  for (std::size_t m = maps_.size(); m-- > 0;) {
    maps_[m]->backward(fields_[m], outer, inner);
    std::swap(outer, inner);
  }
  return outer;
}

}  // namespace barelattice
