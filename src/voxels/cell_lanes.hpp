// Vectors of cells along a run: loading the corner values, transforming them, adding corner forces up.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstring>
#include <type_traits>
#include <utility>

#include "base/simd.hpp"
#include "layer_plan.hpp"

namespace barelattice {

// Everything here is inlined, so how a function of that name would hand a vector over does not matter.
#pragma GCC diagnostic ignored "-Wpsabi"

inline constexpr std::size_t kVectorBytes = 64;  // one AVX-512 register; narrower machines split it

template <class Real>
inline constexpr int kLanes = static_cast<int>(kVectorBytes / sizeof(Real));

template <class Real, int Count>
struct LaneType {
  using Type __attribute__((vector_size(Count * sizeof(Real)))) = Real;
};
template <class Real, int Count = kLanes<Real>>
using Lanes = typename LaneType<Real, Count>::Type;

/// kLanes<Real> values from memory, converted from In.
template <class Real, class In>
BARELATTICE_INLINE Lanes<Real> loadLanes(const In* from) {
  Lanes<In, kLanes<Real>> values;
  std::memcpy(&values, from, sizeof(values));
  if constexpr (std::is_same_v<In, Real>)
    return values;
  else
    return __builtin_convertvector(values, Lanes<Real>);
}

template <class Real>
BARELATTICE_INLINE void addLanes(Real* to, const Lanes<Real>& what) {
  Lanes<Real> sum;
  std::memcpy(&sum, to, kVectorBytes);
  sum += what;
  std::memcpy(to, &sum, kVectorBytes);
}

template <class V, std::size_t... I>
BARELATTICE_INLINE V shifted(const V& before, const V& now, std::index_sequence<I...>) {
  return __builtin_shufflevector(before, now, (static_cast<int>(sizeof...(I)) - 1 + static_cast<int>(I))...);
}

/// `now` moved up by one lane, the last lane of `before` coming in below.
template <class Real>
BARELATTICE_INLINE Lanes<Real> shiftedUp(const Lanes<Real>& before, const Lanes<Real>& now) {
  return shifted(before, now, std::make_index_sequence<kLanes<Real>>{});
}

/// The lanes from `first` up to `last`, the others zero.
template <class Real>
BARELATTICE_INLINE Lanes<Real> keptLanes(const Lanes<Real>& values, int first, int last) {
  Lanes<Real> kept = values;
  for (int i = 0; i < kLanes<Real>; ++i)
    if (i < first || i >= last) kept[i] = 0;
  return kept;
}

/// Walsh-Hadamard transform of the corner values, in place. Its own inverse but for the factor 2^D.
template <int D, class V>
BARELATTICE_INLINE void transform(V (&v)[kCorners<D>]) {
#pragma GCC unroll 3
  for (int bit = 1; bit < kCorners<D>; bit *= 2) {
#pragma GCC unroll 8
    for (int m = 0; m < kCorners<D>; ++m) {
      if (m & bit) continue;
      const V low = v[m];
      const V high = v[m | bit];
      v[m] = low + high;
      v[m | bit] = low - high;
    }
  }
}

/// A field on the nodes of a grid, component by component.
template <class In>
struct NodeField {
  const In* values;
  std::size_t nodes;
};

/// Buffers of the two layers of nodes a layer of cells adds to.
template <int D, class Real>
struct LayerBuffers {
  Real* low;
  Real* high;
  std::size_t stride;
  unsigned upperRows;
};

/// Where a run of cells reads and adds: the first node of each of its rows, first component.
template <int D, class Real, class In>
struct RunRows {
  static constexpr int kHalf = kCorners<D> / 2;

  /// For reading only.
  RunRows(const NodeField<In>& x, const typename LayerPlan<D>::Run& run)
      : nodes(x.nodes), length(run.length) {
    for (std::size_t row = 0; row < kHalf; ++row) from[row] = x.values + run.rows[row];
  }
  RunRows(const NodeField<In>& x, const LayerBuffers<D, Real>& buffers, const typename LayerPlan<D>::Run& run)
      : RunRows(x, run) {
    stride = buffers.stride;
    for (std::size_t row = 0; row < kHalf; ++row)
      to[row] = (buffers.upperRows >> row & 1U ? buffers.high : buffers.low) + run.places[row];
  }

