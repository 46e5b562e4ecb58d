// A body only the host knows, as a signed function of space, meshed twice and proved: a bar of elliptic
// section, whose stretch is known.

#include <barelattice/core.hpp>
#include <cmath>
#include <cstdio>
#include <numbers>

using namespace barelattice;

int main() {
  constexpr double mm = 1e-3;
  constexpr double length = 80 * mm, a = 12 * mm, b = 8 * mm, force = 4000;

  // Negative inside. It need be no distance: zero on the surface, and about as steep there as one.
  const Implicit bar = [](const Vec3& p) {
    const double radial = std::hypot(p.y() / a, p.z() / b) - 1;
    return std::max({b * radial, -p.x(), p.x() - length});
  };
  const Box bounds(Vec3(0, -a, -b), Vec3(length, a, b));

  // Faces are picked on a shape that has them: the box round the bar has its ends.
  const ShapePtr ends = makeBox(bounds.min(), bounds.max());
  Setup setup;
  setup.materials = {builtinMaterials().front()};
  for (const double side : {-1.0, 1.0}) {
    FaceSelector selector;
    selector.direction = Vec3(side, 0, 0);
    setup.faces.push_back({side < 0 ? "root" : "end", selectFace(*ends, selector, 1 * mm)});
  }
  // Rollers at the root and one spring against sliding across: the section may get thinner where it is
  // pulled.
  Held rollers;
  rollers.directions = 1;
  MeanSprings across;
  across.slide = {0, 1e6, 1e6};
  across.turn = {1e3, 0, 0};
  setup.supports = {{"rollers", 0, rollers}, {"across", 0, across}};
  setup.addCase("pull", {{1, {{force, 0, 0}}}});
  const ProofProblem problem{setup, AcrossSheet::body, 10 * mm};

  constexpr double spacing = 1.6 * mm, ratio = 1.3;
  const auto proved = [&](double h) {
    TetMesh mesh = stuff(bar, bounds, h, FeatherEdges::trimmed);
    sharpenTets(mesh, bar, h, partsOf(problem, h));
    return prove(QuadraticTets(mesh), h, problem);
  };
  const Proof coarse = proved(ratio * spacing);
  const Proof fine = proved(spacing);
  const CaseErrors errors = errorsOf(coarse, fine, 0, ratio);

  const double section = std::numbers::pi * a * b;
  const double exact = force * force * length / (setup.materials.front().modulus * section);
  std::printf("compliance %.5g +- %.1g J, exact %.5g J\n", errors.compliance.value, errors.compliance.error,
              exact);
  std::printf("stress     %.4g +- %.1g MPa, exact %.4g MPa\n", errors.judgedStress.value * 1e-6,
              errors.judgedStress.error * 1e-6, force / section * 1e-6);

  const std::vector<Requirement> wanted{{Requirement::Kind::safetyFactor, 0, 10}};
  const std::vector<Judgement> verdict = judge(judgedBody(coarse, fine, ratio), 0.05, setup, wanted);
  std::printf("safety factor %.3g, at least 10: %s\n", verdict.front().value.value,
              describe(overall(verdict)).c_str());
  return std::abs(errors.compliance.value - exact) <= errors.compliance.error &&
                 overall(verdict) == Verdict::met
             ? 0
             : 1;
}
