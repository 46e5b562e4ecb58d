#include "stencil_operator.hpp"

#include <algorithm>

#include "base/parallel.hpp"
#include "base/simd.hpp"
#include "layer_sweep.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kNodesPerBlock = 512;

/// Longer stretches are cut, so that the entries are still in the first-level cache when they are needed the
/// second time.
constexpr std::size_t kLongest = 128;

/// Position of an offset, each coordinate -1, 0 or 1, among all.
template <int D>
std::size_t stencilPlace(const Index<D>& offset) {
  std::size_t place = 0;
  for (std::size_t i = D; i-- > 0;) place = 3 * place + static_cast<std::size_t>(offset[i] + 1);
  return place;
}

/// What a stretch of couplings works on: entries and vectors at its first nodes.
struct Stretch {
  const float* entries;
  std::size_t nodes;  // between entries, and between components of x
  const float* x;
  const float* other;
  float* y;
  float* otherY;
  std::size_t stride;  // between components of y
  std::size_t count;
};

/// y += A x of the others, then y of the others += A^T x. Two loops, because both may be the same row.
template <int D>
BARELATTICE_INLINE void addCouplings(const Stretch& given) {
  const Stretch s = given;
#pragma GCC ivdep
  for (std::size_t n = 0; n < s.count; ++n)
#pragma GCC unroll 3
    for (std::size_t i = 0; i < D; ++i) {
      float sum = 0;
#pragma GCC unroll 3
      for (std::size_t j = 0; j < D; ++j)
        sum += s.entries[(i * D + j) * s.nodes + n] * s.other[j * s.nodes + n];
      s.y[i * s.stride + n] += sum;
    }
#pragma GCC ivdep
  for (std::size_t n = 0; n < s.count; ++n)
#pragma GCC unroll 3
    for (std::size_t j = 0; j < D; ++j) {
      float sum = 0;
#pragma GCC unroll 3
      for (std::size_t i = 0; i < D; ++i) sum += s.entries[(i * D + j) * s.nodes + n] * s.x[i * s.nodes + n];
      s.otherY[j * s.stride + n] += sum;
    }
}

/// y += A x for blocks on the diagonal, kept as upper triangles.
template <int D>
BARELATTICE_INLINE void addDiagonal(const Stretch& given) {
  const Stretch s = given;
  constexpr auto kEntry = [](std::size_t i, std::size_t j) {
    const std::size_t low = std::min(i, j);
    return low * D - low * (low + 1) / 2 + std::max(i, j);
  };
#pragma GCC ivdep
  for (std::size_t n = 0; n < s.count; ++n)
#pragma GCC unroll 3
    for (std::size_t i = 0; i < D; ++i) {
      float sum = 0;
#pragma GCC unroll 3
      for (std::size_t j = 0; j < D; ++j) sum += s.entries[kEntry(i, j) * s.nodes + n] * s.x[j * s.nodes + n];
      s.y[i * s.stride + n] += sum;
    }
}

// The dispatched entry points: plain functions, because target clones cannot be templates.
BARELATTICE_DISPATCH void couplings2(const Stretch& stretch) {
  addCouplings<2>(stretch);
}
BARELATTICE_DISPATCH void couplings3(const Stretch& stretch) {
  addCouplings<3>(stretch);
}
BARELATTICE_DISPATCH void diagonal2(const Stretch& stretch) {
  addDiagonal<2>(stretch);
}
BARELATTICE_DISPATCH void diagonal3(const Stretch& stretch) {
  addDiagonal<3>(stretch);
}

}  // namespace

template <int D>
StencilOperator<D>::StencilOperator(const Grid<D>& grid)
    : grid_(grid),
      plan_(grid),
      entries_(kNeighbours * kBlock * grid.nodeCount()),
      diagonal_(static_cast<std::size_t>(D * (D + 1) / 2) * grid.nodeCount()) {
  findNeighbours();
  findCouplings();
}

template <int D>
void StencilOperator<D>::findNeighbours() {
  const auto isBehind = [&](const Index<D>& offset) {
    if (offset[plan_.axis()] != 0) return offset[plan_.axis()] > 0;
    for (std::size_t i = D; i-- > 0;)
      if (offset[i] != 0) return offset[i] > 0;
    return false;
  };
  Index<D> three{};
  three.fill(3);
  neighbourAt_.fill(-1);
  std::size_t count = 0;
  forEachIndex<D>(three, [&](Index<D> offset) {
    for (int& i : offset) --i;
    if (!isBehind(offset)) return;
    neighbourAt_[stencilPlace<D>(offset)] = static_cast<int>(count);
    offsets_[count++] = offset;
  });
}

