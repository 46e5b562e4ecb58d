// Bodies whose stress is known exactly or published, for the proof's tests and its bench.
#pragma once

#include <cmath>
#include <functional>
#include <numbers>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "barelattice/formats/outline_files.hpp"
#include "barelattice/proof/proof.hpp"
#include "meshes/sheet_mesh.hpp"
#include "support/proof_mesh.hpp"

namespace barelattice {

struct ExactProblem {
  std::string family;
  std::string name;
  ShapePtr shape;        ///< of a sheet: its full thickness
  double volume = 0;     ///< m3
  double thickness = 0;  ///< of a sheet, m
  ProofProblem problem = {};
  std::optional<double> compliance = {};                            ///< J
  std::optional<std::pair<std::size_t, double>> displacement = {};  ///< of which face, how large its mean, m
  std::optional<double> stress = {};                                ///< largest von Mises stress, Pa
};

inline NamedFace planeOf(const char* name, const ShapePtr& shape, const Vec3& direction, double spacing) {
  FaceSelector selector;
  selector.direction = direction;
  return {name, selectFace(*shape, selector, spacing)};
}

inline NamedFace roundOf(const char* name, const ShapePtr& shape, Patch::Kind kind, bool hole,
                         double spacing) {
  FaceSelector selector;
  selector.kind = kind;
  selector.hole = hole;
  return {name, selectFace(*shape, selector, spacing)};
}

/// The mesh a run would make.
inline QuadraticTets meshOf(const ExactProblem& exact, double spacing) {
  if (exact.thickness == 0) return proofMesh(exact.shape, spacing, exact.problem);
  const Implicit f = [&](const Vec3& p) { return exact.shape->distance(p); };
  const Box bounds = exact.shape->bounds();
  TetMesh mesh = stuffSheet(
      [&](const Eigen::Vector2d& p) {
        return f({p.x(), p.y(), 0.5 * exact.thickness});
      },
      {bounds.min().head<2>(), bounds.max().head<2>()}, spacing, exact.thickness);
  sharpenTets(mesh, f, spacing, partsOf(exact.problem, spacing));
  return QuadraticTets(mesh);
}

inline double spacingOf(const ExactProblem& exact, int tetrahedra) {
  return exact.thickness > 0 ? sheetSpacingFor(exact.volume / exact.thickness, exact.thickness, tetrahedra)
                             : std::cbrt(12 * exact.volume / tetrahedra);
}

inline Proof provedOn(const ExactProblem& exact, double spacing) {
  return prove(meshOf(exact, spacing), spacing, exact.problem);
}

namespace exact {

using std::numbers::pi;

inline const Material kSteel{"steel", 205e9, 0.29, 7850, 350e6};

/// A bar on rollers under a uniform pull: the stress is the pull.
inline ExactProblem bar(const std::string& name, const Vec3& size, double thickness, AcrossSheet across) {
  const double pull = 100e6;
  ExactProblem e{"bar", name, makeBox({0, 0, 0}, size), size.prod(), thickness};
  const double fine = size.minCoeff() / 20;
  e.problem.setup.materials = {kSteel};
  e.problem.across = across;
  e.problem.setup.faces = {planeOf("left", e.shape, -Vec3::UnitX(), fine),
                           planeOf("right", e.shape, Vec3::UnitX(), fine),
                           planeOf("front", e.shape, -Vec3::UnitY(), fine)};
  e.problem.setup.supports = {{"left", 0, Held{1}}, {"front", 2, Held{2}}};
  e.problem.setup.addCase("pull", {{1, {Vec3::Zero(), -pull}}});
  const double nu = kSteel.poisson;
  if (across == AcrossSheet::body) {
    e.problem.setup.faces.push_back(planeOf("below", e.shape, -Vec3::UnitZ(), fine));
    e.problem.setup.supports.push_back({"below", 3, Held{4}});
    e.problem.setup.cases[0].supports.push_back(2);
  }
  const bool held = across == AcrossSheet::held;
  const double strain = pull / kSteel.modulus * (held ? 1 - nu * nu : 1);
  // Free to get thinner, it does so to half the amount in the middle of its end.
  const double thinner = strain * (held ? nu / (1 - nu) : nu) / 2;
  const double lift = across == AcrossSheet::body ? size.z() : 0;
  e.displacement = {1, Vec3(size.x() * strain, size.y() * thinner, lift * thinner).norm()};
  e.compliance = pull * strain * size.prod();
  e.stress = pull * (held ? std::sqrt(1 - nu + nu * nu) : 1);
  return e;
}

/// A bar without Poisson's effect, fixed at one end, pulled along its axis, which lies askew.
inline ExactProblem tilted(const std::string& name, const Vec3& size, double angle, const Vec3& axis) {
  const double pull = 100e6;
  Eigen::Isometry3d turn = Eigen::Isometry3d::Identity();
  turn.rotate(Eigen::AngleAxisd(angle, axis.normalized()));
  ExactProblem e{"tilted", name, makeTransformed(makeBox({0, 0, 0}, size), turn), size.prod()};
  const double fine = size.minCoeff() / 20;
  e.problem.setup.materials = {kSteel};
  e.problem.setup.materials[0].poisson = 0;
  const Vec3 along = turn.linear() * Vec3::UnitX();
  e.problem.setup.faces = {planeOf("root", e.shape, -along, fine), planeOf("end", e.shape, along, fine)};
  e.problem.setup.supports = {{"root", 0}};
  e.problem.setup.addCase("pull", {{1, {pull * size.y() * size.z() * along, 0}}});
  const double strain = pull / kSteel.modulus;
  e.displacement = {1, size.x() * strain};
  e.compliance = pull * strain * size.prod();
  e.stress = pull;
  return e;
}

/// A block under pure shear: its foot fixed, shear on top and on two sides.
inline ExactProblem shear(const Vec3& size) {
  const double tau = 60e6;
  ExactProblem e{"shear", "block", makeBox({0, 0, 0}, size), size.prod()};
  const double fine = size.minCoeff() / 20;
  e.problem.setup.materials = {kSteel};
  e.problem.setup.faces = {
      planeOf("foot", e.shape, -Vec3::UnitY(), fine), planeOf("top", e.shape, Vec3::UnitY(), fine),
      planeOf("right", e.shape, Vec3::UnitX(), fine), planeOf("left", e.shape, -Vec3::UnitX(), fine)};
  e.problem.setup.supports = {{"foot", 0}};
  e.problem.setup.addCase("shear", {{1, {{tau * size.x() * size.z(), 0, 0}}},
                                    {2, {{0, tau * size.y() * size.z(), 0}}},
                                    {3, {{0, -tau * size.y() * size.z(), 0}}}});
  const double gamma = tau * 2 * (1 + kSteel.poisson) / kSteel.modulus;
  e.displacement = {1, gamma * size.y()};
  e.compliance = tau * gamma * size.prod();
  e.stress = std::sqrt(3.0) * tau;
  return e;
}

/// Lame's thick cylinder under pressure inside or outside (Timoshenko & Goodier, Theory of Elasticity,
/// section 28), a quarter of it: kept from stretching, or free to.
inline ExactProblem cylinder(const std::string& name, double a, double b, double length, bool inside,
                             AcrossSheet across, double thickness = 0) {
  const double p = 50e6;
  const ShapePtr tube = makeIntersection(
      {makeDifference(makeCylinder({0, 0, 0}, {0, 0, length}, b), {makeCylinder({0, 0, -1}, {0, 0, 1}, a)}),
       makeBox({0, 0, -1}, {1, 1, 1})});
  ExactProblem e{"cylinder", name, tube, 0.25 * pi * (b * b - a * a) * length, thickness};
  const double fine = (b - a) / 40;
  e.problem.setup.materials = {kSteel};
  e.problem.across = across;
  e.problem.setup.faces = {planeOf("x", tube, -Vec3::UnitX(), fine), planeOf("y", tube, -Vec3::UnitY(), fine),
                           roundOf("pressed", tube, Patch::Kind::cylinder, inside, fine)};
  e.problem.setup.supports = {{"x", 0, Held{1}}, {"y", 1, Held{2}}};
  e.problem.setup.addCase("pressure", {{2, {Vec3::Zero(), p}}});
  if (across == AcrossSheet::body) {
    e.problem.setup.faces.push_back(planeOf("below", tube, -Vec3::UnitZ(), fine));
    e.problem.setup.supports.push_back({"below", 3, Held{4}});
    e.problem.setup.cases[0].supports.push_back(2);
  }
  const bool held = across == AcrossSheet::held;
  const double nu = kSteel.poisson;
  // Plane strain is plane stress with E / (1 - nu^2) and nu / (1 - nu).
  const double modulus = held ? kSteel.modulus / (1 - nu * nu) : kSteel.modulus;
  const double n = held ? nu / (1 - nu) : nu;
  const double squares = b * b - a * a;
  const double radial = inside ? p * a / modulus * ((b * b + a * a) / squares + n)
                               : -p * b / modulus * ((b * b + a * a) / squares - n);
  const double r = inside ? a : b;
  e.compliance = p * std::abs(radial) * 0.5 * pi * r * length;
  e.displacement = {2, 2 * std::sqrt(2.0) / pi * std::abs(radial)};  // mean over a quarter ring
  // Both are largest at the bore.
  const double hoop = inside ? p * (b * b + a * a) / squares : -2 * p * b * b / squares;
  const double across1 = inside ? -p : 0;
  const double axial = held ? nu * (hoop + across1) : 0;
  e.stress = std::sqrt(0.5 * ((hoop - across1) * (hoop - across1) + (across1 - axial) * (across1 - axial) +
                              (axial - hoop) * (axial - hoop)));
  return e;
}

/// Lame's thick sphere under pressure (Timoshenko & Goodier, section 136), an eighth of it.
inline ExactProblem sphere(const std::string& name, double a, double b, bool inside) {
  const double p = 40e6;
  const ShapePtr shell = makeIntersection(
      {makeDifference(makeSphere({0, 0, 0}, b), {makeSphere({0, 0, 0}, a)}), makeBox({0, 0, 0}, {1, 1, 1})});
  const double cubes = b * b * b - a * a * a;
  ExactProblem e{"sphere", name, shell, pi / 6 * cubes};
  const double fine = (b - a) / 40;
  e.problem.setup.materials = {kSteel};
  e.problem.setup.faces = {planeOf("x", shell, -Vec3::UnitX(), fine),
                           planeOf("y", shell, -Vec3::UnitY(), fine),
                           planeOf("z", shell, -Vec3::UnitZ(), fine),
                           roundOf("pressed", shell, Patch::Kind::sphere, inside, fine)};
  e.problem.setup.supports = {{"x", 0, Held{1}}, {"y", 1, Held{2}}, {"z", 2, Held{4}}};
  e.problem.setup.addCase("pressure", {{3, {Vec3::Zero(), p}}});
  const double nu = kSteel.poisson;
  const double r = inside ? a : b;
  const double inner = a * a * a;
  const double outer = b * b * b;
  // Hoop strain (hoop - nu (hoop + radial)) / E at the pressed face, where the radial stress is -p.
  const double hoop = inside ? p * (outer + 2 * inner) / (2 * cubes) : -p * (2 * outer + inner) / (2 * cubes);
  const double radial = r / kSteel.modulus * (hoop - nu * (hoop - p));
  e.compliance = p * std::abs(radial) * 0.5 * pi * r * r;
  e.displacement = {3, std::sqrt(3.0) / 2 * std::abs(radial)};
  e.stress =
      inside ? hoop + p : 1.5 * p * outer / cubes;  // at the bore; outside pressure: hoop there, radial 0
  return e;
}

/// A strip four diameters wide with a hole, pulled: 3.24 times the pull (Howland 1930, Phil. Trans. R. Soc. A
/// 229), a quarter of it in plane strain, where the factor is the same.
inline ExactProblem strip() {
  const double r = 0.005;
  const double half = 4 * r;
  const double length = 0.08;
  const double pull = 100e6;
  const double thickness = 0.004;
  const ShapePtr shape =
      makeDifference(makeBox({0, 0, 0}, {length, half, thickness}), {makeCylinder({0, 0, -1}, {0, 0, 1}, r)});
  ExactProblem e{"strip", "howland", shape, (length * half - 0.25 * pi * r * r) * thickness, thickness};
  e.problem.setup.materials = {kSteel};
  e.problem.across = AcrossSheet::held;
  e.problem.setup.faces = {planeOf("x", shape, -Vec3::UnitX(), r / 20),
                           planeOf("y", shape, -Vec3::UnitY(), r / 20),
                           planeOf("end", shape, Vec3::UnitX(), r / 20)};
  e.problem.setup.supports = {{"x", 0, Held{1}}, {"y", 1, Held{2}}};
  e.problem.setup.addCase("pull", {{2, {Vec3::Zero(), -pull}}});
  const double nu = kSteel.poisson;
  e.stress = 3.24 * pull * std::sqrt(1 - nu + nu * nu);
  return e;
}

/// The elliptic membrane of the standard benchmarks (NAFEMS 1990, The Standard NAFEMS Benchmarks, LE1):
/// a quarter of it in plane stress, pulled outwards at its outer edge; published to three figures.
inline ExactProblem membrane() {
  const double thickness = 0.1;
  const PlaneOutline drawn =
      parseSvgOutline("<svg><path d='M2 0 H3.25 A3.25 2.75 0 0 0 0 -2.75 V-1 A2 1 0 0 1 2 0Z'/></svg>",
                      "membrane.svg", "", 1.0);
  Extrusion extrusion;
  extrusion.outline = drawn.outer;
  extrusion.to = thickness;
  const ShapePtr shape = makeExtrusion(extrusion);
  ExactProblem e{"membrane", "ellipses", shape, 0.25 * pi * (3.25 * 2.75 - 2) * thickness, thickness};
  e.problem.setup.materials = {{"steel", 210e9, 0.3, 7850, 350e6}};
  e.problem.across = AcrossSheet::free;
  FaceSelector outer;
  outer.kind = Patch::Kind::freeform;
  outer.near = Vec3(3.25, 0, 0);
  e.problem.setup.faces = {planeOf("x", shape, -Vec3::UnitX(), 0.01),
                           planeOf("y", shape, -Vec3::UnitY(), 0.01),
                           {"outer", selectFace(*shape, outer, 0.01)}};
  e.problem.setup.supports = {{"x", 0, Held{1}}, {"y", 1, Held{2}}};
  e.problem.setup.addCase("pull", {{2, {Vec3::Zero(), -10e6}}});
  e.stress = 92.7e6;
  return e;
}

}  // namespace exact

inline std::vector<ExactProblem> exactProblems() {
  using namespace exact;
  std::vector<ExactProblem> all;
  all.push_back(bar("slender", {0.1, 0.02, 0.02}, 0, AcrossSheet::body));
  all.push_back(bar("flat", {0.06, 0.03, 0.007}, 0, AcrossSheet::body));
  all.push_back(bar("sheet, plane stress", {0.1, 0.02, 0.003}, 0.003, AcrossSheet::free));
  all.push_back(bar("sheet, plane strain", {0.1, 0.02, 0.003}, 0.003, AcrossSheet::held));
  all.push_back(tilted("askew", {0.06, 0.02, 0.02}, 0.7, {1, 2, 3}));
  all.push_back(tilted("turned", {0.06, 0.02, 0.02}, 0.4, {0, 0, 1}));
  all.push_back(tilted("thin", {0.06, 0.02, 0.005}, 0.9, {2, -1, 1}));
  all.push_back(shear({0.03, 0.02, 0.016}));
  all.push_back(cylinder("1.5, inside", 0.02, 0.03, 0.012, true, AcrossSheet::held));
  all.push_back(cylinder("2, inside", 0.02, 0.04, 0.012, true, AcrossSheet::held));
  all.push_back(cylinder("3, inside", 0.02, 0.06, 0.012, true, AcrossSheet::held));
  all.push_back(cylinder("2, outside", 0.02, 0.04, 0.012, false, AcrossSheet::held));
  all.push_back(cylinder("2, open", 0.02, 0.04, 0.012, true, AcrossSheet::body));
  all.push_back(cylinder("2, sheet, plane stress", 0.02, 0.04, 0.004, true, AcrossSheet::free, 0.004));
  all.push_back(cylinder("2, sheet, plane strain", 0.02, 0.04, 0.004, true, AcrossSheet::held, 0.004));
  all.push_back(sphere("1.4, inside", 0.025, 0.035, true));
  all.push_back(sphere("1.8, inside", 0.02, 0.036, true));
  all.push_back(sphere("3, inside", 0.012, 0.036, true));
  all.push_back(sphere("1.8, outside", 0.02, 0.036, false));
  all.push_back(strip());
  all.push_back(membrane());
  return all;
}

}  // namespace barelattice
