#include "barelattice/solid/solid_function.hpp"

#include <algorithm>
#include <cmath>
#include <memory>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "clean_up.hpp"

namespace barelattice {
namespace {

// The part is one signed function of space, negative inside:
//
//   l(x) = reach (threshold - level(x))                                          (1)
//   f    = min over keeps of (max(l, space), keep), then max with -clear         (2)
//
// A union is the least, a cut the largest of two such functions, so exact shapes stay exact wherever they
// govern. (1) makes the level look like a distance: `reach` is over how many metres it changes by one. What
// is read is the level the density is projected from: it crosses 0.5 where the density does, but gently, so
// its contours show no cells. Beyond the grid it is continued by the mean of what is known next to it, so
// that not the grid's stairs but `space` decides where the part ends.

constexpr int kPadding = 3;  // cells; smoothing and interpolation never reach further

using Field = std::vector<float>;

/// Gives unknown cells (negative) the mean of their known neighbours, layer by layer.
void extrapolate(const GridFrame<3>& frame, Field& field) {
  constexpr float kUnknown = -1;
  for (int layer = 0; layer < kPadding; ++layer) {
    const Field before = field;
    forEachIndex<3>(frame.cells, [&](const Index<3>& at) {
      float& value = field[frame.linear(at)];
      if (value != kUnknown) return;
      float sum = 0;
      int count = 0;
      forEachIndex<3>({3, 3, 3}, [&](const Index<3>& offset) {
        Index<3> other = at;
        for (std::size_t i = 0; i < 3; ++i) other[i] += offset[i] - 1;
        if (!frame.contains(other)) return;
        const float neighbour = before[frame.linear(other)];
        if (neighbour == kUnknown) return;
        sum += neighbour;
        ++count;
      });
      if (count) value = sum / static_cast<float>(count);
    });
  }
  for (float& value : field) value = std::max(value, 0.0F);
}

/// One pass of (1 2 1)/4 along an axis; ends are repeated.
void smoothAlong(const GridFrame<3>& frame, std::size_t axis, Field& field) {
  const Field before = field;
  std::size_t stride = 1;
  for (std::size_t i = 0; i < axis; ++i) stride *= static_cast<std::size_t>(frame.cells[i]);
  const auto n = static_cast<std::size_t>(frame.cells[axis]);
  forEach(field.size(), [&](std::size_t i) {
    const std::size_t at = i / stride % n;
    const float low = before[at > 0 ? i - stride : i];
    const float high = before[at + 1 < n ? i + stride : i];
    field[i] = 0.25F * (low + 2 * before[i] + high);
  });
}

}  // namespace

template <int D>
SmoothLayout::SmoothLayout(const Domain<D>& domain, std::span<const double> level, double reach, int passes)
    : flat_(D == 2), reach_(reach) {
  requireCount("level", level.size(), domain.grid.cellCount(), "cells");
  if (level.empty()) throw InputError("the domain has no cells");
  for (const double value : level) requireFinite("level of a cell", value);
  requirePositive("reach", reach);
  if (passes < 0) throw InputError(fmt::format("{} passes of smoothing", passes), "give 0 or more");
  const GridFrame<D>& inner = domain.grid.frame();
  frame_.size = inner.size;
  frame_.cells.fill(1);
  for (std::size_t i = 0; i < D; ++i) {
    const auto e = static_cast<Eigen::Index>(i);
    frame_.origin[e] = inner.origin[e] - kPadding * inner.size;
    frame_.cells[i] = inner.cells[i] + 2 * kPadding;
  }
  if (flat_) frame_.origin.z() = 0.5 * (domain.thickness - inner.size);  // centres at half the thickness
  values_.assign(frame_.boxCells(), -1);
  for (std::size_t c = 0; c < level.size(); ++c) {
    Index<3> at{};
    for (std::size_t i = 0; i < D; ++i) at[i] = domain.grid.cellIndex(c)[i] + kPadding;
    values_[frame_.linear(at)] = static_cast<float>(level[c]);
  }
  extrapolate(frame_, values_);
  for (int pass = 0; pass < passes; ++pass)
    for (std::size_t axis = 0; axis < D; ++axis) smoothAlong(frame_, axis, values_);
}

template BARELATTICE_API SmoothLayout::SmoothLayout(const Domain<2>&, std::span<const double>, double, int);
template BARELATTICE_API SmoothLayout::SmoothLayout(const Domain<3>&, std::span<const double>, double, int);

void SmoothLayout::setValues(std::vector<float> values) {
  requireCount("values", values.size(), frame_.boxCells(), "cells of the frame");
  values_ = std::move(values);
}

double SmoothLayout::interpolate(const std::vector<float>& field, const Vec3& point) const {
  const Vec3 at = (point - frame_.origin) / frame_.size - Vec3::Constant(0.5);
  Index<3> low{};
  Vec3 share = Vec3::Zero();
  const std::size_t dimensions = flat_ ? 2 : 3;
  for (std::size_t i = 0; i < dimensions; ++i) {
    const auto e = static_cast<Eigen::Index>(i);
    const double clamped = std::clamp(at[e], 0.0, frame_.cells[i] - 1.000001);
    low[i] = static_cast<int>(clamped);
    share[e] = clamped - low[i];
  }
  double sum = 0;
  for (int corner = 0; corner < 1 << dimensions; ++corner) {
    double weight = 1;
    Index<3> cell = low;
    for (std::size_t i = 0; i < dimensions; ++i) {
      const bool far = corner >> i & 1;
      cell[i] += far;
      weight *= far ? share[static_cast<Eigen::Index>(i)] : 1 - share[static_cast<Eigen::Index>(i)];
    }
    sum += weight * static_cast<double>(field[frame_.linear(cell)]);
  }
  return sum;
}

Implicit solidFunction(const SmoothLayout& layout, const Regions& regions, double threshold,
                       const CleanUp& cleanUp, CleanUpReport* report, BondedParts parts) {
  validate(regions);
  requireFinite("threshold", threshold);
  requireNotNegative("voidSize", cleanUp.voidSize);
  requireNotNegative("gap", cleanUp.gap);
  auto read = std::make_shared<SmoothLayout>(layout);
  if (cleanUp.voidSize > 0) {
    const CleanUpReport filled = fillVoids(*read, regions, threshold, cleanUp.voidSize);
    if (report) *report = filled;
  }
  const double scale = layout.reach();  // makes differences of the level look like distances
  const bool without = parts == BondedParts::cutOut;
  const auto bounded = [own = std::make_shared<const Regions>(regions), without](double value,
                                                                                 const Vec3& point) {
    value = std::max(value, own->space->distance(point));
    for (const ShapePtr& keep : own->keeps) value = std::min(value, keep->distance(point));
    for (const ShapePtr& clear : own->clears) value = std::max(value, -clear->distance(point));
    const double part = own->bonded(point);  // far beyond any value without bonded parts
    value = without ? std::max(value, -part) : std::min(value, part);
    return std::max(value, own->withinSheet(point));
  };
  Implicit open = [read, threshold, scale, bounded](const Vec3& point) {
    return bounded(scale * (threshold - (*read)(point)), point);
  };
  if (!(cleanUp.gap > 0)) return open;
  const auto closed = std::make_shared<const std::vector<float>>(closedField(*read, open, cleanUp.gap));
  return [read, threshold, scale, bounded, closed](const Vec3& point) {
    const double value = std::min(scale * (threshold - (*read)(point)), read->interpolate(*closed, point));
    return bounded(value, point);
  };
}

}  // namespace barelattice
