#include "barelattice/proof/errors.hpp"

#include <algorithm>

#include "base/check.hpp"

namespace barelattice {
namespace {

// Two meshes, spacings h (fine, f) and r h (coarse, c). If a figure's error falls as its spacing to the power
// p, F_h = F + a h^p, then F_c - F_f = a h^p (r^p - 1), and the fine one is off by
//
//   F_f - F = (F_c - F_f) / (r^p - 1)                                            (1)
//
// Which p is seen in the energy of the difference of recovered and found stress, the recovery gap G
// (Zienkiewicz & Zhu 1992): it estimates the error's energy, which falls as the compliance's does, so
//
//   p = log(G_c / G_f) / log r                                                   (2)
//
// taken between 1 (a crack: stress ~ rho^(-1/2), energy ~ h) and 2 (chords for arcs cut off h^2). The
// theory's 4 of quadratic displacements on smooth bodies is not believed: two meshes may agree by accident.
//
// Compliance. Its error is the energy of the error: (1) and G are two estimates of the same number. Twice the
// first or half of the second counts, whichever is larger; G as a share of the energy stored, which is the
// compliance but for temperature, preloads and springs.
//
// Displacement of a face. (1) for the mean motion, as a vector, so that its turning counts as well; and half
// of the compliance's relative error, which it would share if the face were the only one loaded.
//
// Stress. Of a peak nothing is known of the order, so p = 1 in (1). Its error in the energy norm is
// sqrt(G / E), E the energy stored, relative and in the mean over the body, at a peak 2.5 times that; and
// what the tetrahedra round the place differ by is what stress changes by over one spacing. The factors
// 2, 1.5, 1.2, 0.7, 2.5 were found on exact solutions: docs/performance.md says how well they cover on
// others.
//
// What is estimated is the share of its strength the material uses, 1 / safety factor, not the stress: with
// several materials the judged place may be another one on the other mesh.

constexpr double kSolve = 1e-6;  // relative: what solves at their tolerance leave

/// The share of the strength that is used at a place, and what its error makes of principal stresses there.
/// @param norm relative error in the energy norm.
CaseErrors::Place stressErrors(const StressPeak& coarse, const StressPeak& fine, double norm, double ratio) {
  const auto off = [&](double a, double b) {
    return 1.2 * std::abs(a - b) / (std::pow(ratio, kStressOrder) - 1);
  };
  CaseErrors::Place place;
  const double spread = fine.stress == 0 ? 0 : fine.used * fine.spread / fine.stress;
  place.used = {fine.used, coarse.used,
                std::max({off(fine.used, coarse.used), 0.7 * spread, 2.5 * norm * fine.used})};
  const double relative = fine.used == 0 ? 0 : place.used.error / fine.used;
  const auto principal = [&](double f, double c) {
    return Estimated{f, c, std::max(off(f, c), relative * f)};
  };
  place.tension = principal(fine.tension, coarse.tension);
  place.compression = principal(-fine.compression, -coarse.compression);
  return place;
}

/// (2)
double orderOf(const CaseProof& coarse, const CaseProof& fine, double ratio) {
  if (!(coarse.recoveryGap > 0 && fine.recoveryGap > 0)) return 1;
  return std::clamp(std::log(coarse.recoveryGap / fine.recoveryGap) / std::log(ratio), 1.0, 2.0);
}

}  // namespace

// (1)
Estimated extrapolated(double coarse, double fine, double ratio, double order) {
  if (!(ratio > 1)) throw InputError(fmt::format("the ratio of the spacings is {}", ratio), "give above 1");
  requirePositive("order", order);
  return {fine, coarse, std::abs(fine - coarse) / (std::pow(ratio, order) - 1)};
}

CaseErrors errorsOf(const Proof& coarse, const Proof& fine, std::size_t k, double ratio) {
  requireCount("coarse proof", coarse.cases.size(), fine.cases.size(), "cases in the fine one");
  requireIndex("case", k, fine.cases.size(), "cases");
  if (!(ratio > 1)) throw InputError(fmt::format("the ratio of the spacings is {}", ratio), "give above 1");
  const CaseProof& c = fine.cases[k];
  const CaseProof& rough = coarse.cases[k];
  CaseErrors errors;
  errors.order = orderOf(rough, c, ratio);
  const double finer = std::pow(ratio, errors.order) - 1;

  const double share = c.energy > 0 ? c.recoveryGap / c.energy : 0;  // of the energy that is error
  const double apart = std::abs(c.compliance - rough.compliance);
  errors.compliance = {
      c.compliance, rough.compliance,
      std::max(2 * apart / finer, 0.5 * share * std::abs(c.compliance)) + kSolve * std::abs(c.compliance)};
  const double relative = c.compliance == 0 ? 0 : errors.compliance.error / std::abs(c.compliance);

  const auto motion = [&](const Vec3& own, const Vec3& other) {
    return EstimatedVector{own, other,
                           std::max(1.5 * (own - other).norm() / finer, 0.5 * relative * own.norm())};
  };
  for (std::size_t f = 0; f < c.faceDisplacement.size(); ++f) {
    errors.faceShift.push_back(motion(c.faceDisplacement[f], rough.faceDisplacement[f]));
    errors.faceDisplacement.push_back(errors.faceShift.back().size());
  }
  for (std::size_t f = 0; f < c.faceRotation.size(); ++f)
    errors.faceTurn.push_back(motion(c.faceRotation[f], rough.faceRotation[f]));

  const double norm = std::sqrt(share);
  const auto peakOf = [](const CaseProof& proof) {
    return StressPeak{proof.judgedStress, 1 / proof.safetyFactor, proof.judgedSpread, proof.tension,
                      proof.compression};
  };
  const CaseErrors::Place everywhere = stressErrors(peakOf(rough), peakOf(c), norm, ratio);
  errors.used = everywhere.used;
  errors.tension = everywhere.tension;
  errors.compression = everywhere.compression;
  for (std::size_t p = 0; p < c.places.size(); ++p)
    errors.places.push_back(stressErrors(rough.places.at(p), c.places[p], norm, ratio));
  const double strength = errors.used.value == 0 ? 0 : c.judgedStress / errors.used.value;
  errors.judgedStress = {c.judgedStress, rough.judgedStress, errors.used.error * strength};
  return errors;
}

}  // namespace barelattice
