// One pass over a grid in the order of its LayerPlan.
#pragma once

#include <algorithm>
#include <memory>
#include <vector>

#include "base/parallel.hpp"
#include "layer_plan.hpp"

namespace barelattice {

/// @param fields how many vectors are worked on together. Their buffers follow each other, D stride() apart.
/// @param accumulate (layer, low, high): adds what a layer of cells contributes to the buffers of the nodes
///   below and above it.
/// @param finish (layer, buffer): called once a layer of nodes has all its contributions.
template <int D, class Real, class Accumulate, class Finish>
void sweepLayers(const LayerPlan<D>& plan, std::size_t fields, const Accumulate& accumulate,
                 const Finish& finish) {
  const std::size_t size = fields * D * plan.stride();
  const std::vector<std::size_t>& slabs = plan.slabs();
  const std::size_t count = slabs.size() - 1;
  // What meets between slabs, from below and from above.
  const auto shared = std::make_unique_for_overwrite<Real[]>(2 * (count - 1) * size);
  const auto fromBelow = [&](std::size_t slab) { return shared.get() + 2 * slab * size; };
  const auto fromAbove = [&](std::size_t slab) { return shared.get() + (2 * slab - 1) * size; };

  runTasks(count, [&](std::size_t slab) {
    thread_local std::vector<Real> scratch;
    if (scratch.size() < 2 * size) scratch.resize(2 * size);
    std::array<Real*, 2> own{scratch.data(), scratch.data() + size};
    Real* low = slab > 0 ? fromAbove(slab) : own[0];
    std::fill_n(low, size, Real{0});
    for (std::size_t layer = slabs[slab]; layer < slabs[slab + 1]; ++layer) {
      const bool last = layer + 1 == slabs[slab + 1];
      Real* high = last && slab + 1 < count ? fromBelow(slab) : own[low == own[0] ? 1 : 0];
      std::fill_n(high, size, Real{0});
      accumulate(layer, low, high);
      if (layer > slabs[slab] || slab == 0) finish(layer, low);
      low = high;
    }
    if (slab + 1 == count) finish(slabs[slab + 1], low);
  });

  runTasks(count - 1, [&](std::size_t slab) {
    const Real* below = fromBelow(slab);
    Real* sum = fromAbove(slab + 1);
    for (std::size_t i = 0; i < size; ++i) sum[i] += below[i];
    finish(slabs[slab + 1], sum);
  });
}

/// Calls the visitor for each stretch of a finished layer of one vector.
template <int D, class Real>
void visitLayer(const LayerPlan<D>& plan, std::size_t field, std::size_t layer, const Real* buffer,
                const LayerVisitor<D, Real>& visit) {
  const auto stretches = plan.stretches(layer);
  for (std::size_t s = 0; s < stretches.size(); ++s) {
    SweptNodes<D, Real> nodes{field, plan.firstPart(layer) + s, stretches[s].begin, stretches[s].count, {}};
    for (std::size_t c = 0; c < D; ++c) nodes.y[c] = buffer + c * plan.stride() + stretches[s].place;
    visit(nodes);
  }
}

}  // namespace barelattice
