#include "trapped_voids.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "barelattice/grid/grid.hpp"
#include "base/parallel.hpp"
#include "meshes/parallel_rays.hpp"

namespace barelattice {
namespace {

constexpr float kFar = std::numeric_limits<float>::max();

/// For each cell of a box the squared distance in cells to the nearest zero, as far as `reach`: of one axis
/// after the other (the separable transform of Felzenszwalb & Huttenlocher 2012, within a window).
void spreadDistances(const GridFrame<3>& frame, int reach, std::vector<float>& squared) {
  std::size_t stride = 1;
  for (std::size_t axis = 0; axis < 3; ++axis) {
    const auto n = static_cast<std::size_t>(frame.cells[axis]);
    forEach(
        squared.size() / n,
        [&](std::size_t line) {
          float* first = squared.data() + line / stride * stride * n + line % stride;
          std::vector<float> old(n);
          for (std::size_t i = 0; i < n; ++i) old[i] = first[i * stride];
          for (std::size_t i = 0; i < n; ++i) {
            const std::size_t from = i - std::min(i, static_cast<std::size_t>(reach));
            const std::size_t to = std::min(n - 1, i + static_cast<std::size_t>(reach));
            float least = kFar;
            for (std::size_t k = from; k <= to; ++k) {
              if (old[k] == kFar) continue;
              const float apart = static_cast<float>(k > i ? k - i : i - k);
              least = std::min(least, old[k] + apart * apart);
            }
            first[i * stride] = least;
          }
        },
        std::max<std::size_t>(1, kBlockSize / n));
    stride *= n;
  }
}

/// A frame round the solid with room for a ball beside it.
GridFrame<3> frameRound(const Box& box, double radius) {
  constexpr double kMostCells = 2e7;
  GridFrame<3> frame;
  const Vec3 sizes = box.sizes() + Vec3::Constant(4 * radius);
  frame.size = std::max(0.25 * radius, std::cbrt(sizes.prod() / kMostCells));
  frame.origin = box.min() - Vec3::Constant(2 * radius);
  for (std::size_t i = 0; i < 3; ++i)
    frame.cells[i] = static_cast<int>(std::ceil(sizes[static_cast<Eigen::Index>(i)] / frame.size)) + 2;
  return frame;
}

/// Zero in the solid, far elsewhere.
std::vector<float> emptiness(const TriangleMesh& solid, const GridFrame<3>& frame) {
  const ParallelRays rays(solid, Vec3::UnitZ());
  std::vector<float> field(frame.boxCells(), kFar);
  const auto width = static_cast<std::size_t>(frame.cells[0]);
  forEach(
      width * static_cast<std::size_t>(frame.cells[1]),
      [&](std::size_t column) {
        Index<3> at{static_cast<int>(column % width), static_cast<int>(column / width), 0};
        const Vec3 foot = frame.centre(at);
        const std::vector<double> heights = rays.crossings(foot);
        for (; at[2] < frame.cells[2]; ++at[2]) {
          const double up = at[2] * frame.size;
          const auto passed = std::upper_bound(heights.begin(), heights.end(), up) - heights.begin();
          if (passed % 2 != 0) field[frame.linear(at)] = 0;
        }
      },
      64);
  return field;
}

}  // namespace

TrappedVoids trappedVoids(const TriangleMesh& solid, double opening, double tolerance) {
  const double radius = 0.5 * opening;
  const GridFrame<3> frame = frameRound(solid.bounds(), radius);
  // Where the middle of a ball can be: the surface lies half a cell before the first cell of the solid.
  std::vector<float> apart = emptiness(solid, frame);
  const double clear = std::max(0.0, (radius - tolerance) / frame.size + 0.5);
  spreadDistances(frame, static_cast<int>(std::ceil(clear)), apart);
  const Grid<3> grid(frame, std::vector<std::uint8_t>(frame.boxCells(), 1));
  std::vector<std::uint8_t> open(apart.size());
  for (std::size_t c = 0; c < open.size(); ++c)
    open[c] = apart[c] == kFar || static_cast<double>(apart[c]) > clear * clear;
  const Pieces pieces = findPieces(grid, open);
  const int outside = pieces.ofCell.front();  // a corner of the box
  std::size_t largest = 0;
  for (std::size_t p = 0; p < pieces.cells.size(); ++p)
    if (static_cast<int>(p) != outside) largest = std::max(largest, pieces.cells[p]);
  TrappedVoids found;
  if (largest == 0) return found;
  // The room of those balls.
  std::vector<float> from(apart.size(), kFar);
  double cells = 0;
  for (std::size_t c = 0; c < from.size(); ++c) {
    const int piece = pieces.ofCell[c];
    if (piece < 0 || piece == outside) continue;
    from[c] = 0;
    if (pieces.cells[static_cast<std::size_t>(piece)] != largest) continue;
    found.at += grid.cellCentre(c);
    ++cells;
  }
  found.at /= cells;
  spreadDistances(frame, static_cast<int>(std::ceil(clear)), from);
  double filled = 0;
  for (std::size_t c = 0; c < from.size(); ++c)
    if (apart[c] > 0 && from[c] != kFar && static_cast<double>(from[c]) <= clear * clear) ++filled;
  found.volume = filled * std::pow(frame.size, 3);
  return found;
}

}  // namespace barelattice
