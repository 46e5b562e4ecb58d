#include "local_share.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "base/parallel.hpp"
#include "meshes/parallel_rays.hpp"

namespace barelattice {
namespace {

/// A table of sums over all cells before each: a sum over any box takes eight of its entries.
class BoxSums {
 public:
  BoxSums(const Index<3>& cells, const std::vector<float>& field) : cells_(cells) {
    sums_.assign(at(cells[0], cells[1], cells[2]) + 1, 0.0);
    std::size_t i = 0;
    for (int z = 1; z <= cells[2]; ++z)
      for (int y = 1; y <= cells[1]; ++y) {
        double row = 0;
        for (int x = 1; x <= cells[0]; ++x) {
          row += static_cast<double>(field[i++]);
          sums_[at(x, y, z)] =
              row + sums_[at(x, y - 1, z)] + sums_[at(x, y, z - 1)] - sums_[at(x, y - 1, z - 1)];
        }
      }
  }
  double round(const Index<3>& centre, int reach) const {
    Index<3> low{}, high{};
    for (std::size_t i = 0; i < 3; ++i) {
      low[i] = std::max(0, centre[i] - reach);
      high[i] = std::min(cells_[i], centre[i] + reach + 1);
    }
    double sum = 0;
    for (int corner = 0; corner < 8; ++corner) {
      const auto end = [&](std::size_t i) { return corner >> i & 1 ? high[i] : low[i]; };
      const bool odd = ((corner & 1) + (corner >> 1 & 1) + (corner >> 2 & 1)) % 2 == 0;
      sum += (odd ? -1 : 1) * sums_[at(end(0), end(1), end(2))];
    }
    return sum;
  }

 private:
  std::size_t at(int x, int y, int z) const {
    return (static_cast<std::size_t>(z) * static_cast<std::size_t>(cells_[1] + 1) +
            static_cast<std::size_t>(y)) *
               static_cast<std::size_t>(cells_[0] + 1) +
           static_cast<std::size_t>(x);
  }
  Index<3> cells_;
  std::vector<double> sums_;
};

}  // namespace

std::optional<FullestPlace> fullestPlace(const TriangleMesh& solid, const Regions& regions, double within,
                                         double finest) {
  const Box box = regions.space->bounds();
  const bool flat = regions.thickness > 0;
  GridFrame<3> frame;
  frame.size = std::max(finest, within / 6);
  frame.origin = box.min();
  const Vec3 sizes = box.sizes();
  for (std::size_t i = 0; i < 3; ++i)
    frame.cells[i] =
        std::max(1, static_cast<int>(std::ceil(sizes[static_cast<Eigen::Index>(i)] / frame.size - 1e-6)));
  if (flat) {
    frame.cells[2] = 1;
    frame.origin.z() = 0.5 * (regions.thickness - frame.size);
  }
  const ParallelRays rays(solid, Vec3::UnitZ());
  std::vector<float> designed(frame.boxCells(), 0);
  std::vector<float> filled(frame.boxCells(), 0);
  const auto columns = static_cast<std::size_t>(frame.cells[0]) * static_cast<std::size_t>(frame.cells[1]);
  const double below = solid.bounds().min().z() - frame.size;
  forEach(
      columns,
      [&](std::size_t column) {
        Index<3> at{static_cast<int>(column % static_cast<std::size_t>(frame.cells[0])),
                    static_cast<int>(column / static_cast<std::size_t>(frame.cells[0])), 0};
        Vec3 foot = frame.centre(at);
        foot.z() = below;
        const std::vector<double> heights = rays.crossings(foot);
        for (at[2] = 0; at[2] < frame.cells[2]; ++at[2]) {
          const Vec3 centre = frame.centre(at);
          if (regions.available(centre) >= 0 || regions.kept(centre) <= 0) continue;
          const std::size_t i = frame.linear(at);
          designed[i] = 1;
          const auto passed =
              std::lower_bound(heights.begin(), heights.end(), centre.z() - below) - heights.begin();
          filled[i] = passed % 2 == 1;
        }
      },
      16);
  const BoxSums designedRound(frame.cells, designed);
  const BoxSums filledRound(frame.cells, filled);
  const int reach = std::max(1, static_cast<int>(std::lround(within / frame.size)));
  const double whole = std::pow(2 * reach + 1, flat ? 2 : 3);
  std::vector<FullestPlace> places;
  forEachIndex<3>(frame.cells, [&](const Index<3>& at) {
    const double there = designedRound.round(at, reach);
    if (designed[frame.linear(at)] > 0 && there >= 0.25 * whole)
      places.push_back({filledRound.round(at, reach) / there, frame.centre(at)});
  });
  if (places.empty()) return std::nullopt;
  constexpr double kFew = 0.005;  // of the places
  const auto rank = static_cast<std::ptrdiff_t>(kFew * static_cast<double>(places.size()));
  std::nth_element(places.begin(), places.begin() + rank, places.end(),
                   [](const FullestPlace& a, const FullestPlace& b) { return a.share > b.share; });
  return places[static_cast<std::size_t>(rank)];
}

}  // namespace barelattice
