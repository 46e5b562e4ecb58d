#include "crease.hpp"

#include <Eigen/LU>

namespace barelattice {
namespace {

constexpr double kCreaseCosine = 0.82;   // 35 degrees
constexpr double kFeatherCosine = -0.5;  // 120 degrees
constexpr int kHalvings = 4;             // of the way, until the faces at its crease are told apart

/// The point nearest to `start` that lies on all tangent planes.
template <std::size_t N>
std::optional<Vec3> meet(const std::array<Tangent, N>& planes, const Vec3& start) {
  Eigen::Matrix<double, N, 3> normals;
  Eigen::Matrix<double, N, 1> gaps;
  for (std::size_t i = 0; i < N; ++i) {
    normals.row(static_cast<Eigen::Index>(i)) = planes[i].normal;
    gaps[static_cast<Eigen::Index>(i)] = planes[i].normal.dot(planes[i].point - start);
  }
  const Eigen::Matrix<double, N, N> gram = normals * normals.transpose();
  if (gram.determinant() < 0.02) return std::nullopt;  // nearly parallel: no crease to speak of
  return start + normals.transpose() * gram.inverse() * gaps;
}

}  // namespace

Vec3 CreaseFinder::gradient(const Vec3& at) const {
  Vec3 g;
  for (int i = 0; i < 3; ++i)
    g[i] = (f_(at + step() * Vec3::Unit(i)) - f_(at - step() * Vec3::Unit(i))) / (2 * step());
  return g;
}

Vec3 CreaseFinder::normal(const Vec3& point) const {
  return gradient(point).stableNormalized();
}

bool CreaseFinder::mayMeet(const Vec3& first, const Vec3& second) {
  const double cosine = first.dot(second);
  return cosine < kCreaseCosine && cosine > kFeatherCosine;
}

/// Projects a point onto { f = 0 } along the gradient.
std::optional<Tangent> CreaseFinder::tangentNear(Vec3 point) const {
  Vec3 g = Vec3::Zero();
  for (int i = 0; i < 3; ++i) {
    g = gradient(point);
    if (g.squaredNorm() < 1e-6) return std::nullopt;
    point -= f_(point) * g / g.squaredNorm();
  }
  return Tangent{point, g.normalized()};
}

// The surface is halved between the points, each time on towards where its normal turns: the planes there are
// those of the two faces at the crease. Those at the points themselves may belong to a curved face, or to a
// third one that only passes close by.
std::optional<Crease> CreaseFinder::between(Tangent first, Tangent second) const {
  for (int i = 0; i < kHalvings; ++i) {
    const Vec3 middle = 0.5 * (first.point + second.point);
    const std::optional<Tangent> halfway = tangentNear(middle);
    if (!halfway || (halfway->point - middle).norm() > spacing_) return std::nullopt;
    const bool likeFirst = halfway->normal.dot(first.normal) > halfway->normal.dot(second.normal);
    (likeFirst ? first : second) = *halfway;
  }
  if (first.normal.dot(second.normal) > kCreaseCosine) return std::nullopt;  // it only bends
  const Vec3 middle = 0.5 * (first.point + second.point);
  const std::optional<Vec3> point = meet(std::array{first, second}, middle);
  if (!point || (*point - middle).norm() > spacing_) return std::nullopt;
  return Crease{*point, {first.normal, second.normal}};
}

std::optional<Vec3> CreaseFinder::corner(const std::array<Tangent, 3>& faces, const Vec3& near) const {
  std::optional<Vec3> point = meet(faces, near);
  if (!point || (*point - near).norm() > spacing_) return std::nullopt;
  return point;
}

}  // namespace barelattice
