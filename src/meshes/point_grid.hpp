/// @file
/// Points sorted into cells, to find those near a place.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <optional>
#include <unordered_map>
#include <vector>

#include "barelattice/meshes/vec.hpp"

namespace barelattice {

/// A hash grid of points; cells that share a key by chance only cost time.
class PointGrid {
 public:
  /// @param cell edge length of the cells, m, above zero.
  explicit PointGrid(double cell) : cell_(cell) {}

  void add(const Vec3& point) {
    cells_[key(index(point))].push_back(static_cast<int>(points_.size()));
    points_.push_back(point);
  }

  /// Calls `visit` with the number of every point, in the order of adding within a cell, in the cells round a
  /// place, which hold all points within one cell's edge of it. It may return true to end the search.
  /// @returns whether it did.
  template <class Visit>
  bool visitNear(const Vec3& place, Visit&& visit) const {
    return visitShell(index(place), 0, visit) || visitShell(index(place), 1, visit);
  }

  /// The number of the nearest point, the first of equal ones; none beyond `kMostShells` cells.
  std::optional<int> nearest(const Vec3& place) const {
    std::optional<int> best;
    double least = std::numeric_limits<double>::max();
    const auto better = [&](int i) {
      const double distance = (points_[static_cast<std::size_t>(i)] - place).squaredNorm();
      if (distance < least || (distance == least && i < *best)) {
        least = distance;
        best = i;
      }
      return false;
    };
    const auto home = index(place);
    // What lies beyond a shell is at least that many edges away.
    for (int shell = 0; shell <= kMostShells && least > std::pow((shell - 1) * cell_, 2); ++shell)
      visitShell(home, shell, better);
    return best;
  }

  const Vec3& operator[](int i) const { return points_[static_cast<std::size_t>(i)]; }

  static constexpr int kMostShells = 20;

 private:
  using Index = std::array<std::int64_t, 3>;

  Index index(const Vec3& p) const {
    Index i;
    for (int k = 0; k < 3; ++k)
      i[static_cast<std::size_t>(k)] = static_cast<std::int64_t>(std::floor(p[k] / cell_));
    return i;
  }
  static std::uint64_t key(const Index& i) {
    constexpr std::uint64_t kMask = (1U << 21) - 1;
    std::uint64_t k = 0;
    for (const std::int64_t n : i) k = k << 21 | (static_cast<std::uint64_t>(n) & kMask);
    return k;
  }
  /// The cells at a distance of exactly `r` cells.
  template <class Visit>
  bool visitShell(const Index& home, std::int64_t r, Visit&& visit) const {
    for (std::int64_t z = -r; z <= r; ++z)
      for (std::int64_t y = -r; y <= r; ++y) {
        const bool side = std::abs(z) == r || std::abs(y) == r;
        for (std::int64_t x = -r; x <= r; x += side || r == 0 ? 1 : 2 * r) {
          const auto found = cells_.find(key({home[0] + x, home[1] + y, home[2] + z}));
          if (found == cells_.end()) continue;
          for (const int i : found->second)
            if (visit(i)) return true;
        }
      }
    return false;
  }

  double cell_;
  std::vector<Vec3> points_;
  std::unordered_map<std::uint64_t, std::vector<int>> cells_;
};

}  // namespace barelattice
