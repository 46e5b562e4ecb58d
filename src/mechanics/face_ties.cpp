#include "barelattice/mechanics/face_ties.hpp"

#include <Eigen/Eigenvalues>
#include <functional>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// `value` of each point, handed on to its nodes by their weights.
NodalVectors spread(const FaceTies& face, const std::function<Vec3(const SurfacePoint&)>& value) {
  NodalVectors vectors;
  vectors.reserve(face.weights.size());
  std::size_t begin = 0;
  for (const FaceTies::Tie& tie : face.ties) {
    const Vec3 here = value(tie.point);
    for (std::size_t w = begin; w < tie.end; ++w)
      vectors.push_back({face.weights[w].node, face.weights[w].weight * here});
    begin = tie.end;
  }
  return summed(std::move(vectors));
}

}  // namespace

NodalVectors forcesOn(const FaceTies& face, const FaceAction& action) {
  if (face.ties.empty()) throw InputError("the face lies on empty space");
  const double pressure = face.missesByCoarseness ? action.pressure / face.share() : action.pressure;
  return spread(face, [&](const SurfacePoint& point) -> Vec3 {
    return point.area * (action.force / face.area - pressure * point.normal);
  });
}

Vec3 meanOn(const FaceTies& face, std::span<const double> field, const DofOrder& order) {
  for (const TieWeight& w : face.weights)
    requireIndex("degree of freedom", order(w.node, order.components - 1), field.size(),
                 "entries in the field");
  Vec3 sum = Vec3::Zero();
  std::size_t begin = 0;
  for (const FaceTies::Tie& tie : face.ties) {
    for (std::size_t w = begin; w < tie.end; ++w)
      sum += tie.point.area / face.area * face.weights[w].weight * order.at(field, face.weights[w].node);
    begin = tie.end;
  }
  return sum;
}

std::vector<NodalVectors> meanMotions(const FaceTies& face, const Eigen::Matrix3d& axes) {
  if (face.ties.empty()) throw InputError("the face lies on empty space");
  requireFinite("axes", axes);
  std::vector<NodalVectors> motions;
  Vec3 centre = Vec3::Zero();
  for (const FaceTies::Tie& tie : face.ties) centre += tie.point.area / face.area * tie.point.position;
  Eigen::Matrix3d inertia = Eigen::Matrix3d::Zero();  // J
  for (const FaceTies::Tie& tie : face.ties) {
    const Vec3 arm = tie.point.position - centre;
    inertia += tie.point.area * (arm.squaredNorm() * Eigen::Matrix3d::Identity() - arm * arm.transpose());
  }
  // A face on one line does not turn about it: J has no inverse there.
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> principal(inertia);
  constexpr double kFlat = 1e-9;
  Eigen::Matrix3d inverse = Eigen::Matrix3d::Zero();
  for (int i = 0; i < 3; ++i)
    if (principal.eigenvalues()[i] > kFlat * principal.eigenvalues()[2])
      inverse += principal.eigenvectors().col(i) * principal.eigenvectors().col(i).transpose() /
                 principal.eigenvalues()[i];
  for (int i = 0; i < 3; ++i)
    motions.push_back(spread(
        face, [&](const SurfacePoint& point) -> Vec3 { return point.area / face.area * axes.col(i); }));
  for (int i = 0; i < 3; ++i) {
    // axis . J^-1 ((x - c) x u) = (J^-1 axis x (x - c)) . u; the mean of u drops out about the centroid.
    const Vec3 about = inverse * axes.col(i);
    motions.push_back(about.isZero() ? NodalVectors{} : spread(face, [&](const SurfacePoint& point) -> Vec3 {
      return point.area * about.cross(point.position - centre);
    }));
  }
  return motions;
}

}  // namespace barelattice
