#include "tool_reach.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include "base/parallel.hpp"

namespace barelattice {
namespace {

constexpr double kNone = -std::numeric_limits<double>::infinity();

/// The largest or smallest values of the windows of a row: those of lengths 1, 2, 4, ..., of which two cover
/// any other.
template <bool kLargest>
class RowWindows {
 public:
  RowWindows(const double* row, int count, int longest) {
    tables_.emplace_back(row, row + count);
    for (int length = 1; 2 * length <= std::min(longest, count); length *= 2) {
      const std::vector<double>& before = tables_.back();
      std::vector<double> next(before.size());
      for (std::size_t i = 0; i < next.size(); ++i)
        next[i] = better(before[i], before[std::min(i + static_cast<std::size_t>(length), next.size() - 1)]);
      tables_.push_back(std::move(next));
    }
  }
  static double better(double a, double b) { return kLargest ? std::max(a, b) : std::min(a, b); }
  /// Of entries from <= i <= to.
  double best(int from, int to) const {
    const auto length = static_cast<unsigned>(to - from + 1);
    const auto level = std::min(static_cast<std::size_t>(std::bit_width(length)) - 1, tables_.size() - 1);
    const int step = 1 << level;
    return better(tables_[level][static_cast<std::size_t>(from)],
                  tables_[level][static_cast<std::size_t>(to) + 1 - static_cast<std::size_t>(step)]);
  }

