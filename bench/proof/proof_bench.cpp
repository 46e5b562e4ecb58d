// Holds the proof against exact solutions: for each problem the true and the stated errors of compliance,
// displacement and stress on a pair of meshes, one line of JSON each.
// Usage: proof_bench [FAMILY|all] [TETRAHEDRA...]

#include <fmt/format.h>

#include <cmath>
#include <cstdio>
#include <functional>
#include <nlohmann/json.hpp>
#include <numbers>
#include <string>
#include <vector>

#include "barelattice/base/stopwatch.hpp"
#include "barelattice/proof/errors.hpp"
#include "support/exact_problems.hpp"

namespace {

using namespace barelattice;

constexpr double kRatio = 1.3;  // between the spacings of a pair, as in a run

nlohmann::json tried(const ExactProblem& exact, int tetrahedra) {
  const Stopwatch watch;
  const double spacing = spacingOf(exact, tetrahedra);
  const Proof coarse = provedOn(exact, kRatio * spacing);
  const Proof fine = provedOn(exact, spacing);
  nlohmann::json line{{"family", exact.family},
                      {"name", exact.name},
                      {"tetrahedra", fine.tets},
                      {"smallest_angle", fine.smallestAngle},
                      {"volume", fine.volume / exact.volume - 1}};
  const auto told = [&](const char* what, const Estimated& estimated, double truth) {
    const double error = std::abs(estimated.value - truth);
    line[what] = {{"value", estimated.value},
                  {"true", truth},
                  {"error", error / std::abs(truth)},
                  {"stated", estimated.error / std::abs(truth)}};
  };
  const CaseErrors errors = errorsOf(coarse, fine, 0, kRatio);
  if (exact.compliance) told("compliance", errors.compliance, *exact.compliance);
  if (exact.displacement)
    told("displacement", errors.faceDisplacement[exact.displacement->first], exact.displacement->second);
  if (exact.stress) told("stress", errors.judgedStress, *exact.stress);
  line["order"] = errors.order;
  line["solver"] = fine.cases[0].solve.iterations;
  line["seconds"] = watch.seconds();
  return line;
}

}  // namespace

int main(int argc, char** argv) {
  const std::string family = argc > 1 ? argv[1] : "";
  std::vector<int> sizes;
  for (int i = 2; i < argc; ++i) sizes.push_back(std::atoi(argv[i]));
  if (sizes.empty()) sizes = {20'000, 60'000, 200'000};
  for (const ExactProblem& exact : exactProblems()) {
    if (!family.empty() && family != "all" && exact.family != family) continue;
    for (const int tetrahedra : sizes) {
      fmt::print("{}\n", tried(exact, tetrahedra).dump());
      std::fflush(stdout);
    }
  }
}
