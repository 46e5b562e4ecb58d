#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/proof/verdict.hpp"
#include "run/vtu.hpp"
#include "solve/block_matrix.hpp"
#include "support/own_folder.hpp"
#include "support/proof_mesh.hpp"

namespace barelattice {
namespace {

const Material kSteel{"steel", 205e9, 0.29, 7850, 350e6};

TetMesh meshOf(const ShapePtr& shape, double spacing) {
  return stuff([&](const Vec3& p) { return shape->distance(p); }, shape->bounds(), spacing,
               FeatherEdges::trimmed);
}

NamedFace planeFace(const char* name, const ShapePtr& shape, const Vec3& direction, double spacing) {
  FaceSelector selector;
  selector.direction = direction;
  return {name, selectFace(*shape, selector, spacing)};
}

// Any displacement field of second degree lies in the ten-node element's space: for u = (x^2, 0, 0) the
// stress is linear and must be found exactly, and its internal forces must balance the body force
// -div(stress).
TEST(QuadraticTets, representQuadraticFieldsExactly) {
  const QuadraticTets mesh(meshOf(makeBox({0, 0, 0}, {1, 0.8, 0.6}), 0.2));
  std::vector<double> u;
  for (const Vec3& p : mesh.nodes()) u.insert(u.end(), {p.x() * p.x(), 0, 0});
  const Material unit{"unit", 1, 0.25, 1, 1};
  const std::vector<MaterialStress> stress = mesh.cornerStress({{unit}, {}}, u);
  const double lambda = 0.25 / (1.25 * 0.5);
  const double mu = 0.5 / 1.25;
  for (std::size_t n = 0; n < mesh.cornerCount(); ++n) {
    const double strain = 2 * mesh.nodes()[n].x();
    EXPECT_NEAR(stress[n].stress[0], (lambda + 2 * mu) * strain, 1e-10);
    EXPECT_NEAR(stress[n].stress[1], lambda * strain, 1e-10);
    EXPECT_NEAR(stress[n].stress[5], 0, 1e-10);
  }
}

TEST(PrincipalStress, isThatOfTheTextbookStates) {
  const auto expect = [](const Stress& s, double most, double least, double equivalent) {
    const std::array<double, 2> range = principalRange(s);
    const double scale = std::max({std::abs(most), std::abs(least), 1.0});
    EXPECT_NEAR(range[0], most, 1e-8 * scale);  // closed form: half of the digits where two are equal
    EXPECT_NEAR(range[1], least, 1e-8 * scale);
    EXPECT_NEAR(vonMises(s), equivalent, 1e-14 * scale);
  };
  Stress s = Stress::Zero();
  expect(s, 0, 0, 0);
  s << 7e7, 0, 0, 0, 0, 0;
  expect(s, 7e7, 0, 7e7);  // tension
  s << -3e6, -3e6, -3e6, 0, 0, 0;
  expect(s, -3e6, -3e6, 0);  // water pressure
  s << 0, 0, 0, 0, 0, 2e5;
  expect(s, 2e5, -2e5, std::sqrt(3.0) * 2e5);  // pure shear
  s << 5, -1, 0, 0, 0, 4;
  expect(s, 7, -3, std::sqrt(7.0 * 7 + 3 * 3 + 7 * 3));  // Mohr's circle of centre 2 and radius 5
}

TEST(PrincipalStress, boundsThePullAcrossEveryPlane) {
  std::mt19937 random(9);
  std::uniform_real_distribution<double> any(-1, 1);
  for (int trial = 0; trial < 50; ++trial) {
    Stress s;
    for (double& value : s) value = any(random);
    Eigen::Matrix3d tensor;
    tensor << s[0], s[5], s[4], s[5], s[1], s[3], s[4], s[3], s[2];
    const std::array<double, 2> range = principalRange(s);
    // Both are roots of the characteristic polynomial, and the third follows from the trace.
    for (const double root : range)
      EXPECT_NEAR((tensor - root * Eigen::Matrix3d::Identity()).determinant(), 0, 1e-12) << "seed 9";
    const double third = tensor.trace() - range[0] - range[1];
    EXPECT_NEAR(range[0] * range[1] * third, tensor.determinant(), 1e-12);
    const double a = range[0] - range[1], b = range[1] - third, c = third - range[0];
    EXPECT_NEAR(vonMises(s), std::sqrt(0.5 * (a * a + b * b + c * c)), 1e-12);
    for (int i = 0; i < 20; ++i) {
      const Vec3 normal = Vec3(any(random), any(random), any(random)).stableNormalized();
      EXPECT_LE(normal.dot(tensor * normal), range[0] + 1e-12);
      EXPECT_GE(normal.dot(tensor * normal), range[1] - 1e-12);
    }
  }
}

TEST(QuadraticTets, stiffnessAgreesWithInternalForces) {
  const QuadraticTets mesh(meshOf(makeCylinder({0, 0, 0}, {0, 0, 1}, 0.5), 0.25));
  std::mt19937 random(4);
  std::uniform_real_distribution<double> any(-1, 1);
  std::vector<double> u(3 * mesh.nodeCount()), f(u.size());
  for (double& value : u) value = any(random);
  // Two materials, so that both must find the same one in every tetrahedron.
  TetMaterials materials{{{"unit", 1, 0.3, 1, 1}, {"other", 3, 0.2, 1, 1}}, {}};
  for (std::size_t t = 0; t < mesh.tets().size(); ++t) materials.number.push_back(t % 3 == 0);
  mesh.stiffness(materials, {}).apply(u, f);
  const std::vector<double> direct = mesh.internalForces(materials, u);
  double most = 0;
  for (const double value : direct) most = std::max(most, std::abs(value));
  for (std::size_t i = 0; i < f.size(); ++i) EXPECT_NEAR(f[i], direct[i], 1e-12 * most) << "seed 4";
}

TEST(Proof, barUnderTensionHasItsStressMassAndReactions) {
  const ShapePtr bar = makeBox({0, 0, 0}, {0.1, 0.02, 0.02});
  const double spacing = 0.004;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {planeFace("left", bar, -Vec3::UnitX(), 0.0005),
                         planeFace("right", bar, Vec3::UnitX(), 0.0005)};
  problem.setup.supports = {{"root", 0}};
  problem.setup.addCase("pull", {{1, {{8000, 0, 0}}}});
  problem.setup.addCase("idle", {{1, {}}});
  problem.exclusion = 0.03;
  const Proof proof = prove(proofMesh(bar, spacing, problem), spacing, problem);
  const CaseProof& pull = proof.cases[0];
  EXPECT_NEAR(proof.mass / (4e-5 * 7850), 1, 1e-9);
  EXPECT_NEAR(pull.judgedStress / 20e6, 1, 0.01);
  EXPECT_NEAR(pull.safetyFactor, 350e6 / pull.judgedStress, 1e-9);
  EXPECT_NEAR(pull.faceDisplacement[1].x() / (20e6 / 205e9 * 0.1), 1, 0.03);
  EXPECT_LT((pull.reactions[0].force + Vec3(8000, 0, 0)).norm(), 1e-3 * 8000);
  EXPECT_LT((pull.applied.force - Vec3(8000, 0, 0)).norm(), 1e-9 * 8000);
  EXPECT_EQ(proof.cases[1].displacement, 0);
}

// Two materials without Poisson's effect side by side under the same stretch: every strain is equal, so
// stress, stiffness and safety follow by hand. The seam lies askew to the lattice the mesh comes from.
TEST(Proof, bondedBarsShareTheLoadByTheirStiffness) {
  const ShapePtr bar = makeBox({0, 0, 0}, {0.1, 0.02, 0.02});
  const double spacing = 0.002;
  ProofProblem problem;
  problem.setup.materials = {{"soft", 50e9, 0, 1000, 100e6}, {"stiff", 200e9, 0, 4000, 600e6}};
  problem.regions = {{makeBox({-1, -1, -1}, {1, 1, 0.0125}), 1, true}};
  problem.setup.faces = {planeFace("left", bar, -Vec3::UnitX(), 0.0005),
                         planeFace("right", bar, Vec3::UnitX(), 0.0005)};
  problem.setup.supports = {{"root", 0, Held{1}}, {"side", 0, Held{6}}};
  // Pulled on either half of its end, by as much as that half carries, so that nothing bends.
  const double stiff = 200e9 * 0.02 * 0.0125;
  const double soft = 50e9 * 0.02 * 0.0075;
  const double pull = 20000;
  problem.setup.faces[1] =
      planeFace("right, stiff", makeBox({0, 0, 0}, {0.1, 0.02, 0.0125}), Vec3::UnitX(), 0.0005);
  problem.setup.faces.push_back(
      planeFace("right, soft", makeBox({0, 0, 0.0125}, {0.1, 0.02, 0.02}), Vec3::UnitX(), 0.0005));
  problem.setup.addCase(
      "pull", {{1, {{pull * stiff / (stiff + soft), 0, 0}}}, {2, {{pull * soft / (stiff + soft), 0, 0}}}});
  problem.exclusion = 0.03;
  const Proof proof = prove(proofMesh(bar, spacing, problem), spacing, problem);
  const CaseProof& found = proof.cases[0];
  const double strain = pull / (stiff + soft);
  EXPECT_NEAR(found.faceDisplacement[1].x() / (0.1 * strain), 1, 0.03);
  // The soft half uses 50/100 of what the stiff one's 200/600 would be: it governs.
  EXPECT_EQ(found.judgedIn, 0U);
  // The seam is ragged by half a tetrahedron, which costs 12 % here (docs/concepts/materials.md says so).
  EXPECT_NEAR(found.judgedStress / (50e9 * strain), 1, 0.15);
  EXPECT_NEAR(found.percentiles[0] / (200e9 * strain), 1, 0.02)
      << "half the volume is below: the stiff bar's";
  EXPECT_NEAR(found.safetyFactor, 100e6 / found.judgedStress, 1e-9);
  EXPECT_NEAR(proof.mass / (1000 * 0.1 * 0.02 * 0.0075), 1, 0.04);
  EXPECT_NEAR(proof.bonded / (4000 * 0.1 * 0.02 * 0.0125), 1, 0.04);
  EXPECT_LT((found.reactions[0].force + Vec3(pull, 0, 0)).norm(), 1e-3 * pull);
}

/// A beam along x, its root held, its tip pressed down by 100 N.
ProofProblem cantileverOf(const ShapePtr& beam, double exclusion) {
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {planeFace("root", beam, -Vec3::UnitX(), 0.0004),
                         planeFace("tip", beam, Vec3::UnitX(), 0.0004)};
  problem.setup.supports = {{"root", 0}};
  problem.setup.addCase("down", {{1, {{0, 0, -100}}}});
  problem.exclusion = exclusion;
  return problem;
}

// Cantilever of length 10 h under an end force: Timoshenko's deflection and M z / I at half length.
TEST(Proof, cantileverAgreesWithBeamTheory) {
  const double height = 0.01;
  const ShapePtr beam = makeBox({0, 0, 0}, {0.1, height, height});
  const double spacing = 0.0022;
  const ProofProblem problem = cantileverOf(beam, 0.05);
  const Proof proof = prove(proofMesh(beam, spacing, problem), spacing, problem);
  const double inertia = std::pow(height, 4) / 12;
  const double shear = kSteel.modulus / (2 * (1 + kSteel.poisson));
  const double kappa = 10 * (1 + kSteel.poisson) / (12 + 11 * kSteel.poisson);
  const double deflection =
      100 * 1e-3 / (3 * kSteel.modulus * inertia) + 100 * 0.1 / (kappa * shear * height * height);
  EXPECT_NEAR(-proof.cases[0].faceDisplacement[1].z() / deflection, 1, 0.01);
  const double turn = 100 * 0.01 / (2 * kSteel.modulus * inertia);  // F L^2 / 2 E I
  EXPECT_NEAR(proof.cases[0].faceRotation[1].y() / turn, 1, 0.01);
  const double bending = 100 * 0.05 * (0.5 * height) / inertia;  // outside half the length round the root
  EXPECT_NEAR(proof.cases[0].judgedStress / bending, 1, 0.02);
  EXPECT_GT(proof.cases[0].peakStress, 1.6 * bending)
      << "the root carries twice the moment and a clamped edge";
}

TEST(Proof, loadsOnCurvedFacesKeepTheirResultant) {
  const ShapePtr plate = makeDifference(makeBox({0, 0, 0}, {0.1, 0.06, 0.02}),
                                        {makeCylinder({0.07, 0.03, -1}, {0.07, 0.03, 1}, 0.012)});
  FaceSelector bore;
  bore.kind = Patch::Kind::cylinder;
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {planeFace("left", plate, -Vec3::UnitX(), 0.001),
                         {"bore", selectFace(*plate, bore, 0.0005)}};
  problem.setup.supports = {{"root", 0}};
  problem.setup.addCase("pull", {{1, {{1000, 500, -200}}}});
  const double spacing = 0.004;
  const Proof proof = prove(proofMesh(plate, spacing, problem), spacing, problem);
  const Resultant wanted =
      resultantOnFace(problem.setup.faces[1].face, FaceAction{{1000, 500, -200}}, Vec3::Zero());
  EXPECT_LT((proof.cases[0].applied.force - wanted.force).norm(), 1e-9 * wanted.force.norm());
  EXPECT_LT((proof.cases[0].applied.moment - wanted.moment).norm(), 1e-3 * wanted.moment.norm());
  Vec3 reaction = proof.cases[0].reactions[0].force;
  EXPECT_LT((reaction + wanted.force).norm(), 1e-3 * wanted.force.norm());
}

TEST(Proof, refusesAFaceThatIsNotOnTheSolidIfItMatters) {
  const ShapePtr bar = makeBox({0, 0, 0}, {0.1, 0.02, 0.02});
  const ShapePtr elsewhere = makeBox({1, 0, 0}, {1.1, 0.02, 0.02});
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {planeFace("left", elsewhere, -Vec3::UnitX(), 0.001)};
  problem.setup.supports = {{"root", 0}};
  const QuadraticTets mesh(meshOf(bar, 0.005));
  problem.setup.addCase("idle", {});
  EXPECT_THROW(prove(mesh, 0.005, problem), InputError) << "held where there is nothing";
  problem.setup.faces.push_back(planeFace("right", bar, Vec3::UnitX(), 0.001));
  problem.setup.supports[0].face = 1;
  problem.setup.loads = {{"push", 0, FaceAction{{1, 0, 0}, 0}}};
  problem.setup.cases[0].loads = {{0, 1}};
  EXPECT_THROW(prove(mesh, 0.005, problem), InputError) << "loaded where there is nothing";
  problem.setup.cases[0].loads.clear();
  const Proof proof = prove(mesh, 0.005, problem);
  EXPECT_EQ(proof.faceShare[0], 0) << "nothing acts there: it may be missing";
  EXPECT_NEAR(proof.faceShare[1], 1, 1e-9);
}

// Set apart as far as the part is long, its stress is judged all the same: never "nothing, so it holds".
TEST(Proof, judgesEverywhereWhereNothingElseIsLeft) {
  const ShapePtr bar = makeBox({0, 0, 0}, {0.1, 0.02, 0.02});
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.materials[0].poisson = 0;
  problem.setup.faces = {planeFace("left", bar, -Vec3::UnitX(), 0.001),
                         planeFace("right", bar, Vec3::UnitX(), 0.001)};
  problem.setup.supports = {{"root", 0}};
  problem.setup.addCase("pull", {{1, {{8000, 0, 0}}}});
  for (const double apart : {0.0, 0.03, 0.049, 0.051, 1.0}) {
    problem.exclusion = apart;
    const Proof proof = prove(proofMesh(bar, 0.004, problem), 0.004, problem);
    EXPECT_EQ(proof.cases[0].judgedEverywhere, apart > 0.05) << apart;
    EXPECT_NEAR(proof.cases[0].judgedStress / 20e6, 1, 1e-3) << apart;
    EXPECT_NEAR(proof.cases[0].percentiles[1] / 20e6, 1, 1e-3) << apart;
  }
}

// Two bars that do not touch: each is held by itself, in plane stress too, or the one that is not is named.
TEST(Proof, holdsEveryPieceByItselfOrNamesTheOneThatIsFree) {
  const ShapePtr first = makeBox({0, 0, 0}, {0.04, 0.01, 0.004});
  const ShapePtr second = makeBox({0, 0.02, 0}, {0.04, 0.03, 0.004});
  const ShapePtr both = makeUnion({first, second});
  for (const AcrossSheet across : {AcrossSheet::body, AcrossSheet::free}) {
    ProofProblem problem;
    problem.setup.materials = {kSteel};
    problem.setup.materials[0].poisson = 0;
    problem.across = across;
    problem.setup.faces = {planeFace("left", first, -Vec3::UnitX(), 0.0005),
                           planeFace("right", first, Vec3::UnitX(), 0.0005),
                           planeFace("other left", second, -Vec3::UnitX(), 0.0005),
                           planeFace("other right", second, Vec3::UnitX(), 0.0005)};
    const unsigned held = across == AcrossSheet::body ? 7U : 3U;
    problem.setup.supports = {{"root", 0, Held{held}}, {"other root", 2, Held{held}}};
    problem.setup.addCase("pull", {{1, {{800, 0, 0}}}, {3, {{-400, 0, 0}}}});
    const Proof proof = prove(proofMesh(both, 0.002, problem), 0.002, problem);
    const double stretch = 20e6 / kSteel.modulus * 0.04;
    EXPECT_NEAR(proof.cases[0].faceDisplacement[1].x() / stretch, 1, 1e-6);
    EXPECT_NEAR(proof.cases[0].faceDisplacement[3].x() / stretch, -0.5, 1e-6);
    problem.setup.cases[0].supports = {0};
    try {
      prove(proofMesh(both, 0.002, problem), 0.002, problem);
      FAIL() << "the second bar flies away";
    } catch (const RunError& error) {
      EXPECT_NE(std::string(error.what()).find("(40, 30, 4) mm, one of 2 not joined"), std::string::npos)
          << error.what();
    }
  }
}

Proof proofWith(double mass, std::vector<std::pair<double, double>> tipAndFactor) {
  Proof proof;
  proof.mass = mass;
  for (std::size_t k = 0; k < tipAndFactor.size(); ++k) {
    CaseProof c;
    c.name = "case " + std::to_string(k + 1);
    c.faceDisplacement = {{0, tipAndFactor[k].first, 0}};
    c.safetyFactor = tipAndFactor[k].second;
    proof.cases.push_back(c);
  }
  return proof;
}

TEST(Verdict, needsTheFigureAndItsErrorOnTheRightSideOfTheBound) {
  ProofProblem problem;
  problem.setup.faces = {{"tip", {}}};
  const double ratio = 2;  // the order is 1 as long as no recovered stress shows another
  const Proof coarse = proofWith(2, {{0.001, 3}, {0.00294, 2.05}});
  const Proof fine = proofWith(2, {{0.001, 3}, {0.003, 2}});
  const auto one = [&](Requirement::Kind kind, double bound) {
    return judge(judgedBody(coarse, fine, ratio), 0.1, problem.setup, {{kind, 0, bound}})[0];
  };
  using Kind = Requirement::Kind;
  EXPECT_EQ(one(Kind::mass, 2.1).verdict, Verdict::met);
  EXPECT_EQ(one(Kind::mass, 1.9).verdict, Verdict::notMet);
  // Of a body known by its meshes alone a third of their difference is in doubt.
  const auto meshed = [&](double bound) {
    return judge(judgedBody(proofWith(1.88, {}), proofWith(2, {}), ratio), 0.1, problem.setup,
                 {{Kind::mass, 0, bound}})[0];
  };
  EXPECT_NEAR(meshed(2.1).value.error, 0.04, 1e-12);
  EXPECT_EQ(meshed(2.05).verdict, Verdict::met);
  EXPECT_EQ(meshed(2.02).verdict, Verdict::inconclusive);
  EXPECT_EQ(meshed(1.95).verdict, Verdict::notMet);
  const Judgement tip = one(Kind::displacement, 0.0031);
  EXPECT_EQ(tip.worstCase, "case 2");
  EXPECT_NEAR(tip.value.error, 1.5 * 0.00006, 1e-9);
  EXPECT_EQ(tip.verdict, Verdict::met);
  EXPECT_EQ(one(Kind::displacement, 0.00305).verdict, Verdict::inconclusive)
      << "the bound lies within the error";
  EXPECT_EQ(one(Kind::displacement, 0.0029).verdict, Verdict::notMet);
  EXPECT_EQ(one(Kind::safetyFactor, 1.9).verdict, Verdict::met);
  EXPECT_EQ(one(Kind::safetyFactor, 1.97).verdict, Verdict::inconclusive);
  EXPECT_EQ(one(Kind::safetyFactor, 2.1).verdict, Verdict::notMet);
  EXPECT_THROW(judge(judgedBody(coarse, fine, ratio), 0.1, problem.setup, {{Kind::displacement, 7, 1}}),
               InputError);
}

TEST(Verdict, isInconclusiveWhenTheMeshesDisagree) {
  ProofProblem problem;
  const Proof coarse = proofWith(2, {{0.001, 2.6}});
  const Proof fine = proofWith(2, {{0.001, 2}});
  const auto with = [&](double agreement) {
    return judge(judgedBody(coarse, fine, 3), agreement, problem.setup,
                 {{Requirement::Kind::safetyFactor, 0, 1.5}});
  };
  // Used are 0.385 and 0.5 of the strength: 0.5 +- 0.069, or 2 - 0.24.
  EXPECT_EQ(with(0.5)[0].verdict, Verdict::met);
  const auto judged = with(0.1);
  EXPECT_NEAR(judged[0].value.value, 2, 1e-12);
  EXPECT_NEAR(judged[0].value.error, 2 - 1 / (0.5 + 3 * 0.6 * (0.5 - 1 / 2.6)), 1e-9);
  EXPECT_EQ(judged[0].verdict, Verdict::inconclusive);
  EXPECT_EQ(overall(judged), Verdict::inconclusive);
  EXPECT_EQ(overall({}), Verdict::met);
}

// The same beam, judged within places: its moment is the load times the distance from it.
TEST(Proof, stressWithinAPlaceIsThatOfThere) {
  const double height = 0.01;
  const ShapePtr beam = makeBox({0, 0, 0}, {0.1, height, height});
  ProofProblem problem = cantileverOf(beam, 0.015);
  problem.places = {makeBox({0.06, -1, -1}, {1, 1, 1}), makeBox({0.04, -1, -1}, {1, 1, 0.5 * height}),
                    makeBox({0, 1, 1}, {1, 2, 2})};
  const Proof coarse = prove(proofMesh(beam, 0.0026, problem), 0.0026, problem);
  const Proof fine = prove(proofMesh(beam, 0.002, problem), 0.002, problem);
  const CaseErrors errors = errorsOf(coarse, fine, 0, 1.3);
  const auto stressAt = [&](double x) { return 100 * (0.1 - x) * 6 / std::pow(height, 3); };
  ASSERT_EQ(errors.places.size(), 3U);
  EXPECT_NEAR(errors.places[0].tension.value / stressAt(0.06), 1, 0.03);
  EXPECT_NEAR(errors.places[0].compression.value / stressAt(0.06), 1, 0.03);
  EXPECT_NEAR(errors.places[0].used.value * kSteel.strength / stressAt(0.06), 1, 0.03);
  EXPECT_LT(std::abs(errors.places[0].tension.value - stressAt(0.06)), errors.places[0].tension.error);
  EXPECT_NEAR(errors.places[1].compression.value / stressAt(0.04), 1, 0.03);
  EXPECT_LT(errors.places[1].tension.value, 0.1 * stressAt(0.04)) << "the lower half is pressed";
  EXPECT_EQ(errors.places[2].used.value, 0) << "nothing is there";
  EXPECT_NEAR(errors.tension.value / stressAt(0.015), 1, 0.05);
}

// Motions as wholes, parts, and over one another; stresses anywhere or within a place; only in the cases
// named.
TEST(Verdict, ofLimitsLooksAtWhatTheyName) {
  using Kind = Requirement::Kind;
  barelattice::Setup setup;
  setup.materials = {{"m", 70e9, 0.3, 2700, 200e6}};
  setup.faces = {{"a", {}}, {"b", {}}};
  JudgedBody body;
  body.ratio = 1.3;
  body.faceShare = {1, 1};
  CaseErrors push;
  push.order = 1;
  push.faceShift = {{{3e-3, -4e-3, 0}, {3e-3, -4e-3, 0}, 1e-4}, {{3e-3, 0, 0}, {3e-3, 0, 0}, 2e-4}};
  push.faceTurn = {{{0, 0, 0.01}, {0, 0, 0.01}, 1e-3}, {}};
  push.faceDisplacement = {push.faceShift[0].size(), push.faceShift[1].size()};
  push.compliance = {2, 2, 0.1};
  push.used = {0.5, 0.5, 0.05};
  push.tension = {80e6, 80e6, 5e6};
  push.compression = {60e6, 60e6, 5e6};
  push.places = {{{0.2, 0.2, 0.01}, {30e6, 30e6, 1e6}, {10e6, 10e6, 1e6}}};
  CaseErrors idle = push;
  idle.compliance = {0.1, 0.1, 0.01};
  for (EstimatedVector& shift : idle.faceShift) shift = {};
  body.cases = {{"push", push}, {"idle", idle}};
  const auto judged = [&](Requirement requirement) { return judge(body, 0.1, setup, {requirement}).at(0); };
  const auto expect = [&](Requirement requirement, double value, double error) {
    for (const auto& [factor, verdict] : {std::pair{1.5, Verdict::met}, std::pair{0.5, Verdict::notMet}}) {
      requirement.bound = (requirement.kind == Kind::safetyFactor ? 1 / factor : factor) * value;
      const Judgement j = judged(requirement);
      EXPECT_NEAR(j.value.value / value, 1, 1e-12);
      if (requirement.kind != Kind::safetyFactor) {
        EXPECT_NEAR(j.value.error / error, 1, 1e-9);
      }
      EXPECT_EQ(j.verdict, verdict) << keyOf(requirement) << " at " << factor;
      EXPECT_EQ(j.worstCase, "push");
    }
    if (requirement.kind == Kind::safetyFactor) return;
    requirement.bound = value + 0.5 * error;
    EXPECT_EQ(judged(requirement).verdict, Verdict::inconclusive) << keyOf(requirement);
  };
  Requirement moved{Kind::displacement, 0};
  expect(moved, 5e-3, 1e-4);
  moved.along = Vec3(0, 2, 0);
  expect(moved, 4e-3, 1e-4);
  moved.along.reset();
  moved.over = 1;
  expect(moved, 4e-3, 3e-4);
  moved.cases = {1};
  moved.bound = 1e-6;
  EXPECT_EQ(judged(moved).value.value, 0) << "in the idle case";
  Requirement turned{Kind::rotation, 0};
  turned.cases = {0};
  expect(turned, 0.01, 1e-3);
  expect({Kind::compliance, 0}, 2, 0.1);
  Requirement stressed{Kind::vonMises, 0};
  stressed.cases = {0};
  expect(stressed, 100e6, 10e6);
  stressed.within = 0;
  expect(stressed, 40e6, 2e6);
  stressed.kind = Kind::safetyFactor;
  expect(stressed, 5, 0);
  stressed.kind = Kind::tension;
  expect(stressed, 30e6, 1e6);
  stressed.within.reset();
  expect(stressed, 80e6, 5e6);
  stressed.kind = Kind::compression;
  expect(stressed, 60e6, 5e6);
  stressed.within = 3;
  EXPECT_THROW(judged(stressed), InputError);
  setup.materials.push_back(setup.materials.front());
  EXPECT_THROW(judged({Kind::vonMises, 0, 1}), InputError) << "one bound of several materials";

  body.frequencies = {{"push", {130, 131, 2}}, {"idle", {150, 151, 3}}};
  Requirement low{Kind::frequency, 0, 155};
  low.below = true;
  EXPECT_EQ(judged(low).verdict, Verdict::met);
  EXPECT_EQ(judged(low).worstCase, "idle") << "the highest counts";
  low.bound = 151;
  EXPECT_EQ(judged(low).verdict, Verdict::inconclusive);
  low.bound = 140;
  EXPECT_EQ(judged(low).verdict, Verdict::notMet);
}

// A case whose figure is smaller but in doubt is not hidden by another that is larger and sure.
TEST(Verdict, isTheWorstOfAllCases) {
  ProofProblem problem;
  problem.setup.faces = {{"tip", {}}};
  const Proof coarse = proofWith(2, {{0.0005, 3}, {0.00198, 2}});
  const Proof fine = proofWith(2, {{0.0019, 2.1}, {0.002, 2}});
  const auto tip = judge(judgedBody(coarse, fine, 1.3), 0.1, problem.setup,
                         {{Requirement::Kind::displacement, 0, 0.0022}});
  EXPECT_EQ(tip[0].verdict, Verdict::inconclusive);
  EXPECT_EQ(tip[0].worstCase, "case 1");
  EXPECT_EQ(tip[0].value.value, 0.0019);
  const auto factor =
      judge(judgedBody(coarse, fine, 1.3), 0.1, problem.setup, {{Requirement::Kind::safetyFactor, 0, 1.9}});
  EXPECT_EQ(factor[0].verdict, Verdict::inconclusive);
  EXPECT_EQ(factor[0].worstCase, "case 1");
  const auto failed =
      judge(judgedBody(coarse, fine, 1.3), 0.1, problem.setup, {{Requirement::Kind::displacement, 0, 0.001}});
  EXPECT_EQ(failed[0].verdict, Verdict::notMet);
  EXPECT_EQ(failed[0].worstCase, "case 2") << "one that surely fails says more than one in doubt";
}

// The lowest frequency counts, under the supports of any case, with its error on the safe side.
TEST(Verdict, ofAFrequencyIsThatOfTheLowest) {
  JudgedBody body;
  body.ratio = 1.3;
  body.frequencies = {{"down", {130, 131, 2}}, {"up, side", {121, 122, 3}}};
  const auto judged = [&](double bound) {
    return judge(body, 0.1, {}, {{Requirement::Kind::frequency, 0, bound}}).at(0);
  };
  EXPECT_EQ(judged(117).verdict, Verdict::met);
  EXPECT_EQ(judged(117).worstCase, "up, side");
  EXPECT_EQ(judged(117).value.value, 121);
  EXPECT_EQ(judged(117).value.coarse, 122);
  EXPECT_EQ(judged(119).verdict, Verdict::inconclusive);
  EXPECT_EQ(judged(125).verdict, Verdict::notMet);
  EXPECT_EQ(judged(129).worstCase, "up, side") << "one that surely fails says more than one in doubt";
  body.frequencies[1].lowest.coarse = 160;  // meshes that disagree are believed a third as much
  EXPECT_EQ(judged(117).verdict, Verdict::inconclusive);
  EXPECT_EQ(judged(111.9).verdict, Verdict::met);
}

// 20 of 350 MPa: the factors of two meshes differ by hundreds, the stress by nothing that matters.
TEST(Verdict, ofASafetyFactorIsThatOfTheStress) {
  ProofProblem problem;
  const auto judged = judge(judgedBody(proofWith(1, {{0, 350 / 10.0}}), proofWith(1, {{0, 350 / 20.0}}), 1.3),
                            0.1, problem.setup, {{Requirement::Kind::safetyFactor, 0, 1.5}});
  EXPECT_EQ(judged[0].verdict, Verdict::met);
  EXPECT_LT(judged[0].value.error, judged[0].value.value) << "a factor is never negative";
  const auto idle = judge(judgedBody(proofWith(1, {{0, INFINITY}}), proofWith(1, {{0, INFINITY}}), 1.3), 0.1,
                          problem.setup, {{Requirement::Kind::safetyFactor, 0, 1.5}});
  EXPECT_EQ(idle[0].verdict, Verdict::met) << "no stress at all";
  EXPECT_EQ(idle[0].value.error, 0);
}

TEST(Doubts, areOfForcesOutOfBalanceAndMeshesFarApart) {
  const auto with = [](double applied, double reaction, double compliance) {
    Proof proof = proofWith(1, {{0.001, 2}});
    CaseProof& c = proof.cases[0];
    c.displacement = 0.001;
    c.compliance = compliance;
    c.applied.force = {0, 0, -applied};
    c.reactions.resize(2);
    c.reactions[0].force = {0, 0, 0.25 * reaction};
    c.reactions[1].force = {0, 0, 0.75 * reaction};
    return proof;
  };
  const Proof sound = with(1000, 999, 1);
  EXPECT_TRUE(doubts(sound, sound).empty());
  EXPECT_EQ(doubts(sound, with(1000, 985, 1)).size(), 1U) << "15 of 1000 N are left over";
  EXPECT_EQ(doubts(sound, with(1000, -2717, 1)).size(), 1U);
  // A pressure all round: no resultant, 1 J over 1 mm, and what rounding leaves of the forces.
  EXPECT_TRUE(doubts(sound, with(1e-9, 2e-9, 1)).empty());
  EXPECT_TRUE(doubts(with(1000, 1000, 9), sound).empty());
  EXPECT_EQ(doubts(with(1000, 1000, 11), sound).size(), 1U);
  EXPECT_EQ(doubts(with(1000, 1000, 1), with(1000, 1000, 7.8e10)).size(), 1U);
}

// An error that falls with the square of the spacing, halved twice by as many tetrahedra as are told.
TEST(Verdict, tellsHowManyTetrahedraWouldDecide) {
  ProofProblem problem;
  problem.setup.faces = {{"tip", {}}};
  const double ratio = 1.25;
  const double exact = 1;
  const auto withSpacing = [&](double h) {
    Proof proof = proofWith(1, {{exact + 0.04 * h * h, 2}});
    proof.cases[0].recoveryGap = h * h;
    proof.tets = static_cast<std::size_t>(1e5 / (h * h * h));
    return proof;
  };
  const auto at = [&](double h, double bound) {
    return judge(judgedBody(withSpacing(ratio * h), withSpacing(h), ratio), 0.1, problem.setup,
                 {{Requirement::Kind::displacement, 0, bound}})[0];
  };
  const Judgement open = at(1, 1.05);
  ASSERT_EQ(open.verdict, Verdict::inconclusive);
  ASSERT_GT(open.decidingTets, 1e5);
  // The figure itself falls too, so that less would do.
  EXPECT_EQ(at(0.99 * std::cbrt(1e5 / open.decidingTets), 1.05).verdict, Verdict::met);
  EXPECT_EQ(at(1, 1.04).decidingTets, 0) << "on the bound";
  EXPECT_EQ(at(1, 2).decidingTets, 0) << "decided";
}

TEST(Extrapolation, isExactForAnErrorOfTheAssumedOrder) {
  // value(h) = 5 + 3 h^2 on h = 0.2 and 0.1
  const Estimated e = extrapolated(5 + 3 * 0.04, 5 + 3 * 0.01, 2, 2);
  EXPECT_NEAR(e.value - e.error, 5, 1e-12);
}

TEST(Vtu, readsBackTheSurfaceItWrote) {
  const ShapePtr bar = makeBox({0, 0, 0}, {0.03, 0.02, 0.02});
  ProofProblem problem;
  problem.setup.materials = {kSteel};
  problem.setup.faces = {planeFace("left", bar, -Vec3::UnitX(), 0.001),
                         planeFace("right", bar, Vec3::UnitX(), 0.001)};
  problem.setup.supports = {{"root", 0}};
  problem.setup.addCase("pull", {{1, {{800, 0, 0}}}});
  problem.frequencies = 2;
  const QuadraticTets mesh = proofMesh(bar, 0.006, problem);
  const Proof proof = prove(mesh, 0.006, problem);
  const std::filesystem::path path = ownFolder() / "proof.vtu";
  writeVtu(path, mesh, proof);
  const ProofSurface surface = readProofSurface(path);
  EXPECT_EQ(surface.mesh.triangles.size(), mesh.surface().size());
  EXPECT_NEAR(surface.mesh.volume() / mesh.volume(), 1, 1e-5);
  ASSERT_EQ(surface.cases.size(), 1U);
  EXPECT_EQ(surface.cases[0].name, "pull");
  float most = 0;
  for (const float s : surface.cases[0].vonMises) most = std::max(most, s);
  double onSurface = 0;
  for (const auto& face : mesh.surface())
    for (std::size_t i = 0; i < 3; ++i)
      onSurface = std::max(onSurface, proof.cases[0].vonMises[static_cast<std::size_t>(face[i])]);
  EXPECT_NEAR(most / onSurface, 1, 1e-5);
  // Modes have a shape and no size: the bar's end moves most, its root not at all.
  ASSERT_EQ(surface.modes.size(), 2U);
  EXPECT_EQ(surface.modes[0].name, "mode 1");
  double largest = 0;
  for (std::size_t v = 0; v < surface.mesh.vertices.size(); ++v) {
    const std::vector<float>& shape = surface.modes[0].shape;
    const double moved = std::hypot(shape[3 * v], shape[3 * v + 1], shape[3 * v + 2]);
    largest = std::max(largest, moved);
    const double x = surface.mesh.vertices[v].x();
    EXPECT_LE(moved, x < 1e-6 ? 0 : x < 0.025 ? 0.99 : 1.00001) << x;
  }
  EXPECT_NEAR(largest, 1, 1e-5);
}

}  // namespace
}  // namespace barelattice
