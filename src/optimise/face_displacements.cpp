#include "barelattice/optimise/face_displacements.hpp"

#include <cmath>
#include <limits>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"

namespace barelattice {

FaceDisplacements::FaceDisplacements(std::string face, const FaceTies& ties, const DofOrder& order)
    : face_(std::move(face)), means_(meanMotions(ties, Eigen::Matrix3d::Identity())), order_(order) {
  if (!(ties.area > 0)) throw InputError("nothing of face " + face_ + " is on the body");
  means_.resize(3);
}

std::vector<std::string> FaceDisplacements::names(const Analysis& analysis) const {
  std::vector<std::string> names;
  for (std::size_t k = 0; k < analysis.caseCount(); ++k)
    names.push_back("displacement_of_" + face_ + "_in_" + analysis.caseName(k) + "_m");
  return names;
}

Vec3 FaceDisplacements::motion(std::span<const double> displacement) const {
  Vec3 mean;
  for (std::size_t i = 0; i < 3; ++i)
    mean[static_cast<Eigen::Index>(i)] = order_.dot(means_[i], displacement);
  return mean;
}

std::vector<double> FaceDisplacements::values(const Analysed& at) const {
  std::vector<double> values;
  for (std::size_t k = 0; k < at.states.displacements.size(); ++k)
    values.push_back(std::isfinite(at.states.compliances[k]) ? motion(at.states.displacements[k]).norm()
                                                             : std::numeric_limits<double>::infinity());
  return values;
}

std::optional<AdjointLoad> FaceDisplacements::adjointLoad(const Analysed& at, std::size_t which) const {
  requireIndex("case", which, at.states.displacements.size(), "cases");
  const std::vector<double>& u = at.states.displacements[which];
  const Vec3 mean = motion(u);
  if (mean.isZero()) return std::nullopt;
  AdjointLoad load{which, std::vector<double>(u.size(), 0.0)};
  for (std::size_t i = 0; i < 3; ++i)
    order_.add(means_[i], mean.normalized()[static_cast<Eigen::Index>(i)], load.byDisplacement);
  return load;
}

void FaceDisplacements::gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                                     std::span<double> gradient) const {
  if (adjoint.empty()) return std::fill(gradient.begin(), gradient.end(), 0.0);
  at.analysis.adjointGradient(at.states, which, adjoint, gradient);
}

void FaceDisplacements::gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const {
  const std::optional<AdjointLoad> load = adjointLoad(at, which);
  gradientFrom(at, which,
               load ? at.analysis.adjoint(at.states, which, load->byDisplacement) : std::vector<double>(),
               gradient);
}

}  // namespace barelattice
