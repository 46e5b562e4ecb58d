// What acts, on voxels and on tetrahedra alike: each kind against its closed form, on both.

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <numeric>
#include <optional>

#include "barelattice/mechanics/reactions.hpp"
#include "barelattice/optimise/analysis.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "barelattice/voxels/natural_modes.hpp"
#include "support/exact_problems.hpp"
#include "tets/face_on_mesh.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;

/// Without Poisson's effect, so that bars are what their theory says.
const Material kPlain{"plain", 70e9, 0, 2700, 240e6};

NamedFace planeFace(const char* name, const ShapePtr& shape, const Vec3& direction, double spacing) {
  FaceSelector selector;
  selector.direction = direction;
  return {name, selectFace(*shape, selector, spacing)};
}

/// A bar along x from the origin, its ends named "root" (0) and "end" (1).
struct Bar {
  Vec3 size{0.08, 0.02, 0.01};
  double voxel = 0.0025;
  ShapePtr shape = makeBox({0, 0, 0}, size);
  Setup setup;

  Bar() {
    setup.materials = {kPlain};
    setup.faces = {planeFace("root", shape, -Vec3::UnitX(), 0.25 * voxel),
                   planeFace("end", shape, Vec3::UnitX(), 0.25 * voxel)};
  }
  double section() const { return size.y() * size.z(); }
};

struct Found {
  std::vector<double> compliances;          // by case, J
  std::vector<Vec3> end;                    // mean displacement of the last face, by case, m
  std::vector<std::vector<Vec3>> reaction;  // force by case and support, N; tetrahedra only
};

Found onVoxels(const Bar& bar, double energyTolerance = 1e-13) {
  Regions regions;
  regions.space = bar.shape;
  const Domain<3> domain = sampleRegions<3>(regions, bar.voxel);
  std::vector<double> mass(domain.fill);
  for (double& m : mass) m *= domain.cellVolume() * bar.setup.materials[0].density;
  GridAnalysis<3> each(domain.grid, bar.setup.materials[0], casesOn(domain.grid, bar.setup), domain.fill, {},
                       mass);
  each.setTolerance(energyTolerance);
  CaseStates states = each.rest();
  each.attempt(std::vector<double>(domain.fill.size(), 1.0), states);
  each.requireSuccess(states);
  Found found{states.compliances, {}, {}};
  const GridTies end = tieToGrid(domain.grid, bar.setup.faces.back().face);
  for (const auto& u : states.displacements) found.end.push_back(meanOn(end, u, dofOrder(domain.grid)));
  return found;
}

Found onTets(const Bar& bar) {
  const double spacing = 0.003;
  const ProofProblem problem{bar.setup, AcrossSheet::body, 0};
  const Proof proof = prove(proofMesh(bar.shape, spacing, problem), spacing, problem);
  Found found;
  for (const CaseProof& c : proof.cases) {
    found.compliances.push_back(c.compliance);
    found.end.push_back(c.faceDisplacement.back());
    std::vector<Vec3>& reactions = found.reaction.emplace_back();
    for (const Reaction& reaction : c.reactions) reactions.push_back(reaction.force);
  }
  return found;
}

