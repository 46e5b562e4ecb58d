#include "parallel_rays.hpp"

#include <algorithm>
#include <cmath>

namespace barelattice {

ParallelRays::ParallelRays(const TriangleMesh& surface, const Vec3& direction)
    : turn_(Eigen::Quaterniond::FromTwoVectors(direction, Vec3::UnitZ()).toRotationMatrix()) {
  auto turned = std::make_unique<TriangleMesh>(surface);
  for (Vec3& vertex : turned->vertices) vertex = turn_ * vertex;
  top_ = turned->bounds().max().z();
  turned_ = std::move(turned);
  tree_ = std::make_unique<const TriangleTree>(*turned_);
}

std::optional<double> ParallelRays::untilEntering(const Vec3& from) const {
  const Vec3 start = turn_ * from;
  if (start.z() > top_) return std::nullopt;
  std::vector<int> candidates;
  tree_->appendOverlaps(Box(start, Vec3(start.x(), start.y(), top_)), candidates);
  std::optional<double> first;
  for (const int t : candidates) {
    const Vec3& a = turned_->corner(static_cast<std::size_t>(t), 0);
    const Vec3& b = turned_->corner(static_cast<std::size_t>(t), 1);
    const Vec3& c = turned_->corner(static_cast<std::size_t>(t), 2);
    // Seen along the ray; a face that is met from outside runs clockwise from behind it.
    const auto twice = [&](const Vec3& p, const Vec3& q) {
      return (p.x() - start.x()) * (q.y() - start.y()) - (p.y() - start.y()) * (q.x() - start.x());
    };
    const double onA = twice(b, c), onB = twice(c, a), onC = twice(a, b);
    if (!(onA <= 0 && onB <= 0 && onC <= 0)) continue;
    const double area = onA + onB + onC;
    if (!(area < 0)) continue;
    const double height = (onA * a.z() + onB * b.z() + onC * c.z()) / area - start.z();
    if (height >= 0 && (!first || height < *first)) first = height;
  }
  return first;
}

}  // namespace barelattice
