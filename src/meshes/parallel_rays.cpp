#include "parallel_rays.hpp"

#include <algorithm>
#include <cmath>

namespace barelattice {

ParallelRays::ParallelRays(const TriangleMesh& surface, const Vec3& direction)
    : turn_(Eigen::Quaterniond::FromTwoVectors(direction, Vec3::UnitZ()).toRotationMatrix()) {
  auto turned = std::make_unique<TriangleMesh>(surface);
  for (Vec3& vertex : turned->vertices) vertex = turn_ * vertex;
  top_ = turned->bounds().max().z();
  size_ = turned->bounds().diagonal().norm();
  turned_ = std::move(turned);
  tree_ = std::make_unique<const TriangleTree>(*turned_);
}

/// @param visit of the distance, and whether the surface is met from outside.
template <class Visit>
void ParallelRays::forEachCrossing(const Vec3& from, const Visit& visit) const {
  const Vec3 start = turn_ * from;
  if (start.z() > top_) return;
  std::vector<int> candidates;
  tree_->appendOverlaps(Box(start, Vec3(start.x(), start.y(), top_)), candidates);
  for (const int t : candidates) {
    const Vec3& a = turned_->corner(static_cast<std::size_t>(t), 0);
    const Vec3& b = turned_->corner(static_cast<std::size_t>(t), 1);
    const Vec3& c = turned_->corner(static_cast<std::size_t>(t), 2);
    // Seen from the end of the ray; a face that is met from outside runs clockwise.
    const auto twice = [&](const Vec3& p, const Vec3& q) {
      return (p.x() - start.x()) * (q.y() - start.y()) - (p.y() - start.y()) * (q.x() - start.x());
    };
    const double onA = twice(b, c), onB = twice(c, a), onC = twice(a, b);
    const bool outside = (onA < 0 || onB < 0 || onC < 0) && (onA > 0 || onB > 0 || onC > 0);
    const double area = onA + onB + onC;
    if (outside || area == 0) continue;
    const double height = (onA * a.z() + onB * b.z() + onC * c.z()) / area - start.z();
    if (height >= 0) visit(height, area < 0);
  }
}

std::optional<double> ParallelRays::untilEntering(const Vec3& from) const {
  std::optional<double> first;
  forEachCrossing(from, [&](double distance, bool entering) {
    if (entering && (!first || distance < *first)) first = distance;
  });
  return first;
}

std::vector<double> ParallelRays::crossings(const Vec3& from) const {
  // A hair aside: a ray through an edge would meet both its triangles.
  const Vec3 beside = from + turn_.transpose() * Vec3(1.7e-7, 2.3e-7, 0) * size_;
  std::vector<double> distances;
  forEachCrossing(beside, [&](double distance, bool) { distances.push_back(distance); });
  std::sort(distances.begin(), distances.end());
  return distances;
}

}  // namespace barelattice