// A rigid motion of the whole body is seen whole by every face, flat or round, on either discretisation.
TEST(FaceTies, tellRigidMotionsExactly) {
  const ShapePtr plate = makeDifference(makeBox({0, 0, 0}, {0.06, 0.04, 0.02}),
                                        {makeCylinder({0.041, 0.021, -1}, {0.041, 0.021, 1}, 0.011)});
  FaceSelector bore;
  bore.kind = Patch::Kind::cylinder;
  const std::vector<NamedFace> faces{planeFace("end", plate, Vec3::UnitX(), 0.0005),
                                     {"bore", selectFace(*plate, bore, 0.0005)}};
  const Vec3 slide(3e-4, -1e-4, 2e-4);
  const Vec3 turn(1e-3, 4e-3, -2e-3);
  const auto check = [&](const FaceTies& ties, const DofOrder& order, std::size_t nodes,
                         const std::function<Vec3(std::size_t)>& positionOf) {
    std::vector<double> u(3 * nodes);
    for (std::size_t n = 0; n < nodes; ++n) {
      const Vec3 moved = slide + turn.cross(positionOf(n));
      for (int i = 0; i < 3; ++i) u[order(n, i)] = moved[i];
    }
    Vec3 centre = Vec3::Zero();
    for (const FaceTies::Tie& tie : ties.ties) centre += tie.point.area / ties.area * tie.point.position;
    const Vec3 wanted = slide + turn.cross(centre);
    EXPECT_LT((meanOn(ties, u, order) - wanted).norm(), 1e-12);
    Eigen::Matrix3d axes;
    axes = Eigen::AngleAxisd(0.4, Vec3(1, 2, -1).normalized());
    const std::vector<NodalVectors> motions = meanMotions(ties, axes);
    for (int i = 0; i < 3; ++i) {
      EXPECT_NEAR(order.dot(motions[static_cast<std::size_t>(i)], u), axes.col(i).dot(wanted), 1e-12);
      EXPECT_NEAR(order.dot(motions[static_cast<std::size_t>(i + 3)], u), axes.col(i).dot(turn), 1e-10);
    }
  };
  Regions regions;
  regions.space = plate;
  const Domain<3> domain = sampleRegions<3>(regions, 0.0021);
  ProofProblem problem;
  problem.setup.faces = faces;
  const QuadraticTets mesh = proofMesh(plate, 0.003, problem);
  for (const NamedFace& face : faces) {
    check(tieToGrid(domain.grid, face.face), dofOrder(domain.grid), domain.grid.nodeCount(),
          [&](std::size_t n) { return domain.grid.nodePosition(n); });
    check(FaceOnMesh(mesh, face.face, kFaceReach * 0.003).ties(), {3, 1, 3}, mesh.nodeCount(),
          [&](std::size_t n) { return mesh.nodes()[n]; });
  }
}

// A bar pulled off a bed of springs moves as a whole by the pull over the bed's stiffness.
TEST(Acting, aFoundationGivesWayByItsStiffness) {
  for (const double perArea : {1e9, 1e12, 1e15}) {
    Bar bar;
    bar.setup.supports = {{"bed", 0, Foundation{perArea, 0.5 * perArea}}};
    bar.setup.addCase("pull", {{1, {{800, 0, 0}}}});
    const double moved =
        800 / (perArea * bar.section()) + 800 * bar.size.x() / (kPlain.modulus * bar.section());
    for (const Found& found : {onVoxels(bar), onTets(bar)}) {
      EXPECT_NEAR(found.end[0].x() / moved, 1, 1e-5) << perArea;
      EXPECT_NEAR(found.compliances[0] / (800 * moved), 1, 1e-5) << perArea;
    }
    EXPECT_LT((onTets(bar).reaction[0][0] + Vec3(800, 0, 0)).norm(), 0.1);
  }
}

// A body that stands on one face's mean motion alone is statically determinate: by Castigliano's theorem its
// compliance is that of the body itself, whatever the springs, and what each spring takes up, F^2 / S.
TEST(Acting, springsOnAMeanMotionTakeUpTheirShareAndNothingElse) {
  const Vec3 force(300, -50, 200);
  const auto own = [&](double slide, double turn, const auto& analysis) {
    Bar bar;
    bar.setup.supports = {
        {"hinge", 0, MeanSprings{{slide, 2 * slide, 3 * slide}, {turn, 2 * turn, 3 * turn}}}};
    bar.setup.addCase("push", {{1, {force}}});
    const Found found = analysis(bar);
    const Vec3 moment = Vec3(bar.size.x(), 0, 0).cross(force);
    double springs = 0;
    for (int i = 0; i < 3; ++i)
      springs += force[i] * force[i] / ((i + 1) * slide) + moment[i] * moment[i] / ((i + 1) * turn);
    return std::pair{found.compliances[0] - springs, springs};
  };
  const auto voxels = [](const Bar& bar) { return onVoxels(bar); };
  const auto tets = [](const Bar& bar) { return onTets(bar); };
  // By beam theory, with the springs so stiff that they do not count; shear and the ends are a few percent.
  const Bar bar;
  const double bending = std::pow(bar.size.x(), 3) / (3 * kPlain.modulus) *
                         (force.y() * force.y() * 12 / (bar.size.z() * std::pow(bar.size.y(), 3)) +
                          force.z() * force.z() * 12 / (bar.size.y() * std::pow(bar.size.z(), 3)));
  const auto check = [&](const auto& analysis, double coarse) {
    const double stiff = own(1e10, 1e6, analysis).first;
    EXPECT_NEAR(stiff / bending, 1, coarse);
    for (const double slide : {1e4, 1e7, 1e13}) {
      const auto [rest, springs] = own(slide, 1e-3 * slide, analysis);
      EXPECT_NEAR(rest / stiff, 1, 1e-4 + 1e-6 * springs / stiff) << slide;
    }
  };
  check(voxels, 0.15);  // four voxels high
  check(tets, 0.05);
}

