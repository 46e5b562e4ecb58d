#include "barelattice/proof/errors.hpp"

#include <algorithm>

namespace barelattice {
namespace {

constexpr double kSolve = 1e-6;  // relative: what solves at their tolerance leave

double orderOf(const CaseProof& coarse, const CaseProof& fine, double ratio) {
  if (!(coarse.recoveryGap > 0 && fine.recoveryGap > 0)) return 1;
  return std::clamp(std::log(coarse.recoveryGap / fine.recoveryGap) / std::log(ratio), 1.0, 2.0);
}

}  // namespace

Estimated extrapolated(double coarse, double fine, double ratio, double order) {
  return {fine, coarse, std::abs(fine - coarse) / (std::pow(ratio, order) - 1)};
}

CaseErrors errorsOf(const Proof& coarse, const Proof& fine, std::size_t k, double ratio) {
  const CaseProof& c = fine.cases[k];
  const CaseProof& rough = coarse.cases[k];
  CaseErrors errors;
  errors.order = orderOf(rough, c, ratio);
  const double finer = std::pow(ratio, errors.order) - 1;

  const double apart = std::abs(c.compliance - rough.compliance);
  errors.compliance = {c.compliance, rough.compliance,
                       std::max(2 * apart / finer, 0.5 * c.recoveryGap) + kSolve * std::abs(c.compliance)};
  const double relative = c.compliance == 0 ? 0 : errors.compliance.error / std::abs(c.compliance);

  for (std::size_t f = 0; f < c.faceDisplacement.size(); ++f) {
    const Vec3& own = c.faceDisplacement[f];
    const double moved = (own - rough.faceDisplacement[f]).norm();
    errors.faceDisplacement.push_back({own.norm(), rough.faceDisplacement[f].norm(),
                                       std::max(1.5 * moved / finer, 0.5 * relative * own.norm())});
  }

  const double norm = c.compliance == 0 ? 0 : std::sqrt(c.recoveryGap / std::abs(c.compliance));
  errors.used = {1 / c.safetyFactor, 1 / rough.safetyFactor, 0};
  const double spread = c.judgedStress == 0 ? 0 : errors.used.value * c.judgedSpread / c.judgedStress;
  errors.used.error =
      std::max({1.2 * std::abs(errors.used.value - errors.used.coarse) / (std::pow(ratio, kStressOrder) - 1),
                0.7 * spread, 2.5 * norm * errors.used.value});
  const double strength = errors.used.value == 0 ? 0 : c.judgedStress / errors.used.value;
  errors.judgedStress = {c.judgedStress, rough.judgedStress, errors.used.error * strength};
  return errors;
}

}  // namespace barelattice
