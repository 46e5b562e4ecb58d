#include "swept_level.hpp"

#include <Eigen/Core>
#include <array>
#include <utility>

#include "base/parallel.hpp"
#include "base/simd.hpp"

namespace barelattice {
namespace {

/// The vectors of a smoothing step at a stretch of nodes, one pointer per component.
template <int D>
struct Step {
  const float* inverse;  // at the first node
  std::size_t nodes;     // stride between its entries
  float keep;
  float weight;
  std::array<const float*, D> b;
  std::array<const float*, D> y;  // A x before the step
  std::array<float*, D> z;        // what the step before has added to x
  std::array<float*, D> x;
};

enum class StepKind {
  start,   // x = weight M^-1 b
  fromX,   // x = (1 + keep) x + weight M^-1 (b - y): the second step from zero, where z is x
  enter,   // z = weight M^-1 (b - y), x += z
  finish,  // x += keep z + weight M^-1 (b - y)
};

/// v = M^-1 r at node n.
template <int D, bool Block>
BARELATTICE_INLINE void scaledAt(const Step<D>& step, std::size_t n, const float (&r)[D], float (&v)[D]) {
  if constexpr (!Block) {
#pragma GCC unroll 3
    for (int c = 0; c < D; ++c) v[c] = step.inverse[n] * r[c];
  } else if constexpr (D == 3) {
    const float* m = step.inverse + n;
    const std::size_t s = step.nodes;
    v[0] = m[0] * r[0] + m[s] * r[1] + m[2 * s] * r[2];
    v[1] = m[s] * r[0] + m[3 * s] * r[1] + m[4 * s] * r[2];
    v[2] = m[2 * s] * r[0] + m[4 * s] * r[1] + m[5 * s] * r[2];
  } else {
    const float* m = step.inverse + n;
    const std::size_t s = step.nodes;
    v[0] = m[0] * r[0] + m[s] * r[1];
    v[1] = m[s] * r[0] + m[2 * s] * r[1];
  }
}

template <int D, bool Block, StepKind kKind>
BARELATTICE_INLINE void takeStep(const Step<D>& given, std::size_t count) {
  const Step<D> step = given;
#pragma GCC ivdep
  for (std::size_t n = 0; n < count; ++n) {
    float r[D];
    float v[D];
#pragma GCC unroll 3
    for (std::size_t c = 0; c < D; ++c)
      r[c] = kKind == StepKind::start ? step.b[c][n] : step.b[c][n] - step.y[c][n];
    scaledAt<D, Block>(step, n, r, v);
#pragma GCC unroll 3
    for (std::size_t c = 0; c < D; ++c) {
      if constexpr (kKind == StepKind::start) {
        step.x[c][n] = step.weight * v[c];
      } else if constexpr (kKind == StepKind::fromX) {
        step.x[c][n] = (1 + step.keep) * step.x[c][n] + step.weight * v[c];
      } else if constexpr (kKind == StepKind::enter) {
        step.z[c][n] = step.weight * v[c];
        step.x[c][n] += step.weight * v[c];
      } else {
        step.x[c][n] += step.keep * step.z[c][n] + step.weight * v[c];
      }
    }
  }
}

// The dispatched entry points: plain functions, because target clones cannot be templates.
#define BARELATTICE_STEP(name, D, Block, kind)                             \
  BARELATTICE_DISPATCH void name(const Step<D>& step, std::size_t count) { \
    takeStep<D, Block, StepKind::kind>(step, count);                       \
  }
#define BARELATTICE_STEPS(D)                       \
  BARELATTICE_STEP(startScalar, D, false, start)   \
  BARELATTICE_STEP(startBlock, D, true, start)     \
  BARELATTICE_STEP(fromXScalar, D, false, fromX)   \
  BARELATTICE_STEP(fromXBlock, D, true, fromX)     \
  BARELATTICE_STEP(enterScalar, D, false, enter)   \
  BARELATTICE_STEP(enterBlock, D, true, enter)     \
  BARELATTICE_STEP(finishScalar, D, false, finish) \
  BARELATTICE_STEP(finishBlock, D, true, finish)
BARELATTICE_STEPS(2)
BARELATTICE_STEPS(3)
#undef BARELATTICE_STEPS
#undef BARELATTICE_STEP

template <int D>
void take(StepKind kind, bool block, const Step<D>& step, std::size_t count) {
  switch (kind) {
    case StepKind::start:
      return block ? startBlock(step, count) : startScalar(step, count);
    case StepKind::fromX:
      return block ? fromXBlock(step, count) : fromXScalar(step, count);
    case StepKind::enter:
      return block ? enterBlock(step, count) : enterScalar(step, count);
    case StepKind::finish:
      return block ? finishBlock(step, count) : finishScalar(step, count);
  }
}

template <int D, class Real>
std::array<Real*, D> at(Real* values, std::size_t nodes, std::size_t begin) {
  std::array<Real*, D> pointers{};
  for (std::size_t c = 0; c < D; ++c) pointers[c] = values + c * nodes + begin;
  return pointers;
}

BARELATTICE_DISPATCH void subtract(const float* a, const float* b, float* difference, std::size_t count) {
#pragma GCC ivdep
  for (std::size_t i = 0; i < count; ++i) difference[i] = a[i] - b[i];
}

/// In place: inverse of symmetric blocks stored as triangles. What has no stiffness gets zeros.
template <int D>
void invertBlocks(std::vector<float>& triangles, std::size_t nodes) {
  forEach(nodes, [&](std::size_t n) {
    Eigen::Matrix<double, D, D> block;
    std::size_t entry = 0;
    for (int i = 0; i < D; ++i)
      for (int j = i; j < D; ++j, ++entry)
        block(i, j) = block(j, i) = static_cast<double>(triangles[entry * nodes + n]);
    block = inverseWhereStiff<D>(block);
    entry = 0;
    for (int i = 0; i < D; ++i)
      for (int j = i; j < D; ++j, ++entry) triangles[entry * nodes + n] = static_cast<float>(block(i, j));
  });
}

}  // namespace

template <int D>
SweptLevel<D>::SweptLevel(std::size_t nodes, double bound, Sweep sweep, Admit admit)
    : nodes_(nodes), smoother_{bound}, sweep_(std::move(sweep)), admit_(std::move(admit)), work_(D * nodes) {}

template <int D>
void SweptLevel<D>::setDiagonal(std::vector<float> diagonal) {
  inverse_ = std::move(diagonal);
  if (inverse_.size() == nodes_)
    forEach(nodes_, [&](std::size_t n) { inverse_[n] = inverse_[n] > 0 ? 1 / inverse_[n] : 0; });
  else
    invertBlocks<D>(inverse_, nodes_);
}

template <int D>
void SweptLevel<D>::smoothFromZero(const Fields<const float>& b, const Fields<float>& x) {
  const bool block = inverse_.size() > nodes_;
  const auto step = [&](std::size_t k, std::size_t begin, float keep, float weight,
                        const std::array<const float*, D>& y) {
    return Step<D>{inverse_.data() + begin,           nodes_, keep, weight,
                   at<D>(b[k].data(), nodes_, begin), y,      {},   at<D>(x[k].data(), nodes_, begin)};
  };
  forEachBlock(nodes_, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = 0; k < x.size(); ++k)
      take<D>(StepKind::start, block, step(k, begin, 0, smoother_.first(), {}), end - begin);
  });
  sweep_(asConst(x), [&](const SweptNodes<D, float>& swept) {
    take<D>(StepKind::fromX, block,
            step(swept.field, swept.begin, ChebyshevSmoother::keep(1), smoother_.weight(1), swept.y),
            swept.count);
  });
}