// From springs a millionth as stiff as the body to such that hold as if they were rigid.
TEST(Acting, springsMayBeAsStiffAsOneLikes) {
  for (const double slide : {1e2, 1e9, 1e14, 1e22}) {
    Bar bar;
    bar.setup.supports = {{"hinge", 0, MeanSprings{{slide, slide, slide}, {slide, slide, slide}}}};
    bar.setup.addCase("pull", {{1, {{100, 0, 0}}}});
    const double wanted = 1e4 / slide + 1e4 * bar.size.x() / (kPlain.modulus * bar.section());
    EXPECT_NEAR(onVoxels(bar).compliances[0] / wanted, 1, 1e-5) << slide;
    const Found tets = onTets(bar);
    EXPECT_NEAR(tets.compliances[0] / wanted, 1, 1e-5) << slide;
    EXPECT_LT((tets.reaction[0][0] + Vec3(100, 0, 0)).norm(), 0.05) << slide;
  }
}

// The same in the plane, where a sheet's mean motions are two slides and a turn.
TEST(Acting, aSheetStandsOnSpringsToo) {
  const double thickness = 0.004;
  const ShapePtr sheet = makeBox({0, 0, 0}, {0.1, 0.02, thickness});
  Regions regions;
  regions.space = sheet;
  regions.thickness = thickness;
  const Domain<2> domain = sampleRegions<2>(regions, 0.001);
  const auto rest = [&](double slide) {
    barelattice::Setup setup;  // not the one of a test
    setup.faces = {planeFace("root", sheet, -Vec3::UnitX(), 2.5e-4),
                   planeFace("end", sheet, Vec3::UnitX(), 2.5e-4)};
    setup.supports = {{"hinge", 0, MeanSprings{{slide, slide, 0}, {0, 0, 1e-3 * slide}}}};
    setup.addCase("push", {{1, {{100, 50, 0}}}});
    GridAnalysis<2> each(domain.grid, sheetMaterial(kPlain, SheetState::planeStress, thickness),
                         casesOn(domain.grid, setup), domain.fill, {});
    each.setTolerance(1e-12);
    CaseStates states = each.rest();
    each.attempt(std::vector<double>(domain.fill.size(), 1.0), states);
    each.requireSuccess(states);
    return states.compliances[0] - (1e4 + 2500) / slide - 25 / (1e-3 * slide);
  };
  // Stretch, bending and shear; Timoshenko's shear factor 6/5.
  const double stretch = 1e4 * 0.1 / (70e9 * 0.02 * thickness);
  const double bending = 2500 * 1e-3 * 12 / (3 * 70e9 * thickness * 8e-6);
  const double shear = 1.2 * 2500 * 0.1 / (35e9 * 0.02 * thickness);
  EXPECT_NEAR(rest(1e12) / (stretch + bending + shear), 1, 3e-3);
  EXPECT_NEAR(rest(1e5) / rest(1e12), 1, 1e-4);
  EXPECT_NEAR(rest(1e8) / rest(1e12), 1, 1e-5);
}

