#include "barelattice/solid/solid_function.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
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

//
// (2) leaves a notch where a member ends at a keep, at which stress has no end: a proof finds the more the
// finer its mesh. With a fillet of radius r the least of both in (2) becomes
//
//   max(r, min(a, k)) - |(r - a, r - k)|, each difference not below zero, a = max(l', space), k = keep    (3)
//
// which is zero on a quarter of a circle of radius r about the point at a distance r from both, and where one
// of them is farther than r the least as before; what it adds beyond the space is cut. l' is (1) of the
// layout beside the keeps. l itself follows each keep at up to half a cell: it would have notches of its own
// there, and (3) thicken what nothing ends at.

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

/// (3): the union of two bodies with a fillet between them.
double filleted(double a, double b, double radius) {
  return std::max(radius, std::min(a, b)) - std::hypot(std::max(radius - a, 0.0), std::max(radius - b, 0.0));
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
  const auto read = [&](bool keeps) {
    Field field(frame_.boxCells(), -1);
    for (std::size_t c = 0; c < level.size(); ++c) {
      if (!keeps && domain.keep[c]) continue;
      Index<3> at{};
      for (std::size_t i = 0; i < D; ++i) at[i] = domain.grid.cellIndex(c)[i] + kPadding;
      field[frame_.linear(at)] = static_cast<float>(level[c]);
    }
    extrapolate(frame_, field);
    for (int pass = 0; pass < passes; ++pass)
      for (std::size_t axis = 0; axis < D; ++axis) smoothAlong(frame_, axis, field);
    return field;
  };
  values_ = read(true);
  if (std::any_of(domain.keep.begin(), domain.keep.end(), [](std::uint8_t k) { return k != 0; }))
    besideKeeps_ = read(false);
}

template BARELATTICE_API SmoothLayout::SmoothLayout(const Domain<2>&, std::span<const double>, double, int);
template BARELATTICE_API SmoothLayout::SmoothLayout(const Domain<3>&, std::span<const double>, double, int);

void SmoothLayout::fill(std::span<const std::size_t> cells) {
  for (const std::size_t cell : cells) {
    requireIndex("cell", cell, values_.size(), "cells of the frame");
    values_[cell] = 1;
    if (!besideKeeps_.empty()) besideKeeps_[cell] = 1;
  }
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
  requireNotNegative("fillet", cleanUp.fillet);
  auto read = std::make_shared<SmoothLayout>(layout);
  if (cleanUp.voidSize > 0) {
    const CleanUpReport filled = fillVoids(*read, regions, threshold, cleanUp.voidSize);
    if (report) *report = filled;
  }
  const double scale = layout.reach();  // makes differences of the level look like distances
  const bool without = parts == BondedParts::cutOut;
  const double radius = read->besideKeeps().empty() ? 0 : cleanUp.fillet;
  const auto of = [read, threshold, scale, radius](const Vec3& point) {
    return scale *
           (threshold - (radius > 0 ? read->interpolate(read->besideKeeps(), point) : (*read)(point)));
  };
  const auto bounded = [own = std::make_shared<const Regions>(regions), radius, without](double value,
                                                                                         const Vec3& point) {
    const double space = own->space->distance(point);
    value = std::max(value, space);
    if (radius > 0) {
      double kept = std::numeric_limits<double>::max();
      for (const ShapePtr& keep : own->keeps) kept = std::min(kept, keep->distance(point));
      value = std::min(std::max(filleted(value, kept, radius), space), kept);
    } else {
      for (const ShapePtr& keep : own->keeps) value = std::min(value, keep->distance(point));
    }
    for (const ShapePtr& clear : own->clears) value = std::max(value, -clear->distance(point));
    const double part = own->bonded(point);  // far beyond any value without bonded parts
    value = without ? std::max(value, -part) : std::min(value, part);
    return std::max(value, own->withinSheet(point));
  };
  Implicit open = [of, bounded](const Vec3& point) { return bounded(of(point), point); };
  if (!(cleanUp.gap > 0)) return open;
  const auto closed = std::make_shared<const std::vector<float>>(closedField(*read, open, cleanUp.gap));
  return [of, read, bounded, closed](const Vec3& point) {
    return bounded(std::min(of(point), read->interpolate(*closed, point)), point);
  };
}

}  // namespace barelattice
