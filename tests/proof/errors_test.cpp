// What the proof says of its own errors, against solutions that are known.

#include "barelattice/proof/errors.hpp"

#include <gtest/gtest.h>

#include "support/exact_problems.hpp"

namespace barelattice {
namespace {

Proof withOneCase(double compliance, double gap, double tip, double factor, double spread = 0) {
  CaseProof c;
  c.compliance = compliance;
  c.energy = compliance;
  c.recoveryGap = gap;
  c.faceDisplacement = {{tip, 0, 0}};
  c.safetyFactor = factor;
  c.judgedStress = 100e6 / factor;
  c.judgedSpread = spread;
  Proof proof;
  proof.cases = {c};
  return proof;
}

TEST(Errors, followTheOrderThatTheRecoveredStressShows) {
  const double ratio = 1.5;
  const auto order = [&](double fall) {
    return errorsOf(withOneCase(1, std::pow(ratio, fall), 1, 2), withOneCase(1, 1, 1, 2), 0, ratio).order;
  };
  EXPECT_NEAR(order(1.3), 1.3, 1e-12);
  EXPECT_EQ(order(0.2), 1) << "a crack's, the least";
  EXPECT_EQ(order(4), 2) << "straight edges on round faces fall no faster";
  EXPECT_EQ(errorsOf(withOneCase(1, 0, 1, 2), withOneCase(1, 0, 1, 2), 0, ratio).order, 1);
}

// Two meshes that agree say nothing alone, nor does a recovered stress that fits.
TEST(Errors, areTheLargerOfBothSigns) {
  const double ratio = 2;  // order 2: the difference over 3
  const CaseErrors byMeshes =
      errorsOf(withOneCase(0.94, 4e-9, 0.97, 2.1), withOneCase(1, 1e-9, 1, 2), 0, ratio);
  EXPECT_NEAR(byMeshes.compliance.error, 2 * 0.06 / 3, 1e-5);
  EXPECT_NEAR(byMeshes.faceDisplacement[0].error, 0.5 * 0.04, 1e-5) << "half of the compliance's";
  EXPECT_NEAR(byMeshes.used.error, 1.2 * (0.5 - 1 / 2.1), 1e-9);
  EXPECT_NEAR(byMeshes.judgedStress.error, 100e6 * byMeshes.used.error, 1);
  const CaseErrors byRecovery =
      errorsOf(withOneCase(1, 0.04, 1, 2), withOneCase(1, 0.01, 1, 2, 8e6), 0, ratio);
  EXPECT_NEAR(byRecovery.compliance.error, 0.005, 1e-5);
  EXPECT_NEAR(byRecovery.used.error, 2.5 * 0.1 * 0.5, 1e-9) << "of the energy norm";
  const CaseErrors bySpread = errorsOf(withOneCase(1, 4e-8, 1, 2), withOneCase(1, 1e-8, 1, 2, 8e6), 0, ratio);
  EXPECT_NEAR(bySpread.judgedStress.error, 0.7 * 8e6, 1);
}

TEST(Errors, areNoneWhereNothingMoves) {
  Proof idle = withOneCase(0, 0, 0, INFINITY);
  idle.cases[0].judgedStress = 0;
  const CaseErrors errors = errorsOf(idle, idle, 0, 1.3);
  EXPECT_EQ(errors.compliance.error, 0);
  EXPECT_EQ(errors.faceDisplacement[0].error, 0);
  EXPECT_EQ(errors.used.error, 0);
  EXPECT_EQ(errors.judgedStress.error, 0);
}

// A part of `proof_bench`, on small meshes: bars askew, cylinders and spheres under pressure, sheets.
TEST(Errors, coverKnownSolutions) {
  constexpr double kRatio = 1.3;
  int covered = 0;
  int all = 0;
  double worst = 0;
  const auto hold = [&](const Estimated& told, double truth, double within) {
    const double error = std::abs(told.value - truth);
    EXPECT_LT(error, within * std::abs(truth));
    covered += error <= told.error;
    ++all;
    worst = std::max(worst, error / told.error);
  };
  for (const ExactProblem& exact : exactProblems()) {
    SCOPED_TRACE(exact.family + " " + exact.name);
    const double spacing = spacingOf(exact, 12'000);
    const CaseErrors errors =
        errorsOf(provedOn(exact, kRatio * spacing), provedOn(exact, spacing), 0, kRatio);
    if (exact.compliance) hold(errors.compliance, *exact.compliance, 0.03);
    if (exact.displacement)
      hold(errors.faceDisplacement[exact.displacement->first], exact.displacement->second, 0.03);
    if (exact.stress) hold(errors.judgedStress, *exact.stress, 0.3);
  }
  EXPECT_GE(covered, 0.92 * all) << "of " << all;
  EXPECT_LT(worst, 3) << "what is not covered is not far off";
}

// What is exact in the elements' own space comes out exactly, at any resolution: supports, loads and the
// edges of the body are where they should be.
TEST(Errors, ofBarsAndBlocksAreNone) {
  for (const ExactProblem& exact : exactProblems()) {
    if (exact.family != "bar" && exact.family != "shear") continue;
    SCOPED_TRACE(exact.name);
    for (const int tets : {3'000, 12'000, 40'000}) {
      const Proof proof = provedOn(exact, spacingOf(exact, tets));
      EXPECT_NEAR(proof.volume / exact.volume, 1, 1e-5);
      EXPECT_NEAR(proof.cases[0].compliance / *exact.compliance, 1, 1e-4) << tets;
      EXPECT_NEAR(
          proof.cases[0].faceDisplacement[exact.displacement->first].norm() / exact.displacement->second, 1,
          1e-4);
    }
  }
}

}  // namespace
}  // namespace barelattice
