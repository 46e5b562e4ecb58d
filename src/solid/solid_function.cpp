#include "barelattice/solid/solid_function.hpp"

#include <algorithm>
#include <cmath>

#include "barelattice/base/parallel.hpp"

namespace barelattice {
namespace {

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

SmoothLayout::SmoothLayout(const Domain& domain, std::span<const double> density, int passes)
    : frame_(domain.grid.frame()), size_(domain.grid.frame().size) {
  frame_.origin.array() -= kPadding * size_;
  for (int& n : frame_.cells) n += 2 * kPadding;
  values_.assign(frame_.boxCells(), -1);
  for (std::size_t c = 0; c < density.size(); ++c) {
    Index<3> at = domain.grid.cellIndex(c);
    for (int& i : at) i += kPadding;
    values_[frame_.linear(at)] = static_cast<float>(density[c]);
  }
  extrapolate(frame_, values_);
  for (int pass = 0; pass < passes; ++pass)
    for (std::size_t axis = 0; axis < 3; ++axis) smoothAlong(frame_, axis, values_);
}

double SmoothLayout::operator()(const Vec3& point) const {
  const Vec3 at = (point - frame_.origin) / size_ - Vec3::Constant(0.5);
  Index<3> low{};
  Vec3 share;
  for (std::size_t i = 0; i < 3; ++i) {
    const auto e = static_cast<Eigen::Index>(i);
    const double clamped = std::clamp(at[e], 0.0, frame_.cells[i] - 1.000001);
    low[i] = static_cast<int>(clamped);
    share[e] = clamped - low[i];
  }
  double sum = 0;
  for (int corner = 0; corner < 8; ++corner) {
    double weight = 1;
    Index<3> cell = low;
    for (std::size_t i = 0; i < 3; ++i) {
      const bool far = corner >> i & 1;
      cell[i] += far;
      weight *= far ? share[static_cast<Eigen::Index>(i)] : 1 - share[static_cast<Eigen::Index>(i)];
    }
    sum += weight * static_cast<double>(values_[frame_.linear(cell)]);
  }
  return sum;
}

Implicit solidFunction(const SmoothLayout& layout, const Regions& regions, double threshold) {
  // A smoothed step rises by about 0.4 per cell, so this factor makes density differences look like
  // distances.
  const double scale = 2.5 * layout.cellSize();
  return [&layout, &regions, threshold, scale](const Vec3& point) {
    double value = std::max(scale * (threshold - layout(point)), regions.space->distance(point));
    for (const ShapePtr& keep : regions.keeps) value = std::min(value, keep->distance(point));
    for (const ShapePtr& clear : regions.clears) value = std::max(value, -clear->distance(point));
    return value;
  };
}

}  // namespace barelattice
