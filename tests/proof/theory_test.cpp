// The proof against closed forms it knows nothing of.

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support/exact_problems.hpp"

namespace barelattice {
namespace {

using std::numbers::pi;

const Material kSteel{"steel", 205e9, 0.29, 7850, 350e6};

NamedFace faceOf(const char* name, const ShapePtr& shape, Patch::Kind kind, std::optional<Vec3> direction,
                 std::optional<bool> hole, double spacing) {
  FaceSelector selector;
  selector.kind = kind;
  selector.direction = direction;
  selector.hole = hole;
  return {name, selectFace(*shape, selector, spacing)};
}

Proof proved(const ShapePtr& shape, double spacing, const ProofProblem& problem) {
  return prove(proofMesh(shape, spacing, problem), spacing, problem);
}

// Lame's thick cylinder (Timoshenko & Goodier, Theory of Elasticity, section 28) under pressure p inside,
// kept from stretching (plane strain): hoop stress at the bore p (b^2 + a^2) / (b^2 - a^2), radial stress
// there -p. A quarter of it, with the cut planes held along their normals.
TEST(Theory, thickCylinderUnderPressure) {
  const double a = 0.02;
  const double b = 0.04;
  const double length = 0.012;
  const double p = 50e6;
  const ShapePtr tube = makeIntersection(
      {makeDifference(makeCylinder({0, 0, 0}, {0, 0, length}, b), {makeCylinder({0, 0, -1}, {0, 0, 1}, a)}),
       makeBox({0, 0, -1}, {1, 1, 1})});
  const double fine = 0.0004;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {faceOf("x", tube, Patch::Kind::plane, -Vec3::UnitX(), {}, fine),
                         faceOf("y", tube, Patch::Kind::plane, -Vec3::UnitY(), {}, fine),
                         faceOf("bore", tube, Patch::Kind::cylinder, {}, true, fine)};
  problem.setup.supports = {{"x", 0, Held{1}}, {"y", 1, Held{2}}};
  problem.across = AcrossSheet::held;
  problem.setup.addCase("inside", {{2, {Vec3::Zero(), p}}});
  const double spacing = 0.0016;
  const QuadraticTets mesh = proofMesh(tube, spacing, problem);
  const Proof proof = prove(mesh, spacing, problem);
  const double hoop = p * (b * b + a * a) / (b * b - a * a);
  // The largest principal stress on the bore, away from the cut planes and the ends.
  double peak = 0;
  double mean = 0;
  int count = 0;
  for (std::size_t n = 0; n < mesh.cornerCount(); ++n) {
    const Vec3& q = mesh.nodes()[n];
    if (std::abs(std::hypot(q.x(), q.y()) - a) > 1e-5 || q.x() < 0.004 || q.y() < 0.004 || q.z() < 0.003 ||
        q.z() > length - 0.003)
      continue;
    peak = std::max(peak, proof.cases[0].principalMost[n]);
    mean += proof.cases[0].principalMost[n];
    ++count;
  }
  ASSERT_GT(count, 50);
  EXPECT_NEAR(peak / hoop, 1, 0.02);
  EXPECT_NEAR(mean / count / hoop, 1, 0.015);
  // Radial displacement of the bore in plane strain: (1 + nu) p a / E / (b^2 - a^2) ((1 - 2 nu) a^2 + b^2).
  const double radial = (1 + kSteel.poisson) * p * a / kSteel.modulus / (b * b - a * a) *
                        ((1 - 2 * kSteel.poisson) * a * a + b * b);
  // The face's mean displacement is that of a quarter ring: 2 / pi of it along x and along y.
  EXPECT_NEAR(proof.cases[0].faceDisplacement[2].x() / (2 / pi * radial), 1, 0.03)
      << "its ends are chamfered";
}

// Lame's thick sphere (Timoshenko & Goodier, section 136): hoop stress at the inside p (b^3 + 2 a^3) / 2 (b^3
// - a^3).
TEST(Theory, thickSphereUnderPressure) {
  const double a = 0.02;
  const double b = 0.036;
  const double p = 40e6;
  const ShapePtr shell = makeIntersection(
      {makeDifference(makeSphere({0, 0, 0}, b), {makeSphere({0, 0, 0}, a)}), makeBox({0, 0, 0}, {1, 1, 1})});
  const double fine = 0.0005;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {faceOf("x", shell, Patch::Kind::plane, -Vec3::UnitX(), {}, fine),
                         faceOf("y", shell, Patch::Kind::plane, -Vec3::UnitY(), {}, fine),
                         faceOf("z", shell, Patch::Kind::plane, -Vec3::UnitZ(), {}, fine),
                         faceOf("inside", shell, Patch::Kind::sphere, {}, true, fine)};
  problem.setup.supports = {{"x", 0, Held{1}}, {"y", 1, Held{2}}, {"z", 2, Held{4}}};
  problem.setup.addCase("inside", {{3, {Vec3::Zero(), p}}});
  const double spacing = 0.0018;
  const QuadraticTets mesh = proofMesh(shell, spacing, problem);
  const Proof proof = prove(mesh, spacing, problem);
  const double hoop = p * (b * b * b + 2 * a * a * a) / (2 * (b * b * b - a * a * a));
  double mean = 0;
  int count = 0;
  for (std::size_t n = 0; n < mesh.cornerCount(); ++n) {
    const Vec3& q = mesh.nodes()[n];
    if (std::abs(q.norm() - a) > 1e-5 || q.minCoeff() < 0.004) continue;
    mean += proof.cases[0].principalMost[n];
    ++count;
  }
  ASSERT_GT(count, 50);
  EXPECT_NEAR(mean / count / hoop, 1, 0.02);
}

// A bar under pure bending by a pair of pressures: M z / I, and compression equal to tension.
TEST(Theory, bendingBar) {
  const double height = 0.02;
  const double length = 0.12;
  const ShapePtr bar = makeBox({0, 0, 0}, {length, 0.012, height});
  const ShapePtr upper = makeBox({length - 0.01, 0, 0.5 * height}, {length, 0.012, height});
  const ShapePtr lower = makeBox({length - 0.01, 0, 0}, {length, 0.012, 0.5 * height});
  const double fine = 0.0005;
  const double p = 30e6;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {faceOf("root", bar, Patch::Kind::plane, -Vec3::UnitX(), {}, fine),
                         faceOf("push", upper, Patch::Kind::plane, Vec3::UnitX(), {}, fine),
                         faceOf("pull", lower, Patch::Kind::plane, Vec3::UnitX(), {}, fine)};
  problem.setup.supports = {{"root", 0}};
  problem.setup.addCase("bend", {{1, {Vec3::Zero(), p}}, {2, {Vec3::Zero(), -p}}});
  problem.exclusion = 0.03;
  const Proof proof = proved(bar, 0.0025, problem);
  const double moment = p * 0.5 * height * 0.012 * 0.5 * height;
  const double bending = moment * 0.5 * height / (0.012 * std::pow(height, 3) / 12);
  EXPECT_NEAR(proof.cases[0].tension / bending, 1, 0.05);
  EXPECT_NEAR(-proof.cases[0].compression / bending, 1, 0.05);
  EXPECT_NEAR(proof.cases[0].judgedStress / bending, 1, 0.05);
  EXPECT_NEAR(proof.cases[0].percentiles[0] / bending, 0.5, 0.05)
      << "stress is linear: half of the volume below half";
}

// A small hole in a wide strip under tension: three times the stress far away (Kirsch 1898); for a strip four
// diameters wide the factor is 3.24 on the stress far away (Howland 1930, Phil. Trans. R. Soc. A 229).
TEST(Theory, holeInAStrip) {
  const double radius = 0.005;
  const double width = 8 * radius;
  const double length = 0.1;
  const ShapePtr strip =
      makeDifference(makeBox({0, 0, 0}, {length, width, 0.004}),
                     {makeCylinder({0.5 * length, 0.5 * width, -1}, {0.5 * length, 0.5 * width, 1}, radius)});
  const double fine = 0.0004;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {faceOf("left", strip, Patch::Kind::plane, -Vec3::UnitX(), {}, fine),
                         faceOf("right", strip, Patch::Kind::plane, Vec3::UnitX(), {}, fine)};
  problem.setup.supports = {{"left", 0}};
  const double pull = 100e6;
  problem.setup.addCase("pull", {{1, {Vec3::Zero(), -pull}}});
  problem.exclusion = 0.02;
  const Proof proof = proved(strip, 0.0011, problem);
  EXPECT_NEAR(proof.cases[0].tension / (3.24 * pull), 1, 0.05);
  EXPECT_NEAR(proof.cases[0].judgedAt.x(), 0.5 * length, 0.001);
}

// A case held in chosen directions only: a bar on rollers under its own squeeze stays free to grow sideways,
// and with all sides held its stress is the constrained one, E (1 - nu) / (1 + nu)(1 - 2 nu) per strain.
TEST(Theory, supportsHoldTheirDirectionsOnly) {
  const ShapePtr bar = makeBox({0, 0, 0}, {0.05, 0.02, 0.02});
  const double fine = 0.0005;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {faceOf("left", bar, Patch::Kind::plane, -Vec3::UnitX(), {}, fine),
                         faceOf("right", bar, Patch::Kind::plane, Vec3::UnitX(), {}, fine),
                         faceOf("front", bar, Patch::Kind::plane, -Vec3::UnitY(), {}, fine),
                         faceOf("back", bar, Patch::Kind::plane, Vec3::UnitY(), {}, fine),
                         faceOf("below", bar, Patch::Kind::plane, -Vec3::UnitZ(), {}, fine),
                         faceOf("above", bar, Patch::Kind::plane, Vec3::UnitZ(), {}, fine)};
  problem.setup.supports = {{"left", 0, Held{1}},
                            {"front", 2, Held{2}},
                            {"below", 4, Held{4}},
                            {"back", 3, Held{2}},
                            {"above", 5, Held{4}}};
  const FaceAction squeeze{Vec3::Zero(), 100e6};
  problem.setup.addCase("free", {{1, squeeze}}).supports = {0, 1, 2};
  problem.setup.addCase("cased", {{1, squeeze}});
  const Proof proof = proved(bar, 0.004, problem);
  const double free = 100e6 / kSteel.modulus * 0.05;
  const double nu = kSteel.poisson;
  EXPECT_NEAR(-proof.cases[0].faceDisplacement[1].x() / free, 1, 0.015);
  EXPECT_NEAR(proof.cases[0].faceDisplacement[3].y() / (nu * 100e6 / kSteel.modulus * 0.02), 1, 0.03);
  EXPECT_NEAR(-proof.cases[1].faceDisplacement[1].x() / free, (1 + nu) * (1 - 2 * nu) / (1 - nu), 0.015);
  for (const CaseProof& c : proof.cases)
    for (std::size_t support = 0; support < 5; ++support)
      for (int i = 0; i < 3; ++i) {
        const bool held = std::get<Held>(problem.setup.supports[support].kind).directions >> i & 1;
        EXPECT_TRUE(held || c.reactions[support].force[i] == 0) << support << " " << i;
      }
  EXPECT_NEAR(proof.cases[1].reactions[1].force.y() / (nu / (1 - nu) * 100e6 * 0.05 * 0.02), 1, 0.03);
}

// The largest stress of a strip with a hole lies on a plane of symmetry: rollers there are no clamp, and it
// is judged and found there.
TEST(Theory, aPlaneOfSymmetryIsNoClamp) {
  ExactProblem strip = exact::strip();
  strip.problem.exclusion = 0.002;
  const CaseProof found = provedOn(strip, spacingOf(strip, 60'000)).cases[0];
  EXPECT_LT(std::abs(found.judgedAt.x()), 1e-6);
  EXPECT_NEAR(found.judgedStress / *strip.stress, 1, 0.06);
}

// Rollers under a part of a side are symmetry in the middle, and a jump of the support at the rim beyond
// which the side goes on free: there stress is judged no nearer than elsewhere.
TEST(Theory, rollersThatEndWithinASideAreJudgedApart) {
  const ShapePtr block = makeBox({0, 0, 0}, {0.06, 0.02, 0.04});
  const double rim = 0.017;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {
      faceOf("foot", makeBox({0, 0, 0}, {rim, 0.02, 0.01}), Patch::Kind::plane, -Vec3::UnitZ(), {}, 0.001),
      faceOf("side", block, Patch::Kind::plane, -Vec3::UnitX(), {}, 0.001),
      faceOf("back", block, Patch::Kind::plane, -Vec3::UnitY(), {}, 0.001),
      faceOf("top", block, Patch::Kind::plane, Vec3::UnitZ(), {}, 0.001)};
  problem.setup.supports = {{"foot", 0, Held{4}}, {"side", 1, Held{1}}, {"back", 2, Held{2}}};
  problem.setup.addCase("press", {{3, {Vec3::Zero(), 10e6}}});
  problem.exclusion = 0.006;
  const CaseProof found = proved(block, 0.003, problem).cases[0];
  EXPECT_NEAR(found.peakAt.x(), rim, 0.002);
  EXPECT_NEAR(found.peakAt.z(), 0, 0.002);
  EXPECT_GT(found.peakStress, 1.5 * found.judgedStress);
  EXPECT_GE(std::hypot(found.judgedAt.x() - rim, found.judgedAt.z()), 0.0055);
}

// A support acts where the part touches its face, and how much of it that is is told.
TEST(Theory, aFaceMayBeThereInPart) {
  const ShapePtr wall = makeBox({-0.01, 0, 0}, {0, 0.03, 0.03});
  const ShapePtr bar = makeBox({0, 0, 0}, {0.06, 0.03, 0.012});
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.materials[0].poisson = 0;
  problem.setup.faces = {faceOf("wall", wall, Patch::Kind::plane, Vec3::UnitX(), {}, 0.001),
                         faceOf("end", bar, Patch::Kind::plane, Vec3::UnitX(), {}, 0.001)};
  problem.setup.faces[0].face.patches[0].flipped = true;  // the part lies on the other side
  problem.setup.supports = {{"wall", 0}};
  problem.setup.addCase("pull", {{1, {Vec3::Zero(), -1e8}}});
  const Proof proof = proved(bar, 0.004, problem);
  EXPECT_NEAR(proof.faceShare[0], 0.4, 1e-6);
  EXPECT_NEAR(proof.cases[0].faceDisplacement[1].x() / (1e8 / kSteel.modulus * 0.06), 1, 1e-6);
}

// Posts that are not joined: what pushes one is carried at its own foot, and turns about that foot's centre.
TEST(Theory, eachPieceOfASupportHasItsOwnReaction) {
  for (const double scale : {1.0, 20.0}) {
    const auto post = [&](double x, double width) {
      return makeBox(scale * Vec3(x, 0, 0), scale * Vec3(x + width, 0.01, 0.03));
    };
    const ShapePtr loaded = post(0, 0.01), idle = post(0.03, 0.015);
    const ShapePtr posts = makeUnion({loaded, idle});
    FaceSelector feet;
    feet.direction = -Vec3::UnitZ();
    feet.count = 2;
    ProofProblem problem;
    problem.setup.materials = {kSteel};
    problem.setup.faces = {{"feet", selectFace(*posts, feet, 0.001 * scale)},
                           faceOf("top", loaded, Patch::Kind::plane, Vec3::UnitZ(), {}, 0.001 * scale)};
    problem.setup.supports = {{"feet", 0}};
    const Vec3 force(300, -40, -2000);
    problem.setup.addCase("push", {{1, {force, 0}}});
    const Reaction reaction = proved(posts, 0.003 * scale, problem).cases[0].reactions[0];
    ASSERT_EQ(reaction.pieces.size(), 2U);
    const bool first = reaction.pieces[0].centre.x() < 0.02 * scale;
    const PieceReaction& under = reaction.pieces[first ? 0 : 1];
    const PieceReaction& beside = reaction.pieces[first ? 1 : 0];
    EXPECT_NEAR((under.centre - scale * Vec3(0.005, 0.005, 0)).norm(), 0, 1e-6 * scale);
    EXPECT_NEAR((beside.centre - scale * Vec3(0.0375, 0.005, 0)).norm(), 0, 1e-6 * scale);
    const double small = 1e-4 * force.norm();
    EXPECT_LT((under.own.force + force).norm(), small);
    EXPECT_LT((under.own.moment + Vec3(0, 0, 0.03 * scale).cross(force)).norm(), 0.03 * scale * small);
    EXPECT_LT(beside.own.force.norm(), small);
    EXPECT_LT(beside.own.moment.norm(), 0.03 * scale * small);
    Resultant sum;
    for (const PieceReaction& piece : reaction.pieces) {
      sum.force += piece.own.force;
      sum.moment += piece.own.moment + piece.centre.cross(piece.own.force);
    }
    EXPECT_LT((sum.force - reaction.force).norm(), 1e-9 * force.norm());
    EXPECT_LT((sum.moment - reaction.moment).norm(), 1e-9 * scale * force.norm());
  }
}

// A part made elsewhere whose end is short of the face by less than the mesh tells apart.
TEST(Theory, tellsHowFarTheBodyLiesOffAFace) {
  const ShapePtr wanted = makeBox({0, 0, 0}, {0.06, 0.03, 0.012});
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {faceOf("wall", wanted, Patch::Kind::plane, Vec3(-Vec3::UnitX()), {}, 0.001),
                         faceOf("end", wanted, Patch::Kind::plane, Vec3::UnitX(), {}, 0.001)};
  problem.setup.supports = {{"wall", 0}};
  problem.setup.addCase("pull", {{1, {Vec3::Zero(), -1e8}}});
  for (const double gap : {0.0, 1e-4, 4e-4}) {
    const Proof proof = proved(makeBox({0, 0, 0}, {0.06 - gap, 0.03, 0.012}), 0.004, problem);
    EXPECT_NEAR(proof.faceOffset[0], 0, 1e-6);
    EXPECT_NEAR(proof.faceOffset[1], gap, 1e-6);
  }
}

// Cases on the same supports are solved together, in whatever order they stand, and of those that are sums of
// others only a base; each is what it is alone.
TEST(Theory, casesDoNotMindEachOther) {
  const ShapePtr bar = makeBox({0, 0, 0}, {0.06, 0.03, 0.012});
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {faceOf("wall", bar, Patch::Kind::plane, Vec3(-Vec3::UnitX()), {}, 0.001),
                         faceOf("end", bar, Patch::Kind::plane, Vec3::UnitX(), {}, 0.001),
                         faceOf("top", bar, Patch::Kind::plane, Vec3::UnitZ(), {}, 0.001)};
  problem.setup.supports = {{"wall", 0}, {"end", 1}};
  problem.setup.loads = {{"pull", 1, FaceAction{Vec3(1000, 0, 0), 0}},
                         {"press", 2, FaceAction{Vec3::Zero(), 1e6}}};
  const LoadCase::Factor pull{0, 1};
  const LoadCase::Factor press{1, 1};
  const std::vector<LoadCase> cases{{"pull", 1, {pull}, {0}},
                                    {"press", 1, {press}, {0, 1}},
                                    {"both", 1, {pull, press}, {0}},
                                    {"press alone", 1, {press}, {0}}};
  const auto with = [&](const std::vector<LoadCase>& some) {
    problem.setup.cases = some;
    return proved(bar, 0.004, problem);
  };
  const Proof together = with(cases);
  ASSERT_EQ(together.cases.size(), cases.size());
  for (std::size_t k = 0; k < cases.size(); ++k) {
    const Proof alone = with({cases[k]});
    EXPECT_EQ(together.cases[k].name, cases[k].name);
    EXPECT_NEAR(together.cases[k].compliance / alone.cases[0].compliance, 1, 1e-7) << cases[k].name;
    EXPECT_NEAR(together.cases[k].judgedStress / alone.cases[0].judgedStress, 1, 1e-4) << cases[k].name;
    const Vec3& force = alone.cases[0].reactions[0].force;
    EXPECT_LT((together.cases[k].reactions[0].force - force).norm(), 1e-4 * force.norm()) << cases[k].name;
  }
  EXPECT_GT(together.cases[2].solve.iterations, 5);
  EXPECT_LE(together.cases[3].solve.iterations, 5) << "the pull taken off both";
}

}  // namespace
}  // namespace barelattice