template <int D>
Fields<const float> SweptLevel<D>::residual(const Fields<const float>& b, const Fields<float>& x) {
  const Fields<float> r = work_.first(x.size());
  sweep_(asConst(x), [&](const SweptNodes<D, float>& swept) {
    for (std::size_t c = 0; c < D; ++c) {
      const std::size_t first = c * nodes_ + swept.begin;
      subtract(b[swept.field].data() + first, swept.y[c], r[swept.field].data() + first, swept.count);
    }
  });
  return asConst(r);
}

template <int D>
void SweptLevel<D>::smooth(const Fields<const float>& b, const Fields<float>& x) {
  const bool block = inverse_.size() > nodes_;
  const Fields<float> z = work_.first(x.size());
  const auto sweepTaking = [&](StepKind kind, float keep, float weight) {
    sweep_(asConst(x), [&, kind, keep, weight](const SweptNodes<D, float>& swept) {
      const std::size_t k = swept.field;
      take<D>(kind, block,
              {inverse_.data() + swept.begin, nodes_, keep, weight, at<D>(b[k].data(), nodes_, swept.begin),
               swept.y, at<D>(z[k].data(), nodes_, swept.begin), at<D>(x[k].data(), nodes_, swept.begin)},
              swept.count);
    });
  };
  sweepTaking(StepKind::enter, 0, smoother_.first());
  sweepTaking(StepKind::finish, ChebyshevSmoother::keep(1), smoother_.weight(1));
}

template class SweptLevel<2>;
template class SweptLevel<3>;

}  // namespace barelattice
