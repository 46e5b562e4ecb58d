#include "barelattice/optimise/face_motions.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// Axes of which the first is a direction.
Eigen::Matrix3d axesFrom(const Vec3& direction) {
  Eigen::Matrix3d axes;
  axes.col(0) = direction.normalized();
  axes.col(1) = axes.col(0).unitOrthogonal();
  axes.col(2) = axes.col(0).cross(axes.col(1));
  return axes;
}

}  // namespace

FaceMotions::FaceMotions(std::string name, const FaceMotion& motion, const DofOrder& order)
    : name_(std::move(name)),
      unit_(motion.turn ? "_rad" : "_m"),
      whole_(!motion.turn && !motion.over && !motion.along),
      order_(order) {
  if (motion.along && !(motion.along->norm() > 0))
    throw InputError("the direction of a motion has no length", "give a vector");
  const Eigen::Matrix3d axes = motion.along ? axesFrom(*motion.along) : Eigen::Matrix3d::Identity();
  const std::ptrdiff_t first = motion.turn ? 3 : 0;
  const std::ptrdiff_t count = motion.along ? 1 : 3;
  const auto meansOf = [&](const FaceTies& face) {
    if (!(face.area > 0)) throw InputError("nothing of a face of " + name_ + " is on the body");
    std::vector<NodalVectors> all = meanMotions(face, axes);
    std::vector<NodalVectors> own(all.begin() + first, all.begin() + first + count);
    return own;
  };
  means_ = meansOf(motion.face);
  if (motion.over) {
    const std::vector<NodalVectors> less = meansOf(*motion.over);
    for (std::size_t i = 0; i < means_.size(); ++i) {
      for (NodalVector value : less[i]) {
        value.value *= -1;
        means_[i].push_back(value);
      }
      means_[i] = summed(std::move(means_[i]));
    }
  }
  if (std::all_of(means_.begin(), means_.end(), [](const NodalVectors& m) { return m.empty(); }))
    throw InputError("the face of " + name_ + " is a line about which it does not turn",
                     "ask for its turning about another direction");
}

std::vector<std::string> FaceMotions::names(const Analysis& analysis) const {
  std::vector<std::string> names;
  for (std::size_t k = 0; k < analysis.caseCount(); ++k)
    names.push_back(name_ + "_in_" + analysis.caseName(k) + unit_);
  return names;
}

double FaceMotions::mostGain(const Analysis& analysis, std::size_t which) const {
  constexpr double kHalf = 2;
  return whole_ && !analysis.loadFollowsLayout(which) ? kHalf : std::numeric_limits<double>::infinity();
}

Eigen::VectorXd FaceMotions::motion(std::span<const double> displacement) const {
  Eigen::VectorXd mean(static_cast<Eigen::Index>(means_.size()));
  for (std::size_t i = 0; i < means_.size(); ++i)
    mean[static_cast<Eigen::Index>(i)] = order_.dot(means_[i], displacement);
  return mean;
}

std::vector<double> FaceMotions::values(const Analysed& at) const {
  std::vector<double> values;
  for (std::size_t k = 0; k < at.states.displacements.size(); ++k)
    values.push_back(std::isfinite(at.states.compliances[k]) ? motion(at.states.displacements[k]).norm()
                                                             : std::numeric_limits<double>::infinity());
  return values;
}

std::optional<AdjointLoad> FaceMotions::adjointLoad(const Analysed& at, std::size_t which) const {
  requireIndex("case", which, at.states.displacements.size(), "cases");
  const std::vector<double>& u = at.states.displacements[which];
  const Eigen::VectorXd mean = motion(u);
  if (mean.isZero()) return std::nullopt;
  AdjointLoad load{which, std::vector<double>(u.size(), 0.0)};
  for (std::size_t i = 0; i < means_.size(); ++i)
    order_.add(means_[i], mean.normalized()[static_cast<Eigen::Index>(i)], load.byDisplacement);
  return load;
}

void FaceMotions::gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                               std::span<double> gradient) const {
  if (adjoint.empty()) return std::fill(gradient.begin(), gradient.end(), 0.0);
  at.analysis.adjointGradient(at.states, which, adjoint, gradient);
}

void FaceMotions::gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const {
  const std::optional<AdjointLoad> load = adjointLoad(at, which);
  gradientFrom(at, which,
               load ? at.analysis.adjoint(at.states, which, load->byDisplacement) : std::vector<double>(),
               gradient);
}

}  // namespace barelattice