// What two supports hold together in directions that are not at right angles is what a third holds alone.
TEST(Acting, obliqueSupportsOnOneFaceAddUp) {
  Bar bar;
  bar.setup.addCase("push", {{1, {{100, 300, 70}}}});
  Eigen::Matrix3d some;
  some = Eigen::AngleAxisd(0.3, Vec3::UnitZ());
  Eigen::Matrix3d other;
  other = Eigen::AngleAxisd(-0.5, Vec3(0, 1, 1).normalized());
  const auto with = [&](std::vector<Support> supports) {
    bar.setup.supports = std::move(supports);
    bar.setup.cases[0].supports.resize(bar.setup.supports.size());
    std::iota(bar.setup.cases[0].supports.begin(), bar.setup.cases[0].supports.end(), std::size_t{0});
    return std::pair{onVoxels(bar).compliances[0], onTets(bar)};
  };
  const auto fixed = with({{"fixed", 0, Held{}}});
  for (const std::vector<Support>& supports :
       {std::vector<Support>{{"turned", 0, Held{7, some}}},
        std::vector<Support>{{"some", 0, Held{3, some}}, {"other", 0, Held{6, other}}, {"x", 0, Held{1}}}}) {
    const auto found = with(supports);
    EXPECT_NEAR(found.first / fixed.first, 1, 1e-9);
    EXPECT_NEAR(found.second.compliances[0] / fixed.second.compliances[0], 1, 1e-7);
    Vec3 sum = Vec3::Zero();
    for (const Vec3& force : found.second.reaction[0]) sum += force;
    EXPECT_LT((sum + Vec3(100, 300, 70)).norm(), 0.05);
  }
}

// What a support's springs carry is told as its reaction, beside another's that is held.
TEST(Acting, reactionsAreOfTheSupportThatCarriesThem) {
  Bar bar;
  bar.setup.faces.push_back(planeFace("below", bar.shape, -Vec3::UnitZ(), 0.25 * bar.voxel));
  std::swap(bar.setup.faces[1], bar.setup.faces[2]);
  bar.setup.supports = {{"root", 0, Held{}},
                        {"spring", 2, MeanSprings{{0, 0, 1e6}, {0, 0, 0}}},
                        {"bed", 1, Foundation{2e9, 0}}};
  bar.setup.addCase("push", {{2, {{0, 0, -500}}}});
  const Found found = onTets(bar);
  const std::vector<Vec3>& reaction = found.reaction[0];
  EXPECT_LT((reaction[0] + reaction[1] + reaction[2] - Vec3(0, 0, 500)).norm(), 0.5);
  EXPECT_NEAR(reaction[1].z(), -1e6 * found.end[0].z(), 1e-6 * 500);
  EXPECT_GT(reaction[2].z(), 10);
  EXPECT_LT(reaction[2].head<2>().norm(), 1e-6 * 500);
  EXPECT_NEAR(onVoxels(bar).end[0].z() / found.end[0].z(), 1, 0.05);
}

// Rollers askew: the bar that lies at an angle is under the same uniform stress as the one along an axis.
TEST(Acting, obliqueRollersLeaveTheirDirectionsFree) {
  const Vec3 size(0.06, 0.02, 0.012);
  Eigen::Isometry3d turn = Eigen::Isometry3d::Identity();
  turn.rotate(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()));
  const Eigen::Matrix3d axes = turn.linear();
  ProofProblem problem;
  const ShapePtr shape = makeTransformed(makeBox({0, 0, 0}, size), turn);
  Material material = kPlain;
  material.poisson = 0.3;
  problem.setup.materials = {material};
  for (int i = 0; i < 3; ++i) problem.setup.faces.push_back(planeFace("low", shape, -axes.col(i), 0.0006));
  problem.setup.faces.push_back(planeFace("end", shape, axes.col(0), 0.0006));
  for (std::size_t i = 0; i < 3; ++i) problem.setup.supports.push_back({"rollers", i, Held{1U << i, axes}});
  const double pull = 100e6;
  problem.setup.addCase("pull", {{3, {Vec3::Zero(), -pull}}});
  const double spacing = 0.003;
  const CaseProof found = prove(proofMesh(shape, spacing, problem), spacing, problem).cases[0];
  const double strain = pull / material.modulus;
  EXPECT_NEAR(found.compliance / (pull * strain * size.prod()), 1, 5e-4);
  // But for the edges, where the mesh of a body that lies askew has bevels.
  EXPECT_NEAR(found.percentiles[1] / pull, 1, 2e-3);
  EXPECT_NEAR(found.percentiles[0] / pull, 1, 2e-4);
  const Vec3 moved = axes.transpose() * found.faceDisplacement[3];
  EXPECT_NEAR(moved.x() / (strain * size.x()), 1, 1e-4);
  EXPECT_NEAR(moved.y() / (-0.3 * strain * size.y() / 2), 1, 5e-3);
  for (std::size_t i = 0; i < 3; ++i) {
    const Vec3 along = axes.transpose() * found.reactions[i].force;
    for (int k = 0; k < 3; ++k)
      EXPECT_NEAR(along[k], i == 0 && k == 0 ? -pull * size.y() * size.z() : 0,
                  1e-3 * pull * size.y() * size.z());
  }
}

