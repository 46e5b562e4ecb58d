#include "barelattice/layout/open_voids_map.hpp"

#include <cmath>
#include <cstdint>
#include <functional>
#include <queue>
#include <vector>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "neighbours.hpp"

namespace barelattice {
namespace {

template <int D>
std::vector<Index<D>> ballCells(double radius) {
  constexpr double kRounding = 1e-6;
  const int reach = static_cast<int>(std::ceil(radius));
  Index<D> extent{};
  extent.fill(2 * reach + 1);
  std::vector<Index<D>> cells;
  forEachIndex<D>(extent, [&](Index<D> at) {
    double square = 0;
    for (int& i : at) {
      i -= reach;
      square += i * i;
    }
    if (square <= (radius + kRounding) * (radius + kRounding)) cells.push_back(at);
  });
  return cells;
}

/// Where a flood from the border of a box stands highest on its way to each place.
struct Flood {
  std::vector<double> level;
  std::vector<std::uint32_t> from;  // the place the level is of
};

/// Floods a box: of all places next to the water the lowest goes under next. What lies below the water does
/// so at once, which spares most of the queue.
template <int D>
Flood flooded(const GridFrame<D>& frame, const std::vector<double>& ground) {
  using Entry = std::pair<double, std::uint32_t>;
  Flood flood{ground, std::vector<std::uint32_t>(ground.size())};
  std::vector<std::uint8_t> seen(ground.size(), 0);
  std::priority_queue<Entry, std::vector<Entry>, std::greater<>> shore;
  std::vector<std::uint32_t> below;
  for (std::size_t p = 0; p < ground.size(); ++p) {
    const auto place = static_cast<std::uint32_t>(p);
    const Index<D> at = frame.index(place);
    bool border = false;
    for (std::size_t i = 0; i < D; ++i) border = border || at[i] == 0 || at[i] + 1 == frame.cells[i];
    if (!border) continue;
    seen[p] = 1;
    flood.from[p] = place;
    shore.emplace(ground[p], place);
  }
  while (!below.empty() || !shore.empty()) {
    std::uint32_t place = 0;
    if (!below.empty()) {
      place = below.back();
      below.pop_back();
    } else {
      place = shore.top().second;
      shore.pop();
    }
    const double level = flood.level[place];
    const Index<D> at = frame.index(place);
    std::uint32_t stride = 1;
    for (std::size_t i = 0; i < D; ++i) {
      for (const bool up : {false, true}) {
        if (up ? at[i] + 1 == frame.cells[i] : at[i] == 0) continue;
        const std::uint32_t next = up ? place + stride : place - stride;
        if (seen[next]) continue;
        seen[next] = 1;
        const bool under = ground[next] <= level;
        flood.level[next] = under ? level : ground[next];
        flood.from[next] = under ? flood.from[place] : next;
        if (under)
          below.push_back(next);
        else
          shore.emplace(ground[next], next);
      }
      stride *= static_cast<std::uint32_t>(frame.cells[i]);
    }
  }
  return flood;
}

}  // namespace

/// What a way back reads of a way there; of the widened box.
template <int D>
struct OpenVoidsMap<D>::Made {
  std::vector<double> in;
  std::vector<double> thick;  // D
  Flood flood;                // F
  std::vector<double> left;
};

template <int D>
OpenVoidsMap<D>::OpenVoidsMap(const Grid<D>& grid, double opening) : grid_(grid) {
  requireNotNegative("opening", opening);
  const double radius = 0.5 * opening / grid.frame().size;
  Index<D> margin{};
  margin.fill(static_cast<int>(std::ceil(radius)) + 1);
  box_ = std::make_unique<const WideBox<D>>(grid.frame(), margin);
  ball_ = std::make_unique<const Neighbours<D>>(box_->frame.cells, ballCells<D>(radius));
}

template <int D>
OpenVoidsMap<D>::~OpenVoidsMap() = default;

template <int D>
typename OpenVoidsMap<D>::Made OpenVoidsMap<D>::make(std::span<const double> in) const {
  requireCount("in", in.size(), grid_.cellCount(), "cells");
  Made made;
  made.in = box_->spread(grid_, in);
  made.thick = ball_->largest(made.in);
  made.flood = flooded<D>(box_->frame, made.thick);
  made.left = ball_->smallest(made.flood.level);
  return made;
}

template <int D>
void OpenVoidsMap<D>::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("out", out.size(), grid_.cellCount(), "cells");
  const Made made = make(in);
  forEach(out.size(), [&](std::size_t c) { out[c] = made.left[box_->placeOf(grid_.cellIndex(c))]; });
}

template <int D>
void OpenVoidsMap<D>::backward(std::span<const double> in, std::span<const double> /*out*/,
                               std::span<const double> gradientOut, std::span<double> gradientIn) const {
  requireCount("gradientOut", gradientOut.size(), grid_.cellCount(), "cells");
  requireCount("gradientIn", gradientIn.size(), grid_.cellCount(), "cells");
  const Made made = make(in);
  const std::vector<double> byFlood =
      ball_->backFromSmallest(made.flood.level, made.left, box_->spread(grid_, gradientOut));
  std::vector<double> byThick(byFlood.size(), 0.0);
  for (std::size_t p = 0; p < byFlood.size(); ++p) byThick[made.flood.from[p]] += byFlood[p];
  const std::vector<double> byIn = ball_->backFromLargest(made.in, made.thick, byThick);
  forEach(gradientIn.size(), [&](std::size_t c) { gradientIn[c] = byIn[box_->placeOf(grid_.cellIndex(c))]; });
}

template class OpenVoidsMap<2>;
template class OpenVoidsMap<3>;

}  // namespace barelattice
