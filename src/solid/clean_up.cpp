#include "clean_up.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "base/parallel.hpp"

namespace barelattice {
namespace {

/// Signed distances on the cells of a frame from a function sampled there.
///
/// Cells next to a change of sign find the nearest point of the surface along the gradient, to a fraction of
/// a cell; the other cells take over the nearest of their neighbours' points, sweeping forth and back until
/// the whole frame is reached (vector distance transform, Danielsson 1980).
class Distances {
 public:
  explicit Distances(const GridFrame<3>& frame) : frame_(frame) {}

  std::vector<float> from(const std::vector<float>& values) {
    nearest_.assign(values.size(), Eigen::Vector3f::Constant(kFar));
    forEachIndex<3>(frame_.cells, [&](const Index<3>& at) { seed(values, at); });
    sweep(true);
    sweep(false);
    sweep(true);
    sweep(false);
    std::vector<float> distance(values.size());
    forEachIndex<3>(frame_.cells, [&](const Index<3>& at) {
      const std::size_t i = frame_.linear(at);
      const float size = (nearest_[i] - place(at)).norm() * static_cast<float>(frame_.size);
      distance[i] = values[i] < 0 ? -size : size;
    });
    return distance;
  }

 private:
  static constexpr float kFar = 1e6F;  // cells

  static Eigen::Vector3f place(const Index<3>& at) {
    return {static_cast<float>(at[0]), static_cast<float>(at[1]), static_cast<float>(at[2])};
  }

  void seed(const std::vector<float>& values, const Index<3>& at) {
    const float here = values[frame_.linear(at)];
    Eigen::Vector3f gradient = Eigen::Vector3f::Zero();
    bool next = false;
    for (std::size_t axis = 0; axis < 3; ++axis) {
      Index<3> low = at;
      Index<3> high = at;
      if (at[axis] > 0) --low[axis];
      if (at[axis] + 1 < frame_.cells[axis]) ++high[axis];
      if (low[axis] == high[axis]) continue;
      const float below = values[frame_.linear(low)];
      const float above = values[frame_.linear(high)];
      next = next || (below < 0) != (here < 0) || (above < 0) != (here < 0);
      // The steeper side: a thin gap or member has its turning point between the neighbours.
      const float rise = above - here;
      const float fall = here - below;
      gradient[static_cast<Eigen::Index>(axis)] = std::abs(rise) > std::abs(fall) ? rise : fall;
    }
    if (!next) return;
    const Eigen::Vector3f step = here / std::max(gradient.squaredNorm(), 1e-30F) * gradient;
    nearest_[frame_.linear(at)] = place(at) - (step.norm() > 1 ? Eigen::Vector3f(step.normalized()) : step);
  }

  void sweep(bool forward) {
    const auto visit = [&](Index<3> at) {
      if (!forward)
        for (std::size_t i = 0; i < 3; ++i) at[i] = frame_.cells[i] - 1 - at[i];
      Eigen::Vector3f& own = nearest_[frame_.linear(at)];
      float least = (own - place(at)).squaredNorm();
      forEachIndex<3>({3, 3, 3}, [&](const Index<3>& offset) {
        Index<3> other = at;
        for (std::size_t i = 0; i < 3; ++i) other[i] += offset[i] - 1;
        if (!frame_.contains(other)) return;
        const Eigen::Vector3f& candidate = nearest_[frame_.linear(other)];
        const float distance = (candidate - place(at)).squaredNorm();
        if (distance < least) {
          least = distance;
          own = candidate;
        }
      });
    };
    forEachIndex<3>(frame_.cells, visit);
  }

  const GridFrame<3>& frame_;
  std::vector<Eigen::Vector3f> nearest_;  // in cells
};

}  // namespace

CleanUpReport fillVoids(SmoothLayout& layout, const Regions& regions, double threshold, double size) {
  const GridFrame<3>& frame = layout.frame();
  const std::vector<float>& values = layout.values();
  std::vector<std::uint8_t> empty(values.size());
  forEachIndex<3>(frame.cells, [&](const Index<3>& at) {
    const std::size_t i = frame.linear(at);
    empty[i] = static_cast<double>(values[i]) < threshold && regions.kept(frame.centre(at)) > 0;
  });
  const Grid<3> box(frame,
                    std::vector<std::uint8_t>(values.size(), 1));  // numbers its cells as the frame does
  const Pieces pieces = findPieces(box, empty);
  // What reaches the edge of the frame or a clear is not enclosed.
  std::vector<std::uint8_t> open(pieces.cells.size(), 0);
  forEachIndex<3>(frame.cells, [&](const Index<3>& at) {
    const int piece = pieces.ofCell[frame.linear(at)];
    if (piece < 0) return;
    bool edge = false;
    for (std::size_t i = 0; i < (layout.flat() ? 2U : 3U); ++i)
      edge = edge || at[i] == 0 || at[i] + 1 == frame.cells[i];
    const Vec3 centre = frame.centre(at);
    if (edge || regions.space->distance(centre) > 0 ||
        std::any_of(regions.clears.begin(), regions.clears.end(),
                    [&](const ShapePtr& clear) { return clear->distance(centre) < 0; }))
      open[static_cast<std::size_t>(piece)] = 1;
  });
  const double cell = std::pow(frame.size, layout.flat() ? 2 : 3);
  const double most =
      layout.flat() ? std::numbers::pi / 4 * size * size : std::numbers::pi / 6 * size * size * size;
  CleanUpReport report;
  std::vector<std::uint8_t> filled(pieces.cells.size(), 0);
  for (std::size_t p = 0; p < filled.size(); ++p) {
    const double volume = static_cast<double>(pieces.cells[p]) * cell;
    if (open[p] || volume >= most) continue;
    filled[p] = 1;
    ++report.voids;
    report.voidVolume += volume;
  }
  std::vector<std::size_t> cells;
  for (std::size_t i = 0; i < values.size(); ++i)
    if (pieces.ofCell[i] >= 0 && filled[static_cast<std::size_t>(pieces.ofCell[i])]) cells.push_back(i);
  layout.fill(cells);
  return report;
}

std::vector<float> closedField(const SmoothLayout& layout, const Implicit& part, double gap) {
  const GridFrame<3>& frame = layout.frame();
  std::vector<float> values(frame.boxCells());
  const auto width = static_cast<std::size_t>(frame.cells[0]);
  forEach(
      values.size() / width,
      [&](std::size_t row) {
        Index<3> at{0, static_cast<int>(row) % frame.cells[1], static_cast<int>(row) / frame.cells[1]};
        for (; at[0] < frame.cells[0]; ++at[0])
          values[frame.linear(at)] = static_cast<float>(part(frame.centre(at)));
      },
      16);
  Distances distances(frame);
  const auto reach = static_cast<float>(0.5 * gap);
  std::vector<float> grown = distances.from(values);
  for (float& value : grown) value -= reach;
  std::vector<float> closed = distances.from(grown);
  // Distances on cells are good to about a tenth of one; taking that off keeps closing from thickening what
  // has no gap.
  const auto margin = static_cast<float>(0.1 * frame.size);
  for (float& value : closed) value += reach + margin;
  return closed;
}

}  // namespace barelattice