  const In* from[kHalf];
  Real* to[kHalf]{};
  std::size_t nodes;       // between components of the field
  std::size_t stride = 0;  // and of the buffers
  int length;
};

/// Transformed corner values u[component][mode] of the cells at `at` ... of a run. Only nodes of the run are
/// read: others may be changing in another thread.
template <int D, class Real, class In>
BARELATTICE_INLINE void gatherCells(const RunRows<D, Real, In>& rows, int at,
                                    Lanes<Real> (&u)[D][kCorners<D>]) {
  if (rows.length >= kLanes<Real>) [[likely]] {
#pragma GCC unroll 3
    for (std::size_t c = 0; c < D; ++c) {
#pragma GCC unroll 4
      for (int row = 0; row < kCorners<D> / 2; ++row) {
        const In* from = rows.from[row] + c * rows.nodes + at;
        u[c][2 * row] = loadLanes<Real>(from);
        u[c][2 * row + 1] = loadLanes<Real>(from + 1);
      }
      transform<D>(u[c]);
    }
  } else {
    In line[kLanes<Real> + 1] = {};
    for (std::size_t c = 0; c < D; ++c) {
      for (int row = 0; row < kCorners<D> / 2; ++row) {
        std::memcpy(line, rows.from[row] + c * rows.nodes,
                    (static_cast<std::size_t>(rows.length) + 1) * sizeof(In));
        u[c][2 * row] = loadLanes<Real>(line);
        u[c][2 * row + 1] = loadLanes<Real>(line + 1);
      }
      transform<D>(u[c]);
    }
  }
}

/// Corner forces of the previous vector of a run that fall on the first node of the next one.
template <int D, class Real>
using Carry = Lanes<Real>[D][kCorners<D> / 2];

/// Transforms the forces f[component][mode] back to the corners and adds them to the rows of nodes. Each node
/// is stored to once a row: storing the far corners separately, one node on, would make the processor wait
/// for the store just before.
template <int D, class Real, class In>
BARELATTICE_INLINE void scatterCells(const RunRows<D, Real, In>& rows, int at,
                                     Lanes<Real> (&f)[D][kCorners<D>], Carry<D, Real>& carry) {
#pragma GCC unroll 3
  for (std::size_t c = 0; c < D; ++c) {
    transform<D>(f[c]);
#pragma GCC unroll 4
    for (int row = 0; row < kCorners<D> / 2; ++row) {
      const Lanes<Real>& far = f[c][2 * row + 1];
      addLanes<Real>(rows.to[row] + c * rows.stride + at,
                     f[c][2 * row] + shiftedUp<Real>(carry[c][row], far));
      carry[c][row] = far;
    }
  }
}

/// Adds what is still carried to node `at` of the run.
template <int D, class Real, class In>
BARELATTICE_INLINE void scatterCarried(const RunRows<D, Real, In>& rows, int at,
                                       const Carry<D, Real>& carry) {
  for (std::size_t c = 0; c < D; ++c)
    for (int row = 0; row < kCorners<D> / 2; ++row)
      rows.to[row][c * rows.stride + static_cast<std::size_t>(at)] += carry[c][row][kLanes<Real> - 1];
}

/// Which cells of a run a vector holds: from place `at` on, of which those in lanes [first, last) are new.
/// What is left at the end of a run is done in a vector that ends there and goes over some cells again.
struct RunPart {
  int at;
  int first;
  int last;
};
BARELATTICE_INLINE RunPart runPart(int at, int length, int width) {
  if (length - at >= width) return {at, 0, width};
  if (at == 0) return {0, 0, length};
  return {length - width, at - (length - width), width};
}

/// Adds the corner forces of a run of cells.
/// @param forces (part, u, f): forces f[component][mode] from the transformed corner values, zero in lanes
///   outside the part.
template <int D, class Real, class In, class Forces>
BARELATTICE_INLINE void passRun(const RunRows<D, Real, In>& rows, const Forces& forces) {
  constexpr int kWidth = kLanes<Real>;
  Carry<D, Real> carry{};
  for (int at = 0; at < rows.length; at += kWidth) {
    const RunPart part = runPart(at, rows.length, kWidth);
    if (part.at != at) {
      scatterCarried(rows, at, carry);
      for (auto& component : carry)
        for (auto& row : component) row = Lanes<Real>{};
    }
    Lanes<Real> u[D][kCorners<D>];
    Lanes<Real> f[D][kCorners<D>];
    gatherCells(rows, part.at, u);
    forces(part, u, f);
    scatterCells(rows, part.at, f, carry);
  }
  if (rows.length >= kWidth) scatterCarried(rows, rows.length, carry);
}

}  // namespace barelattice