// A bar that hangs stretches by rho g L^2 / 2 E under its own weight, and stores rho^2 g^2 A L^3 / 3 E.
TEST(Acting, aBarStretchesUnderItsOwnWeight) {
  Bar bar;
  bar.setup.supports = {{"top", 0, Held{}}};
  bar.setup.loads = {{"weight", 0, BodyForce{{9.81, 0, 0}}}};
  bar.setup.cases = {{"hangs", 1, {{0, 1}}, {0}}};
  const double rhoG = kPlain.density * 9.81;
  const double length = bar.size.x();
  const double stretch = rhoG * length * length / (2 * kPlain.modulus);
  const double compliance = rhoG * rhoG * bar.section() * std::pow(length, 3) / (3 * kPlain.modulus);
  const Found tets = onTets(bar);
  EXPECT_NEAR(tets.end[0].x() / stretch, 1, 1e-4);
  EXPECT_NEAR(tets.compliances[0] / compliance, 1, 1e-4);
  EXPECT_NEAR(tets.reaction[0][0].x() / (-rhoG * bar.section() * length), 1, 1e-4);
  // Linear bricks are exact at their nodes, and lack h^2 / 4 L^2 of the energy.
  const Found voxels = onVoxels(bar);
  EXPECT_NEAR(voxels.end[0].x() / stretch, 1, 1e-5);
  const double lacking = std::pow(bar.voxel / length, 2) / 4;
  EXPECT_NEAR(voxels.compliances[0] / compliance, 1 - lacking, 1e-5);
}

// The load goes with the layout: its derivative has a term of its own.
TEST(Analysis, derivativeOfALoadThatIsTheLayoutsOwnWeight) {
  Bar bar;
  bar.voxel = 0.005;
  bar.setup.supports = {{"bed", 0, Foundation{1e12, 1e12}},
                        {"hinge", 1, MeanSprings{{0, 3e6, 3e6}, {0, 0, 200}}}};
  bar.setup.loads = {{"weight", 0, BodyForce{{3, -9, 5}}}, {"push", 1, FaceAction{{0, 0.02, 0.05}, 0}}};
  bar.setup.cases = {{"both", 1, {{0, 1}, {1, 2}}, {0, 1}}};
  Regions regions;
  regions.space = bar.shape;
  const Domain<3> domain = sampleRegions<3>(regions, bar.voxel);
  const std::vector<double> mass(domain.fill.size(), 2e-4);
  GridAnalysis<3> each(domain.grid, kPlain, casesOn(domain.grid, bar.setup), domain.fill, {}, mass);
  each.setTolerance(1e-13);
  std::vector<double> density(domain.fill.size());
  for (std::size_t c = 0; c < density.size(); ++c)
    density[c] = 0.4 + 0.5 * std::sin(1.0 + static_cast<double>(c)) * std::sin(1.0 + static_cast<double>(c));
  CaseStates states = each.rest();
  each.attempt(density, states);
  std::vector<double> gradient(density.size());
  each.complianceGradient(states, 0, gradient);
  const double step = 1e-4;
  for (const std::size_t cell : {std::size_t{0}, std::size_t{7}, density.size() / 2, density.size() - 1}) {
    std::vector<double> changed = density;
    changed[cell] += step;
    each.attempt(changed, states);
    const double above = states.compliances[0];
    changed[cell] -= 2 * step;
    each.attempt(changed, states);
    EXPECT_NEAR((above - states.compliances[0]) / (2 * step) / gradient[cell], 1, 1e-4) << cell;
  }
  EXPECT_THROW(GridAnalysis<3>(domain.grid, kPlain, casesOn(domain.grid, bar.setup), domain.fill, {}),
               InputError)
      << "its mass is not known";
}

