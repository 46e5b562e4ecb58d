#include "sweep.hpp"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/parallel.hpp"

namespace barelattice {
namespace {

constexpr int kRing = 8;  // points of a ring in space; two in the plane

/// Directions across a unit vector.
std::vector<Point<2>> ringOf(const Point<2>& direction) {
  const Point<2> aside(-direction.y(), direction.x());
  return {aside, -aside};
}
std::vector<Point<3>> ringOf(const Point<3>& direction) {
  // Begun along an axis, so that in the grid's directions nothing falls between cells.
  Eigen::Index least = 0;
  direction.cwiseAbs().minCoeff(&least);
  const Point<3> one = (Point<3>::Unit(least) - direction[least] * direction).normalized();
  const Point<3> two = direction.cross(one);
  std::vector<Point<3>> ring;
  for (int k = 0; k < kRing; ++k) {
    const double angle = 2 * std::numbers::pi * k / kRing;
    ring.push_back(std::cos(angle) * one + std::sin(angle) * two);
  }
  return ring;
}

}  // namespace

template <int D>
Sweep<D>::Sweep(const Grid<D>& grid, const Point<D>& travel, double angle) : grid_(grid) {
  Eigen::Index axis = 0;
  travel.cwiseAbs().maxCoeff(&axis);
  axis_ = static_cast<std::size_t>(axis);
  up_ = travel[axis] > 0;
  const Index<D>& cells = grid.frame().cells;
  layers_ = static_cast<std::size_t>(cells[axis_]);
  for (std::size_t i = 0, k = 0; i < D; ++i)
    if (i != axis_) across_[k++] = i;
  for (std::size_t k = 0; k < kAcross; ++k) {
    slope_[k] = travel[static_cast<Eigen::Index>(across_[k])] / std::abs(travel[axis]);
    size_[k] = cells[across_[k]];
  }
  std::vector<std::array<double, kAcross>> asides{{}};
  if (angle > 0)
    for (const Point<D>& aside : ringOf(travel)) {
      // Where the side of the cone, looking back, meets the layer before, seen from the line. A side that
      // runs along the layers never does, and stands for one that does so a few cells aside.
      const Point<D> ray = -std::cos(angle) * travel + std::sin(angle) * aside;
      constexpr double kFlattest = 0.05;
      constexpr double kFarthest = 4;  // cells
      const double back = std::max(kFlattest, up_ ? -ray[axis] : ray[axis]);
      std::array<double, kAcross> end{};
      double longest = 0;
      for (std::size_t k = 0; k < kAcross; ++k) {
        end[k] = ray[static_cast<Eigen::Index>(across_[k])] / back + slope_[k];
        if (std::abs(end[k]) < 1e-9) end[k] = 0;
        longest = std::max(longest, std::abs(end[k]));
      }
      if (longest > kFarthest)
        for (double& e : end) e *= kFarthest / longest;
      longest = std::min(longest, kFarthest);
      // Rings of less than a cell further in: nothing slim is looked over.
      const int rings = std::max(1, static_cast<int>(std::ceil(longest - 1e-9)));
      for (int ring = 1; ring <= rings; ++ring) {
        std::array<double, kAcross> at = end;
        for (double& a : at) a *= static_cast<double>(ring) / rings;
        asides.push_back(at);
      }
      padding_ = std::max(padding_, static_cast<int>(std::ceil(longest)) + 1);
    }
  padding_ += 1;  // a line may step aside too
  std::ptrdiff_t stride = 1;
  for (std::size_t k = 0; k < kAcross; ++k) {
    stride_[k] = stride;
    stride *= size_[k] + 2 * padding_;
  }
  layerSize_ = static_cast<std::size_t>(stride);
  for (const auto& aside : asides) addTap(aside);
}

template <int D>
void Sweep<D>::addTap(const std::array<double, kAcross>& aside) {
  Tap tap;
  for (std::size_t corner = 0; corner < 1U << kAcross; ++corner) {
    double weight = 1;
    std::ptrdiff_t offset = 0;
    for (std::size_t k = 0; k < kAcross; ++k) {
      const double low = std::floor(aside[k]);
      const bool far = corner >> k & 1U;
      weight *= far ? aside[k] - low : 1 - (aside[k] - low);
      offset += (static_cast<std::ptrdiff_t>(low) + far) * stride_[k];
    }
    if (weight < 1e-9) continue;
    tap.offset[tap.count] = offset;
    tap.weight[tap.count++] = weight;
  }
  taps_.push_back(tap);
}

template <int D>
std::size_t Sweep<D>::layerOf(const Index<D>& cell) const {
  const auto along = static_cast<std::size_t>(cell[axis_]);
  return up_ ? along : layers_ - 1 - along;
}

template <int D>
std::size_t Sweep<D>::placeOf(const Index<D>& cell) const {
  std::size_t place = layerOf(cell) * layerSize_;
  for (std::size_t k = 0; k < kAcross; ++k)
    place += static_cast<std::size_t>((cell[across_[k]] + padding_) * stride_[k]);
  return place;
}

template <int D>
std::size_t Sweep<D>::rowCount() const {
  if constexpr (D == 2) return 1;
  return static_cast<std::size_t>(size_[kAcross - 1]);
}

/// Where a row of the box begins, behind the padding.
template <int D>
std::size_t Sweep<D>::rowAt(std::size_t layer, std::size_t row) const {
  const auto padding = static_cast<std::size_t>(padding_);
  std::size_t place = layer * layerSize_ + padding;
  if constexpr (D == 3) place += (row + padding) * static_cast<std::size_t>(stride_[1]);
  return place;
}

/// From a place of the layer to the one in line with it in the layer before.
template <int D>
std::ptrdiff_t Sweep<D>::lineFrom(std::size_t layer) const {
  std::ptrdiff_t offset = -static_cast<std::ptrdiff_t>(layerSize_);
  const auto l = static_cast<double>(layer);
  for (std::size_t k = 0; k < kAcross; ++k)
    offset -= static_cast<std::ptrdiff_t>(std::lround(slope_[k] * l) - std::lround(slope_[k] * (l - 1))) *
              stride_[k];
  return offset;
}

template <int D>
double Sweep<D>::valueOf(const Tap& tap, const double* line) const {
  double sum = 0;
  for (std::size_t i = 0; i < tap.count; ++i) sum += tap.weight[i] * line[tap.offset[i]];
  return sum;
}

template <int D>
double Sweep<D>::before(const double* line) const {
  double most = *line;  // of the first tap
  for (std::size_t t = 1; t < taps_.size(); ++t) most = std::max(most, valueOf(taps_[t], line));
  return most;
}

template <int D>
typename Sweep<D>::Field Sweep<D>::spread(std::span<const double> in) const {
  Field field(layers_ * layerSize_, 0.0);
  forEach(in.size(), [&](std::size_t c) { field[placeOf(grid_.cellIndex(c))] = in[c]; });
  return field;
}

/// @param join of a value of the field, its place, and what comes from before.
template <int D>
template <class Join>
typename Sweep<D>::Field Sweep<D>::pass(std::span<const double> in, const Join& join) const {
  Field field = spread(in);
  for (std::size_t place = 0; place < layerSize_; ++place) field[place] = join(field[place], place, 0.0);
  const auto width = static_cast<std::size_t>(size_[0]);
  for (std::size_t layer = 1; layer < layers_; ++layer) {
    const std::ptrdiff_t line = lineFrom(layer);
    forEach(
        rowCount(),
        [&](std::size_t row) {
          const std::size_t first = rowAt(layer, row);
          for (std::size_t place = first; place < first + width; ++place)
            field[place] = join(field[place], place, before(field.data() + place + line));
        },
        std::max<std::size_t>(1, kBlockSize / (width * taps_.size())));
  }
  return field;
}

template <int D>
typename Sweep<D>::Field Sweep<D>::greatest(std::span<const double> in) const {
  return pass(in, [](double own, std::size_t, double from) { return std::max(own, from); });
}

template <int D>
typename Sweep<D>::Field Sweep<D>::carried(std::span<const double> in,
                                           std::span<const std::uint8_t> free) const {
  std::vector<std::uint8_t> freeAt(layers_ * layerSize_, 0);
  forEach(in.size(), [&](std::size_t c) { freeAt[placeOf(grid_.cellIndex(c))] = free[c]; });
  return pass(in, [&](double own, std::size_t place, double from) {
    return freeAt[place] ? own : std::min(own, from);
  });
}

/// Shares a derivative by `before` among what it came from.
template <int D>
void Sweep<D>::passBack(const double* line, double* gradientLine, double gradient) const {
  const double most = before(line);
  int equal = 0;
  for (const Tap& tap : taps_) equal += valueOf(tap, line) == most;
  for (const Tap& tap : taps_) {
    if (valueOf(tap, line) != most) continue;
    for (std::size_t i = 0; i < tap.count; ++i)
      gradientLine[tap.offset[i]] += tap.weight[i] * gradient / equal;
  }
}

template <int D>
void Sweep<D>::back(std::span<const double> in, const Field& field, std::span<const std::uint8_t> free,
                    std::span<const double> gradientOut, std::span<double> gradientIn) const {
  Field gradient(field.size(), 0.0);
  std::vector<int> cellAt(field.size(), -1);
  forEach(in.size(), [&](std::size_t c) {
    const std::size_t place = placeOf(grid_.cellIndex(c));
    gradient[place] = gradientOut[c];
    cellAt[place] = static_cast<int>(c);
  });
  const bool greatest = free.empty();
  const auto goBack = [&](std::size_t layer, std::ptrdiff_t line, std::size_t place) {
    const double g = gradient[place];
    const int cell = cellAt[place];
    if (g == 0 || (cell < 0 && (layer == 0 || !greatest))) return;
    const auto c = static_cast<std::size_t>(cell);
    if (layer == 0 || (!greatest && free[c])) {
      if (greatest || free[c]) gradientIn[c] += g;
      return;
    }
    const double from = before(field.data() + place + line);
    const double own = cell < 0 ? 0 : in[c];
    const bool takesOwn = greatest ? own >= from : own <= from;
    const double share = own == from ? 0.5 : takesOwn ? 1 : 0;
    if (cell >= 0) gradientIn[c] += share * g;
    if (share < 1) passBack(field.data() + place + line, gradient.data() + place + line, (1 - share) * g);
  };
  // Layer by layer from the last: what a place has by then is all that depends on it. In one order, so that
  // sums are the same on any number of threads. Padding is nothing, whatever depends on it.
  for (std::size_t layer = layers_; layer-- > 0;) {
    const std::ptrdiff_t line = layer > 0 ? lineFrom(layer) : 0;
    for (std::size_t row = 0; row < rowCount(); ++row) {
      const std::size_t first = rowAt(layer, row);
      for (std::size_t place = first; place < first + static_cast<std::size_t>(size_[0]); ++place)
        goBack(layer, line, place);
    }
  }
}

template class Sweep<2>;
template class Sweep<3>;

}  // namespace barelattice
