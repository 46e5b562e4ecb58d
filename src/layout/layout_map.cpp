#include "barelattice/layout/layout_map.hpp"

#include <algorithm>

#include "base/check.hpp"

namespace barelattice {

void LayoutChain::append(std::shared_ptr<const LayoutMap> map) {
  requireGiven("map", map);
  maps_.push_back(std::move(map));
}

std::vector<double> LayoutChain::forward(std::span<const double> in) const {
  std::vector<double> field;
  if (maps_.empty()) field.assign(in.begin(), in.end());
  for (std::size_t m = 0; m < maps_.size(); ++m) {
    std::vector<double> next(in.size());
    maps_[m]->forward(m == 0 ? in : field, next);
    field = std::move(next);
  }
  return field;
}

bool LayoutChain::readsInput() const {
  return std::any_of(maps_.begin(), maps_.end(),
                     [](const auto& map) { return map->reads() != LayoutMap::Reads::nothing; });
}

/// The input of each map and the output of the last one, as far as the way back reads them; entry 0, the
/// chain's own input, stays empty.
std::vector<std::vector<double>> LayoutChain::between(std::span<const double> in) const {
  std::vector<std::vector<double>> fields(maps_.size() + 1);
  std::vector<bool> needed(fields.size(), false);
  for (std::size_t m = 0; m < maps_.size(); ++m) {
    if (maps_[m]->reads() != LayoutMap::Reads::nothing) needed[m] = true;
    if (maps_[m]->reads() == LayoutMap::Reads::both) needed[m + 1] = true;
  }
  const auto last =
      static_cast<std::size_t>(std::find(needed.rbegin(), needed.rend() - 1, true) - needed.rbegin());
  const std::size_t end = needed.size() - 1 - last;  // the last field that is needed; 0 for none
  for (std::size_t m = 0; m < end; ++m) {
    fields[m + 1].resize(in.size());
    maps_[m]->forward(m == 0 ? in : fields[m], fields[m + 1]);
    if (m > 0 && !needed[m]) fields[m] = {};
  }
  return fields;
}

std::vector<double> LayoutChain::backward(std::span<const double> in,
                                          std::span<const double> gradient) const {
  if (readsInput()) requireCount("in", in.size(), gradient.size(), "derivatives");
  if (maps_.empty()) return {gradient.begin(), gradient.end()};
  const std::vector<std::vector<double>> fields = between(in);
  std::vector<double> outer;
  for (std::size_t m = maps_.size(); m-- > 0;) {
    std::vector<double> inner(gradient.size());
    maps_[m]->backward(m == 0 ? in : fields[m], fields[m + 1], m + 1 == maps_.size() ? gradient : outer,
                       inner);
    outer = std::move(inner);
  }
  return outer;
}

}  // namespace barelattice