// A stiff body on soft springs swings as a mass on springs: sqrt(S / m) / 2 pi.
TEST(Acting, aBodyOnSpringsSwingsAsAMass) {
  Bar bar;
  bar.setup.supports = {{"hinge", 0, MeanSprings{{1e3, 1e4, 1e4}, {100, 100, 100}}}};
  bar.setup.addCase("push", {{1, {{1, 0, 0}}}});
  Regions regions;
  regions.space = bar.shape;
  const Domain<3> domain = sampleRegions<3>(regions, bar.voxel);
  const GridCase<3> c = casesOn(domain.grid, bar.setup)[0];
  ElasticModel<3> model(domain.grid, kPlain, c.supports, c.couplings);
  const std::vector<double> mass(domain.fill.size(), kPlain.density * domain.cellVolume());
  const NaturalModes found = findNaturalModes(model, mass, {1, 1e-8, 200});
  ASSERT_TRUE(found.converged);
  EXPECT_NEAR(found.modes[0].frequency / (std::sqrt(1e3 / (kPlain.density * bar.size.prod())) / (2 * kPi)), 1,
              1e-3);
  EXPECT_LT(found.modes[0].loose, 1e-6) << "what stands on springs is no island";
}

// Kinds of one's own: pushed only where the face looks up, and a support that holds the lowest nodes.
class PushFromAbove final : public OwnLoad {
 public:
  NodalVectors forces(const FaceTies& face) const override {
    NodalVectors vectors;
    std::size_t begin = 0;
    for (const FaceTies::Tie& tie : face.ties) {
      const Vec3 force = -tie.point.area * std::max(0.0, tie.point.normal.z()) * 1e6 * Vec3::UnitZ();
      for (std::size_t w = begin; w < tie.end; ++w)
        vectors.push_back({face.weights[w].node, face.weights[w].weight * force});
      begin = tie.end;
    }
    return vectors;
  }
};

class OnItsNodes final : public OwnSupport {
 public:
  void ground(const FaceTies& face, int number, Grounding& grounding) const override {
    for (const std::size_t node : face.nodes)
      for (int i = 0; i < 3; ++i) grounding.hold(node, Vec3::Unit(i), number);
  }
};

TEST(Acting, kindsOfOnesOwnServeBothDiscretisations) {
  Bar bar;
  bar.shape = makeUnion({bar.shape, makeCylinder({0.06, 0, 0.01}, {0.06, 0.02, 0.01}, 0.01)});
  FaceSelector boss;
  boss.kind = Patch::Kind::cylinder;
  bar.setup.faces[0] = planeFace("root", bar.shape, -Vec3::UnitX(), 0.0005);
  bar.setup.faces[1] = {"boss", selectFace(*bar.shape, boss, 0.0005)};
  bar.setup.supports = {{"root", 0, std::make_shared<OnItsNodes>()}};
  bar.setup.loads = {{"rain", 1, std::make_shared<PushFromAbove>()}};
  bar.setup.cases = {{"rain", 1, {{0, 1}}, {0}}};
  const Found tets = onTets(bar);
  EXPECT_NEAR(tets.reaction[0][0].z() / (1e6 * 0.02 * 0.02), 1, 0.01) << "what is seen from above";
  EXPECT_NEAR(onVoxels(bar).end[0].z() / tets.end[0].z(), 1, 0.1);
}

}  // namespace
}  // namespace barelattice