template <int D>
void StencilOperator<D>::findCouplings() {
  couplingStart_.push_back(0);
  for (std::size_t layer = 0; layer <= plan_.layerCount(); ++layer) {
    for (std::size_t s = 0; s < kNeighbours; ++s)
      for (const auto& stretch : plan_.stretches(layer))
        for (std::size_t i = 0; i < stretch.count; ++i) {
          const std::size_t node = stretch.begin + i;
          Index<D> at = grid_.nodeIndex(node);
          for (std::size_t a = 0; a < D; ++a) at[a] += offsets_[s][a];
          const int found = grid_.nodeAt(at);
          if (found < 0) continue;
          const auto other = static_cast<std::size_t>(found);
          const std::size_t place = stretch.place + i;
          const std::size_t otherPlace =
              plan_.place(layer + static_cast<std::size_t>(offsets_[s][plan_.axis()]), other);
          if (couplings_.size() > couplingStart_.back()) {
            Couplings& last = couplings_.back();
            if (last.neighbour == s && last.node + last.count == node && last.other + last.count == other &&
                last.place + last.count == place && last.otherPlace + last.count == otherPlace &&
                last.count < kLongest) {
              ++last.count;
              continue;
            }
          }
          couplings_.push_back({s, node, other, place, otherPlace, 1});
        }
    couplingStart_.push_back(couplings_.size());
  }
}

template <int D>
void StencilOperator<D>::assemble(const std::vector<SingleCellMatrix<D>>& cells) {
  const std::size_t nodes = grid_.nodeCount();
  forEach(
      nodes,
      [&](std::size_t n) {
        for (std::size_t e = n; e < entries_.size(); e += nodes) entries_[e] = 0;
        for (std::size_t e = n; e < diagonal_.size(); e += nodes) diagonal_[e] = 0;
        for (int corner = 0; corner < kCorners<D>; ++corner) {
          Index<D> at = grid_.nodeIndex(n);
          for (std::size_t i = 0; i < D; ++i) at[i] -= corner >> i & 1;
          const int cell = grid_.cellAt(at);
          if (cell < 0) continue;
          const SingleCellMatrix<D>& k = cells[static_cast<std::size_t>(cell)];
          std::size_t entry = n;
          for (int i = 0; i < D; ++i)
            for (int j = i; j < D; ++j, entry += nodes) diagonal_[entry] += k(D * corner + i, D * corner + j);
          for (int other = 0; other < kCorners<D>; ++other) {
            Index<D> offset{};
            for (std::size_t i = 0; i < D; ++i) offset[i] = (other >> i & 1) - (corner >> i & 1);
            const int neighbour = neighbourAt_[stencilPlace<D>(offset)];
            if (neighbour < 0) continue;
            entry = static_cast<std::size_t>(neighbour) * kBlock * nodes + n;
            for (int i = 0; i < D; ++i)
              for (int j = 0; j < D; ++j, entry += nodes) entries_[entry] += k(D * corner + i, D * other + j);
          }
        }
      },
      kNodesPerBlock);
}

template <int D>
void StencilOperator<D>::sweep(const Fields<const float>& x, const LayerVisitor<D, float>& visit) const {
  const std::size_t apart = D * plan_.stride();
  sweepLayers<D, float>(
      plan_, x.size(),
      [&](std::size_t layer, float* low, float* high) {
        for (std::size_t k = 0; k < x.size(); ++k) {
          addLayer(layer, x[k], low + k * apart, high + k * apart);
          if (layer + 1 == plan_.layerCount()) addLayer(layer + 1, x[k], high + k * apart, nullptr);
        }
      },
      [&](std::size_t layer, const float* buffer) {
        for (std::size_t k = 0; k < x.size(); ++k)
          visitLayer<D, float>(plan_, k, layer, buffer + k * apart, visit);
      });
}

/// What the nodes of a layer do with each other and with those of the next one.
template <int D>
void StencilOperator<D>::addLayer(std::size_t layer, std::span<const float> x, float* own,
                                  float* above) const {
  const std::size_t nodes = grid_.nodeCount();
  Stretch s{nullptr, nodes, nullptr, nullptr, nullptr, nullptr, plan_.stride(), 0};
  for (const auto& stretch : plan_.stretches(layer)) {
    s.entries = diagonal_.data() + stretch.begin;
    s.x = x.data() + stretch.begin;
    s.y = own + stretch.place;
    s.count = stretch.count;
    D == 2 ? diagonal2(s) : diagonal3(s);
  }
  for (std::size_t c = couplingStart_[layer]; c < couplingStart_[layer + 1]; ++c) {
    const Couplings& coupled = couplings_[c];
    const bool inLayer = offsets_[coupled.neighbour][plan_.axis()] == 0;
    s.entries = entries_.data() + coupled.neighbour * kBlock * nodes + coupled.node;
    s.x = x.data() + coupled.node;
    s.other = x.data() + coupled.other;
    s.y = own + coupled.place;
    s.otherY = (inLayer ? own : above) + coupled.otherPlace;
    s.count = coupled.count;
    D == 2 ? couplings2(s) : couplings3(s);
  }
}

template class StencilOperator<2>;
template class StencilOperator<3>;

}  // namespace barelattice