 private:
  std::vector<std::vector<double>> tables_;
};

}  // namespace

// With H the heights of the part over the plane across the side, the tip of a tool whose lower surface is
// h(|o|) above it stands over u no lower than
//   T(u) = max_o H(u + o) - h(|o|),
// and what is left over x is no higher than the lowest of what cuts,
//   C(x) = min_o T(x - o) + h(|o|).
// A tool is a stack of discs, each a step of the map wider than the one below: for each the largest
// (smallest) value within its radius is sought row by row. In T the tool is taken as slimmer by the
// tolerance, so C is what a good machinist might do.

ToolReach::ToolReach(const TriangleMesh& solid, const ParallelRays& rays, const Vec3& side, const Tool& tool,
                     double tolerance)
    : turn_(Eigen::Quaterniond::FromTwoVectors(side, Vec3::UnitZ()).toRotationMatrix()),
      tolerance_(tolerance) {
  Box box;
  for (const Vec3& vertex : solid.vertices) box.extend(turn_ * vertex);
  const double deep = box.sizes().z();
  const double radius = tool.cuttingRadius(deep);
  const double across = box.diagonal().norm();
  settlePitch(tool, deep, box.sizes().x() + 2 * radius, box.sizes().y() + 2 * radius);
  bottom_ = box.min().z();
  for (std::size_t i = 0; i < 2; ++i) {
    const auto axis = static_cast<Eigen::Index>(i);
    low_[i] = box.min()[axis] - radius - pitch_;
    count_[i] = static_cast<int>(std::ceil((box.sizes()[axis] + 2 * radius) / pitch_)) + 3;
  }
  measureHeights(rays);
  const std::vector<double> tip =
      bestOf<true>(height_, discsOf(tool, deep, pitch_, tolerance_, false, across));
  left_ = bestOf<false>(tip, discsOf(tool, deep, pitch_, 0, true, across));
}

/// @param slimmer by how much all of it is. @param widestHolder of what is wider no more is to be seen.
std::vector<ToolReach::Disc> ToolReach::discsOf(const Tool& tool, double deep, double pitch, double slimmer,
                                                bool cutting, double widestHolder) {
  std::vector<Disc> discs;
  const double flat = 0.5 * tool.diameter - tool.cornerRadius;
  const double widest = tool.cuttingRadius(deep);
  const int steps = static_cast<int>(std::ceil((widest - flat) / pitch));
  for (int k = 0; k <= steps; ++k) {
    const double radius = std::min(widest, flat + k * pitch);
    const double height = tool.cuttingHeightAt(radius);
    if (height <= deep) discs.push_back({std::max(0.0, radius - slimmer), height});
  }
  if (!cutting && tool.reach > 0 && tool.reach <= deep)
    discs.push_back({std::clamp(0.5 * tool.holder - slimmer, 0.0, widestHolder), tool.reach});
  return discs;
}

/// As fine as half the tolerance, unless that is a million nodes or takes many seconds.
void ToolReach::settlePitch(const Tool& tool, double deep, double width, double length) {
  constexpr double kMostNodes = 1e6;
  constexpr double kMostSteps = 2e9;
  pitch_ = std::max(0.5 * tolerance_, std::sqrt(width * length / kMostNodes));
  for (;; pitch_ *= 1.2) {
    double rows = 0;
    for (const bool cutting : {false, true})
      for (const Disc& disc : discsOf(tool, deep, pitch_, 0, cutting, std::hypot(width, length)))
        rows += 2 * disc.radius / pitch_ + 1;
    if (rows * width * length / (pitch_ * pitch_) < kMostSteps) break;
  }
  tolerance_ = std::max(tolerance_, 2 * pitch_);
}

std::size_t ToolReach::place(int u, int v) const {
  return static_cast<std::size_t>(v) * static_cast<std::size_t>(count_[0]) + static_cast<std::size_t>(u);
}

void ToolReach::measureHeights(const ParallelRays& rays) {
  height_.assign(static_cast<std::size_t>(count_[0]) * static_cast<std::size_t>(count_[1]), kNone);
  forEach(
      static_cast<std::size_t>(count_[1]),
      [&](std::size_t row) {
        for (int u = 0; u < count_[0]; ++u) {
          const Vec3 foot(low_[0] + u * pitch_, low_[1] + static_cast<double>(row) * pitch_,
                          bottom_ - pitch_);
          const std::vector<double> crossings = rays.crossings(turn_.transpose() * foot);
          if (!crossings.empty()) height_[place(u, static_cast<int>(row))] = foot.z() + crossings.back();
        }
      },
      1);
}

/// The largest of the values within each disc less its height, or the smallest of those plus it.
template <bool kLargest>
std::vector<double> ToolReach::bestOf(const std::vector<double>& field,
                                      const std::vector<Disc>& discs) const {
  using Windows = RowWindows<kLargest>;
  double widest = 0;
  for (const Disc& disc : discs) widest = std::max(widest, disc.radius);
  const int longest = 2 * static_cast<int>(widest / pitch_) + 1;
  std::vector<Windows> rows;
  rows.reserve(static_cast<std::size_t>(count_[1]));
  for (int v = 0; v < count_[1]; ++v) rows.emplace_back(field.data() + place(0, v), count_[0], longest);
  std::vector<double> best(field.size(), kLargest ? kNone : -kNone);
  forEach(
      static_cast<std::size_t>(count_[1]),
      [&](std::size_t row) {
        const int v = static_cast<int>(row);
        for (const Disc& disc : discs) {
          const double radius = disc.radius / pitch_;
          const double height = kLargest ? -disc.height : disc.height;
          const int reach = static_cast<int>(radius);
          for (int y = std::max(0, v - reach); y <= std::min(count_[1] - 1, v + reach); ++y) {
            const int half = static_cast<int>(std::sqrt(radius * radius - (y - v) * (y - v)));
            const Windows& windows = rows[static_cast<std::size_t>(y)];
            for (int u = 0; u < count_[0]; ++u) {
              double& here = best[place(u, v)];
              here = Windows::better(
                  here, height + windows.best(std::max(0, u - half), std::min(count_[0] - 1, u + half)));
            }
          }
        }
      },
      1);
  return best;
}

bool ToolReach::reaches(const Vec3& point) const {
  const Vec3 p = turn_ * point;
  const double x = (p.x() - low_[0]) / pitch_;
  const double y = (p.y() - low_[1]) / pitch_;
  for (int k = 0; k < 4; ++k) {
    const int u = static_cast<int>(std::floor(x)) + (k & 1);
    const int v = static_cast<int>(std::floor(y)) + (k >> 1);
    if (u < 0 || v < 0 || u >= count_[0] || v >= count_[1]) return true;  // beside the part
    if (left_[place(u, v)] <= p.z() + tolerance_) return true;
  }
  return false;
}

}  // namespace barelattice
