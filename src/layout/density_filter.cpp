#include "barelattice/layout/density_filter.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/simd.hpp"

namespace barelattice {
namespace {

// With weights w_ij = max(0, R - |x_i - x_j|) (Bruns & Tortorelli 2001; Bourdin 2001) and fill f_j,
//
//   out_i = s_i sum_j w_ij f_j in_j                                              (1)
//   s_i   = 1 / sum_j w_ij f_j     reflecting: only what exists counts           (2)
//         = 1 / sum_j w_0j         empty: what lies beyond the space counts as zero (Clausen & Andreassen
//                                  2017), so members that run along its walls keep their thickness  (3)
//
// w is symmetric, so the transpose of F = S W f is f W S: the same sums with factors before and after changed
// places.
//
//   gradientIn_j = f_j sum_i w_ij s_i gradientOut_i                              (4)
//
// On a grid w depends on the offset alone. The field is laid out in its box with a margin of R, so that each
// run of cells is summed along without asking whether neighbours exist: absent ones are zeros.

using Vector __attribute__((vector_size(64))) = double;
constexpr int kLanes = 8;
constexpr int kVectors = 4;  // sums kept side by side, so that none waits for its own last addition
constexpr std::size_t kRunsPerBlock = 16;

/// sum over taps of weight * in[at + offset], for `count` cells in a row.
BARELATTICE_DISPATCH void convolveRow(const double* in, double* out, int count, const FilterTap* taps,
                                      std::size_t tapCount) {
  constexpr int kWidth = kLanes * kVectors;
  int at = 0;
  for (; at + kWidth <= count; at += kWidth) {
    Vector sum[kVectors]{};
    for (std::size_t t = 0; t < tapCount; ++t) {
      const double* from = in + at + taps[t].offset;
#pragma GCC unroll 4
      for (int v = 0; v < kVectors; ++v) {
        Vector values;
        std::memcpy(&values, from + v * kLanes, sizeof values);
        sum[v] += taps[t].weight * values;
      }
    }
    std::memcpy(out + at, sum, sizeof sum);
  }
  for (; at + kLanes <= count; at += kLanes) {
    Vector sum{};
    for (std::size_t t = 0; t < tapCount; ++t) {
      Vector values;
      std::memcpy(&values, in + at + taps[t].offset, sizeof values);
      sum += taps[t].weight * values;
    }
    std::memcpy(out + at, &sum, sizeof sum);
  }
  for (; at < count; ++at) {
    double sum = 0;
    for (std::size_t t = 0; t < tapCount; ++t) sum += taps[t].weight * in[at + taps[t].offset];
    out[at] = sum;
  }
}

}  // namespace

template <int D>
DensityFilter<D>::DensityFilter(const Grid<D>& grid, HeldField fill, double radius, FilterBoundary boundary,
                                const std::vector<std::uint8_t>& attached)
    : grid_(grid), fill_(std::move(fill)) {
  requireCount("fill", fill_->size(), grid.cellCount(), "cells");
  requireShares("fill", *fill_);
  requireNotNegative("radius of the filter", radius);
  requireCountOrNone("attached", attached.size(), grid.cellCount(), "cells");
  const double cells = radius / grid.frame().size;
  reach_ = std::max(0, static_cast<int>(std::ceil(cells)) - 1);
  Index<D> padded = grid.frame().cells;
  for (int& n : padded) {
    n += 2 * reach_;
    boxCells_ *= static_cast<std::size_t>(n);
  }
  const auto place = [&](const Index<D>& at) {
    std::ptrdiff_t linear = 0;
    for (std::size_t i = D; i-- > 0;) linear = linear * padded[i] + at[i];
    return linear;
  };
  Index<D> window{};
  window.fill(2 * reach_ + 1);
  double whole = 0;
  forEachIndex<D>(window, [&](const Index<D>& at) {
    Index<D> offset = at;
    double squared = 0;
    for (int& o : offset) {
      o -= reach_;
      squared += o * o;
    }
    const double weight = reach_ == 0 ? 1 : cells - std::sqrt(squared);
    if (weight <= 0) return;
    taps_.push_back({place(offset), weight});
    whole += weight;
  });
  home_.reserve(grid.runs().size());
  for (const CellRun<D>& run : grid.runs()) {
    Index<D> at = grid.cellIndex(static_cast<std::size_t>(run.cell));
    for (int& i : at) i += reach_;
    home_.push_back(static_cast<std::size_t>(place(at)));
  }
  const std::vector<double> ones(grid.cellCount(), 1.0);
  inverseWeight_.resize(grid.cellCount());
  convolve(*fill_, ones, inverseWeight_, ones);
  for (std::size_t c = 0; c < inverseWeight_.size(); ++c) {
    const bool empty = boundary == FilterBoundary::empty && (attached.empty() || !attached[c]);
    inverseWeight_[c] = 1 / (empty ? whole : inverseWeight_[c]);  // (3), (2)
  }
}

template <int D>
void DensityFilter<D>::convolve(std::span<const double> before, std::span<const double> in,
                                std::span<double> out, std::span<const double> after) const {
  const auto& runs = grid_.runs();
  std::vector<double> box(boxCells_, 0.0);
  forEach(
      runs.size(),
      [&](std::size_t r) {
        const auto cell = static_cast<std::size_t>(runs[r].cell);
        double* to = box.data() + home_[r];
        for (std::size_t i = 0; i < static_cast<std::size_t>(runs[r].length); ++i)
          to[i] = before[cell + i] * in[cell + i];
      },
      kRunsPerBlock);
  forEach(
      runs.size(),
      [&](std::size_t r) {
        const auto cell = static_cast<std::size_t>(runs[r].cell);
        convolveRow(box.data() + home_[r], out.data() + cell, runs[r].length, taps_.data(), taps_.size());
        for (std::size_t i = 0; i < static_cast<std::size_t>(runs[r].length); ++i)
          out[cell + i] *= after[cell + i];
      },
      kRunsPerBlock);
}

template <int D>
void DensityFilter<D>::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("in", in.size(), grid_.cellCount(), "cells");
  requireCount("out", out.size(), grid_.cellCount(), "cells");
  convolve(*fill_, in, out, inverseWeight_);  // (1)
}

template <int D>
void DensityFilter<D>::backward(std::span<const double> /*in*/, std::span<const double> /*out*/,
                                std::span<const double> gradientOut, std::span<double> gradientIn) const {
  requireCount("gradientOut", gradientOut.size(), grid_.cellCount(), "cells");
  requireCount("gradientIn", gradientIn.size(), grid_.cellCount(), "cells");
  convolve(inverseWeight_, gradientOut, gradientIn, *fill_);  // (4)
}

template class DensityFilter<2>;
template class DensityFilter<3>;

}  // namespace barelattice
