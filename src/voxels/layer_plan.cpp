#include "layer_plan.hpp"

#include <algorithm>

namespace barelattice {
namespace {

/// Layers of a slab: nodes between slabs pass through memory once more, so thicker ones are better, while
/// there are eight to spread over threads, sixteen on large grids.
std::size_t slabThickness(std::size_t layers) {
  constexpr std::size_t kLeast = 4;
  constexpr std::size_t kEnough = 10;
  return std::clamp(layers / 8, kLeast, std::max(kEnough, layers / 16));
}

/// Room behind each component of a buffer, so that whole vectors may be stored at its end.
constexpr std::size_t kPadding = 32;

/// The axis of a node's layer number: the longer one, so that flat domains still have layers to spread.
template <int D>
std::size_t layerAxis(const Index<D>& cells) {
  std::size_t axis = D - 1;
  for (std::size_t i = 1; i + 1 < D; ++i)
    if (cells[i] > cells[axis]) axis = i;
  return axis;
}

}  // namespace

template <int D>
LayerPlan<D>::LayerPlan(const Grid<D>& grid) : axis_(layerAxis<D>(grid.frame().cells)) {
  const auto layers = static_cast<std::size_t>(grid.frame().cells[axis_]);
  const auto layerOf = [&](std::size_t node) {
    return static_cast<std::size_t>(grid.nodeIndex(node)[axis_]);
  };

  // Nodes: stretches in the order of their numbers, sorted by layer.
  std::vector<std::vector<Stretch>> byLayer(layers + 1);
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    auto& stretches = byLayer[layerOf(n)];
    if (n > 0 && layerOf(n - 1) == layerOf(n))
      ++stretches.back().count;
    else
      stretches.push_back({n, 1, stretches.empty() ? 0 : stretches.back().place + stretches.back().count});
  }
  stretchStart_.push_back(0);
  for (const auto& stretches : byLayer) {
    stretches_.insert(stretches_.end(), stretches.begin(), stretches.end());
    stretchStart_.push_back(stretches_.size());
    if (!stretches.empty()) stride_ = std::max(stride_, stretches.back().place + stretches.back().count);
  }
  stride_ += kPadding;

  for (unsigned row = 0; row < kRows; ++row)
    if (row >> (axis_ - 1) & 1U) upperRows_ |= 1U << row;
  std::vector<std::vector<Run>> runs(layers);
  for (const CellRun<D>& run : grid.runs()) {
    const auto layer = static_cast<std::size_t>(grid.cellIndex(static_cast<std::size_t>(run.cell))[axis_]);
    Run planned{run.cell, run.length, run.rows, {}};
    for (std::size_t r = 0; r < kRows; ++r)
      planned.places[r] =
          static_cast<int>(place(layer + (upperRows_ >> r & 1U), static_cast<std::size_t>(run.rows[r])));
    runs[layer].push_back(planned);
  }
  runStart_.push_back(0);
  for (const auto& layer : runs) {
    runs_.insert(runs_.end(), layer.begin(), layer.end());
    runStart_.push_back(runs_.size());
  }

  const std::size_t thickness = slabThickness(layers);
  for (std::size_t l = 0; l < layers; l += thickness) slabs_.push_back(l);
  slabs_.push_back(layers);
}

template <int D>
std::span<const typename LayerPlan<D>::Run> LayerPlan<D>::runs(std::size_t layer) const {
  return {runs_.data() + runStart_[layer], runStart_[layer + 1] - runStart_[layer]};
}

template <int D>
std::span<const typename LayerPlan<D>::Stretch> LayerPlan<D>::stretches(std::size_t layer) const {
  return {stretches_.data() + stretchStart_[layer], stretchStart_[layer + 1] - stretchStart_[layer]};
}

template <int D>
std::size_t LayerPlan<D>::place(std::size_t layer, std::size_t node) const {
  const auto of = stretches(layer);
  const auto after = std::upper_bound(of.begin(), of.end(), node,
                                      [](std::size_t n, const Stretch& s) { return n < s.begin; });
  return (after - 1)->place + node - (after - 1)->begin;
}

template class LayerPlan<2>;
template class LayerPlan<3>;

}  // namespace barelattice
