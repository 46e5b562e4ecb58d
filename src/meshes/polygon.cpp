#include "polygon.hpp"

#include <algorithm>
#include <numeric>

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;

/// Twice the signed area of a triangle, positive counter-clockwise.
double twiceArea(const Vec2& a, const Vec2& b, const Vec2& c) {
  return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
}

/// The corners in the plane across the vector area of the polygon, counter-clockwise.
std::vector<Vec2> flattened(const std::vector<Vec3>& corners) {
  Vec3 normal = Vec3::Zero();
  for (std::size_t i = 1; i + 1 < corners.size(); ++i)
    normal += (corners[i] - corners[0]).cross(corners[i + 1] - corners[0]);
  if (normal.isZero(0)) normal = Vec3::UnitZ();
  const Vec3 u = normal.unitOrthogonal();
  const Vec3 v = normal.normalized().cross(u);
  std::vector<Vec2> flat;
  flat.reserve(corners.size());
  for (const Vec3& p : corners) flat.emplace_back((p - corners[0]).dot(u), (p - corners[0]).dot(v));
  return flat;
}

}  // namespace

std::vector<std::array<std::size_t, 3>> triangulated(const std::vector<Vec3>& corners) {
  std::vector<std::array<std::size_t, 3>> triangles;
  if (corners.size() < 3) return triangles;
  const std::vector<Vec2> at = flattened(corners);
  std::vector<std::size_t> left(corners.size());
  std::iota(left.begin(), left.end(), std::size_t{0});
  const auto isEar = [&](std::size_t i) {
    const std::size_t a = left[(i + left.size() - 1) % left.size()];
    const std::size_t b = left[i];
    const std::size_t c = left[(i + 1) % left.size()];
    if (twiceArea(at[a], at[b], at[c]) <= 0) return false;
    return std::none_of(left.begin(), left.end(), [&](std::size_t p) {
      if (p == a || p == b || p == c) return false;
      if (at[p] == at[a] || at[p] == at[b] || at[p] == at[c]) return false;  // where a slit touches itself
      return twiceArea(at[a], at[b], at[p]) >= 0 && twiceArea(at[b], at[c], at[p]) >= 0 &&
             twiceArea(at[c], at[a], at[p]) >= 0;
    });
  };
  std::size_t next = 1;
  while (left.size() > 3) {
    std::size_t ear = left.size();
    for (std::size_t k = 0; k < left.size() && ear == left.size(); ++k)
      if (isEar((next + k) % left.size())) ear = (next + k) % left.size();
    // Corners on a line make no ear: one goes with a triangle without area, which keeps the edges together.
    if (ear == left.size()) ear = next % left.size();
    triangles.push_back(
        {left[(ear + left.size() - 1) % left.size()], left[ear], left[(ear + 1) % left.size()]});
    left.erase(left.begin() + static_cast<std::ptrdiff_t>(ear));
    next =
        ear;  // the corner after it: for a convex polygon that makes a fan or strip, not a spiral of slivers
  }
  triangles.push_back({left[0], left[1], left[2]});
  return triangles;
}

}  // namespace barelattice
