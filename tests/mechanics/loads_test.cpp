// Loads against their closed forms, on voxels and on tetrahedra alike.

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support/loaded_body.hpp"
#include "tets/face_on_mesh.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;

/// Without Poisson's effect, so that bars are what their theory says.
const Material kPlain{"plain", 70e9, 0, 2700, 240e6, 2e-5};
const Material kSteel{"steel", 205e9, 0.29, 7850, 350e6, 12e-6};

/// A block with a bore along y.
LoadedBody bored(double radius = 0.01) {
  LoadedBody body{makeDifference(makeBox({0, 0, 0}, {0.06, 0.02, 0.04}),
                                 {makeCylinder({0.03, -1, 0.02}, {0.03, 1, 0.02}, radius)}),
                  0.001, 0.002};
  body.setup.materials = {kSteel};
  body.setup.faces = {planeOf("left", body.shape, -Vec3::UnitX(), 2.5e-4),
                      planeOf("right", body.shape, Vec3::UnitX(), 2.5e-4),
                      roundOf("bore", body.shape, Patch::Kind::cylinder, true, 2.5e-4)};
  return body;
}

Resultant onNodes(const NodalVectors& forces, const std::function<Vec3(std::size_t)>& positionOf) {
  return resultantOf(forces, positionOf);
}

// The brief's resultant, that on voxels and that on tetrahedra are the same to 0.1 % of the force and of the
// force times the face's size.
TEST(Loads, haveOneResultantOnEveryDiscretisation) {
  LoadedBody body = bored();
  const std::vector<Load> loads{
      {"even", 2, FaceAction{{300, -20, 100}, 0}},
      {"bearing", 2, Bearing{{300, 0, -400}}},
      {"remote", 2, Remote{Vec3(0.2, 0.1, 0.05), {300, 50, -400}, {1, 2, 3}}},
      {"moment", 1, Remote{{}, Vec3::Zero(), {3, -2, 1}}},
      {"liquid", 1, DepthPressure{{0, 0, 0.03}, -Vec3::UnitZ(), 1e6}},
      {"all wet", 1, DepthPressure{{0, 0, 0.09}, -Vec3::UnitZ(), 1e6}},
      {"askew", 1, DepthPressure{{0, 0, 0.02}, Vec3(0, 1, -2).normalized(), 1e6}},
      {"spot", 1,
       Remote{Vec3(0.06, 0.013, 0.027),
              {0, 0, -70},
              Vec3::Zero(),
              Spot{{0.06, 0.013, 0.027}, {0.06, 0.013, 0.027}, 0.003}}},
      {"edge", 1,
       Remote{Vec3(0.06, 0.01, 0.04),
              {20, 0, -70},
              Vec3::Zero(),
              Spot{{0.06, 0, 0.04}, {0.06, 0.02, 0.04}, 0.002}}},
  };
  const Domain<3> domain = OnVoxels::sampled(body);
  ProofProblem problem;
  problem.setup.faces = body.setup.faces;
  const QuadraticTets mesh = proofMesh(body.shape, body.spacing, problem);
  for (const Load& load : loads) {
    const Face& face = body.setup.faces[load.face].face;
    const Resultant wanted = resultantOnFace(face, load.kind, Vec3::Zero());
    const double force = std::max(wanted.force.norm(), 100.0);
    const auto check = [&](const char* on, const Resultant& found) {
      EXPECT_LT((found.force - wanted.force).norm(), 1e-3 * force) << load.name << on;
      EXPECT_LT((found.moment - wanted.moment).norm(), 1e-3 * 0.06 * force) << load.name << on;
    };
    check(" on voxels", onNodes(forcesOn(tieToGrid(domain.grid, face), load.kind),
                                [&](std::size_t n) { return domain.grid.nodePosition(n); }));
    check(" on tetrahedra",
          onNodes(forcesOn(FaceOnMesh(mesh, face, kFaceReach * body.spacing).ties(), load.kind),
                  [&](std::size_t n) { return mesh.nodes()[n]; }));
  }
}

// Each is what it says it is.
TEST(Loads, areWhatTheySay) {
  const LoadedBody body = bored();
  const Face& bore = body.setup.faces[2].face;
  const Face& right = body.setup.faces[1].face;
  const Vec3 middle(0.03, 0.01, 0.02);
  const Resultant bearing = resultantOnFace(bore, Bearing{{300, 0, -400}}, middle);
  EXPECT_LT((bearing.force - Vec3(300, 0, -400)).norm(), 1e-6);
  EXPECT_LT(bearing.moment.norm(), 1e-6) << "its line goes through the axis";
  const Resultant remote =
      resultantOnFace(bore, Remote{Vec3(0.2, 0.1, 0.05), {300, 50, -400}, {1, 2, 3}}, {0.2, 0.1, 0.05});
  EXPECT_LT((remote.force - Vec3(300, 50, -400)).norm(), 1e-7);
  EXPECT_LT((remote.moment - Vec3(1, 2, 3)).norm(), 1e-7);
  // Water to a depth w on a wall b wide: gamma b w^2 / 2, a third of w above the foot (0.04 high, from
  // below).
  const double gamma = 1e6;
  for (const double depth : {0.03, 0.013}) {
    const Resultant water =
        resultantOnFace(right, DepthPressure{{0, 0, depth}, -Vec3::UnitZ(), gamma}, {0.06, 0.01, 0});
    const double force = gamma * 0.02 * depth * depth / 2;
    EXPECT_NEAR(water.force.x() / -force, 1, 1e-3) << depth;
    EXPECT_NEAR(water.moment.y() / (-force * depth / 3), 1, 2e-3) << depth;
  }
  const Resultant deep =
      resultantOnFace(right, DepthPressure{{0, 0, 0.09}, -Vec3::UnitZ(), gamma}, {0.06, 0.01, 0.02});
  EXPECT_NEAR(deep.force.x() / (-gamma * 0.07 * 0.02 * 0.04), 1, 1e-9);
  // About the middle: gamma b h^3 / 12, whatever the depth.
  EXPECT_NEAR(deep.moment.y() / (gamma * 0.02 * std::pow(0.04, 3) / 12), 1, 1e-3);
}

// The pressure of a bearing load is 2 F / (pi r l) where it is largest, falls with the cosine, and there is
// none on the other half. An even force of the same size pulls on that one.
TEST(Loads, aBearingForcePressesOnHalfOfABore) {
  const double radius = 0.01;
  const LoadedBody body = bored(radius);
  const Face& bore = body.setup.faces[2].face;
  const Vec3 along = Vec3(3, 0, -4) / 5;
  const std::vector<Vec3> forces = forcesAt(Bearing{500 * along}, bore.points);
  const double most = 2 * 500 / (kPi * radius * 0.02);
  for (std::size_t i = 0; i < forces.size(); ++i) {
    const SurfacePoint& point = bore.points[i];
    const double cosine = -point.normal.dot(along);
    EXPECT_NEAR(forces[i].norm() / point.area / most, std::max(0.0, cosine), 1e-2);
    EXPECT_LE(forces[i].dot(point.normal), 0);
  }
  // A shaft is pressed on from the other side: what pushes it meets its outside.
  const ShapePtr shaft = makeCylinder({0, 0, 0}, {0, 0, 0.05}, 0.01);
  const NamedFace outside = roundOf("shaft", shaft, Patch::Kind::cylinder, false, 2.5e-4);
  const std::vector<Vec3> pushed = forcesAt(Bearing{{100, 0, 0}}, outside.face.points);
  for (std::size_t i = 0; i < pushed.size(); ++i)
    if (outside.face.points[i].position.x() > 1e-3) {
      EXPECT_EQ(pushed[i].norm(), 0);
    }
  EXPECT_THROW(forcesAt(Bearing{{0, 10, 0}}, bore.points), InputError) << "along the axis";
  EXPECT_THROW(forcesAt(Bearing{{10, 10, 0}}, bore.points), InputError) << "partly along it";
}

// What a bearing force does to an eye is not what an even one does: by more than a tenth, on both.
TEST(Loads, aBearingForceOpensAnEyeMoreThanAnEvenOne) {
  LoadedBody body = bored(0.012);
  body.setup.supports = {{"left", 0, Held{}}};
  body.setup.loads = {{"even", 2, FaceAction{{20e3, 0, 0}}}, {"bearing", 2, Bearing{{20e3, 0, 0}}}};
  body.setup.cases = {{"even", 1, {{0, 1}}, {0}}, {"bearing", 1, {{1, 1}}, {0}}};
  const Motions voxels = onVoxels(body);
  const Motions tets = onTets(body);
  EXPECT_GT(tets.compliances[1] / tets.compliances[0], 1.1);
  EXPECT_NEAR(voxels.compliances[0] / tets.compliances[0], 1, 0.05);
  EXPECT_NEAR(voxels.compliances[1] / tets.compliances[1], 1, 0.05);
}

// A force at a remote point is the force and its moment: the bar bends as a cantilever does under both,
//   w = F L^3 / 3 E I + (F a) L^2 / 2 E I,  w' = F L^2 / 2 E I + F a L / E I,
// and what lacks falls with the square of the voxel.
TEST(Loads, aRemoteForceBendsABarAsAForceAndAMoment) {
  const Vec3 size(0.12, 0.01, 0.01);
  const double inertia = std::pow(0.01, 4) / 12;
  const double force = 100;
  const double arm = 0.08;
  const double stiffness = kPlain.modulus * inertia;
  const double shear = 1.2 * force * size.x() / (0.5 * kPlain.modulus * 1e-4);
  const double deflection = force * std::pow(size.x(), 3) / (3 * stiffness) +
                            force * arm * size.x() * size.x() / (2 * stiffness) + shear;
  const double turn = force * size.x() * size.x() / (2 * stiffness) + force * arm * size.x() / stiffness;
  const auto body = [&](double voxel) {
    LoadedBody bar = barOf(size, kPlain, voxel, 0.0025);
    actAlone(bar, {{"root", 0, Held{}}},
             {"far", 1, Remote{Vec3(size.x() + arm, 0.005, 0.005), {0, 0, -force}}});
    return bar;
  };
  const Motions tets = onTets(body(0.0025));
  EXPECT_NEAR(tets.last[0].shift.z() / -deflection, 1, 5e-3);
  EXPECT_NEAR(tets.last[0].turn.y() / turn, 1, 5e-3);
  EXPECT_NEAR((tets.cases[0].reactions[0].force - Vec3(0, 0, force)).norm(), 0, 1e-3 * force);
  EXPECT_NEAR(tets.cases[0].reactions[0].ownMoment().y() / (-force * (size.x() + arm)), 1, 1e-3);
  const double coarse = 1 + onVoxels(body(0.0025)).last[0].shift.z() / deflection;
  const double fine = 1 + onVoxels(body(0.00125)).last[0].shift.z() / deflection;
  EXPECT_GT(coarse, 0);
  EXPECT_NEAR(coarse / fine, 4, 0.8);
  EXPECT_LT(fine, 0.025);
}

// A square shaft twists by T L / (0.1406 G a^4) (Saint-Venant; Timoshenko & Goodier 1970, table): between two
// lengths, so that the clamped end drops out.
TEST(Loads, aTorqueTwistsASquareShaft) {
  const double side = 0.01;
  const double torque = 30;
  Material material = kSteel;
  const double shear = material.modulus / (2 * (1 + material.poisson));
  const double wanted = torque * 0.04 / (0.1406 * shear * std::pow(side, 4));
  const auto twist = [&](double length, double voxel, const auto& analysis) {
    LoadedBody bar = barOf({length, side, side}, material, voxel, 0.00125);
    actAlone(bar, {{"root", 0, Held{}}}, {"twist", 1, Remote{{}, Vec3::Zero(), {torque, 0, 0}}});
    return analysis(bar).last[0].turn.x();
  };
  const auto between = [&](double voxel, const auto& analysis) {
    return twist(0.08, voxel, analysis) - twist(0.04, voxel, analysis);
  };
  EXPECT_NEAR(between(0.0025, [](const LoadedBody& b) { return onTets(b); }) / wanted, 1, 5e-3);
  const auto voxels = [](const LoadedBody& b) { return onVoxels(b); };
  const double coarse = 1 - between(side / 4, voxels) / wanted;
  const double fine = 1 - between(side / 8, voxels) / wanted;
  EXPECT_LT(std::abs(fine), 0.03);
  EXPECT_NEAR(coarse / fine, 4, 1);
}

// A quarter of a ring that spins about its axis. The bore grows by
//   u(a) = rho w^2 a / 4 E ((3 + nu) b^2 + (1 - nu) a^2)
// (plane stress; Timoshenko & Goodier 1970, article 32), and bursts at sigma = E u / a there.
TEST(Loads, aSpinningRingGrowsAsTheoryHasIt) {
  const double in = 0.02, out = 0.05, speed = 2000;
  const double grows = kSteel.density * speed * speed * in / (4 * kSteel.modulus) *
                       ((3 + kSteel.poisson) * out * out + (1 - kSteel.poisson) * in * in);
  const auto quarter = [&](double voxel) {
    LoadedBody body{makeIntersection({makeDifference(makeCylinder({0, 0, 0}, {0, 0, 0.004}, out),
                                                     {makeCylinder({0, 0, -1}, {0, 0, 1}, in)}),
                                      makeBox({0, 0, -1}, {1, 1, 1})}),
                    voxel, 0.002};
    body.setup.materials = {kSteel};
    const double step = 0.25 * voxel;
    body.setup.faces = {planeOf("x", body.shape, -Vec3::UnitX(), step),
                        planeOf("y", body.shape, -Vec3::UnitY(), step),
                        planeOf("z", body.shape, -Vec3::UnitZ(), step),
                        roundOf("bore", body.shape, Patch::Kind::cylinder, true, step)};
    actAlone(body, {{"x", 0, Slide{}}, {"y", 1, Slide{}}, {"z", 2, Slide{}}},
             {"spin", 0, spinning(Vec3::Zero(), Vec3::UnitZ(), speed)});
    return body;
  };
  // The mean of a quarter is 2 / pi of the radial motion along each axis.
  const auto growth = [&](const Motions& m) { return kPi / 4 * (m.last[0].shift.x() + m.last[0].shift.y()); };
  const Motions tets = onTets(quarter(0.002));
  EXPECT_NEAR(growth(tets) / grows, 1, 3e-3);
  EXPECT_NEAR(tets.cases[0].peakStress / (kSteel.modulus * grows / in), 1, 0.02);
  EXPECT_NEAR(growth(onVoxels(quarter(0.002))) / grows, 1, 2e-3);
  EXPECT_NEAR(growth(onVoxels(quarter(0.001))) / grows, 1, 5e-4);
}

// What is sped up is held back by its inertia: a cantilever spun up about its root's side bends as under
// rho A alpha x, w = rho A alpha 11 L^5 / 120 E I.
TEST(Loads, spinningUpBendsABar) {
  const double length = 0.1;
  const double alpha = 1e4;
  const double section = 1e-4, inertia = 1e-8 / 12;
  const double wanted =
      kPlain.density * section * alpha * 11 * std::pow(length, 5) / (120 * kPlain.modulus * inertia);
  LoadedBody bar = barOf({length, 0.01, 0.01}, kPlain, 0.00125, 0.0025);
  actAlone(bar, {{"root", 0, Held{}}}, {"start", 0, spinning({0, 0.005, 0.005}, Vec3::UnitZ(), 0, alpha)});
  for (const Motions& found : {onTets(bar), onVoxels(bar)})
    EXPECT_NEAR(found.last[0].shift.y() / -wanted, 1, 0.03) << "shear and voxels add and take a little";
}

// Free to grow, a body does so without any stress; held at both ends a bar presses with E alpha T; and of a
// sheet in plane strain the thickness presses too.
TEST(Loads, warmingABodyGrowsOrPressesIt) {
  const Vec3 size(0.04, 0.02, 0.01);
  const double change = 80;
  LoadedBody body = barOf(size, kSteel, 0.0025, 0.003);
  std::swap(body.setup.faces[0], body.setup.faces[1]);
  body.setup.faces = {
      planeOf("x", body.shape, -Vec3::UnitX(), 5e-4), planeOf("y", body.shape, -Vec3::UnitY(), 5e-4),
      planeOf("z", body.shape, -Vec3::UnitZ(), 5e-4), planeOf("end", body.shape, Vec3::UnitX(), 5e-4)};
  actAlone(body, {{"x", 0, Slide{}}, {"y", 1, Slide{}}, {"z", 2, Slide{}}}, {"warm", 0, Temperature{change}});
  const double strain = kSteel.expansion * change;
  const Motions tets = onTets(body);
  EXPECT_NEAR(onVoxels(body).last[0].shift.x() / (strain * size.x()), 1, 1e-6);
  EXPECT_NEAR(tets.last[0].shift.x() / (strain * size.x()), 1, 1e-4);
  EXPECT_LT(tets.cases[0].peakStress, 1e-3 * kSteel.modulus * strain);
  EXPECT_LT(tets.cases[0].unbalanced().norm(), 1e-4 * tets.cases[0].growthForces);
  EXPECT_GT(tets.cases[0].growthForces, kSteel.modulus * strain * 2e-4);
  body.setup.supports.push_back({"end", 3, Slide{}});
  body.setup.cases[0].supports.push_back(3);
  const Motions held = onTets(body);
  EXPECT_NEAR(held.cases[0].percentiles[0] / (kSteel.modulus * strain), 1, 1e-3);
  EXPECT_NEAR(held.cases[0].reactions[3].force.x() / (-kSteel.modulus * strain * size.y() * size.z()), 1,
              1e-3);
  EXPECT_NEAR(held.cases[0].compression / (-kSteel.modulus * strain), 1, 1e-3);
}

// Two strips of equal thickness and modulus, joined: they bend to a curvature of 3 (a1 - a2) T / 2 h
// (Timoshenko 1925), h of both together, whatever the modulus is.
TEST(Loads, aBimetalStripBends) {
  const double height = 0.008;
  const Vec3 size(0.08, 0.005, height);
  Material above = kPlain;
  above.expansion = 5e-6;
  const auto strip = [&](double voxel) {
    LoadedBody body = barOf(size, kPlain, voxel, 0.002);
    body.setup.materials.push_back(above);
    body.regions = {{makeBox({-1, -1, height / 2}, {1, 1, 1}), 1}};
    actAlone(body, {{"root", 0, Held{1}}, {"middle", 0, MeanSprings{{0, kRigid, kRigid}, {kRigid, 0, 0}}}},
             {"warm", 0, Temperature{50}});
    return body;
  };
  const double turn = 1.5 * (kPlain.expansion - above.expansion) * 50 / height * size.x();
  EXPECT_NEAR(onTets(strip(0.001)).last[0].turn.y() / -turn, 1, 0.02);
  const double coarse = 1 + onVoxels(strip(0.001)).last[0].turn.y() / turn;
  const double fine = 1 + onVoxels(strip(0.0005)).last[0].turn.y() / turn;
  EXPECT_LT(std::abs(fine), 0.02);
  EXPECT_LT(std::abs(fine), std::abs(coarse));
}

// A weight carried by a face acts at its own place: in gravity, and when it is spun.
TEST(Loads, aPointMassActsAtItsOwnPlace) {
  LoadedBody bar = barOf({0.12, 0.01, 0.01}, kPlain, 0.00125, 0.0025);
  bar.setup.masses = {{"motor", 1, {0.2, 0.005, 0.005}, 3}};
  bar.setup.materials[0].density = 1e-3;  // the bar itself weighs nothing
  bar.setup.supports = {{"root", 0, Held{}}};
  bar.setup.loads = {{"weight", 0, BodyForce{{0, 0, -9.81}}},
                     {"spin", 0, spinning(Vec3::Zero(), Vec3::UnitZ(), 10)},
                     {"same", 1, Remote{Vec3(0.2, 0.005, 0.005), {0, 0, -3 * 9.81}}},
                     {"pull", 1, Remote{Vec3(0.2, 0.005, 0.005), {3 * 100 * 0.2, 3 * 100 * 0.005, 0}}}};
  bar.setup.cases = {{"weight", 1, {{0, 1}}, {0}},
                     {"spin", 1, {{1, 1}}, {0}},
                     {"same", 1, {{2, 1}}, {0}},
                     {"pull", 1, {{3, 1}}, {0}}};
  for (const Motions& found : {onVoxels(bar), onTets(bar)})
    for (const std::size_t k : {0U, 1U}) {
      EXPECT_NEAR(found.compliances[k] / found.compliances[k + 2], 1, 1e-4) << k;
      EXPECT_LT((found.last[k].shift - found.last[k + 2].shift).norm(), 1e-4 * found.last[k].shift.norm());
    }
  EXPECT_NEAR(resultantOf(bar.setup, bar.setup.cases[0], {0.2, 0, 0}).force.z(), -3 * 9.81, 1e-9);
}

// Loads that follow the layout, moved supports and all of them at once: exact derivatives of the compliance
// and of a displacement.
TEST(Loads, derivativesOfWhatFollowsTheLayout) {
  LoadedBody body = barOf({0.04, 0.02, 0.01}, kSteel, 0.005, 0.003);
  body.setup.materials.push_back(kPlain);
  body.regions = {{makeBox({-1, -1, -1}, {0.02, 1, 1}), 1}};
  body.setup.masses = {{"motor", 1, {0.06, 0.01, 0.005}, 0.5}};
  Held moved;
  moved.moved = {{1e-5, 0, -2e-5}, {0, 1e-3, 2e-3}, {0, 0.01, 0.005}};
  body.setup.supports = {{"root", 0, moved}, {"still", 0, Held{}}};
  body.setup.loads = {{"spin", 0, spinning({0.1, 0.01, 0}, Vec3(1, 2, 2) / 3, 600, 3e4)},
                      {"warm", 0, Temperature{30}},
                      {"push", 1, FaceAction{{100, 50, 200}}}};
  body.setup.cases = {{"spin", 1, {{0, 1}}, {1}},
                      {"warm", 1, {{1, -2}}, {1}},
                      {"moved", 1, {{2, 0.1}}, {0}},
                      {"all", 1, {{0, 1}, {1, 1}, {2, 1}}, {0}}};
  OnVoxels on(body, 1e-14);
  std::vector<double> density(on.domain.fill.size());
  for (std::size_t c = 0; c < density.size(); ++c)
    density[c] = 0.4 + 0.5 * std::pow(std::sin(1.0 + static_cast<double>(c)), 2);
  const CaseStates states = on.at(density);
  const std::size_t dof = gridDof(on.domain.grid, on.domain.grid.nodeCount() - 1, 2);
  std::vector<double> unit(3 * on.domain.grid.nodeCount(), 0.0);
  unit[dof] = 1;
  for (std::size_t k = 0; k < body.setup.cases.size(); ++k) {
    std::vector<double> gradient(density.size()), ofMotion(density.size());
    on.analysis.complianceGradient(states, k, gradient);
    on.analysis.adjointGradient(states, k, on.analysis.adjoint(states, k, unit), ofMotion);
    double size = 0, sizeOfMotion = 0;
    for (std::size_t c = 0; c < density.size(); ++c) {
      size = std::max(size, std::abs(gradient[c]));
      sizeOfMotion = std::max(sizeOfMotion, std::abs(ofMotion[c]));
    }
    for (const std::size_t cell : {std::size_t{0}, std::size_t{7}, density.size() / 2, density.size() - 1}) {
      const double step = 1e-3;
      std::vector<double> changed = density;
      changed[cell] += step;
      const CaseStates above = on.at(changed);
      changed[cell] -= 2 * step;
      const CaseStates below = on.at(changed);
      EXPECT_NEAR((above.compliances[k] - below.compliances[k]) / (2 * step), gradient[cell], 1e-5 * size)
          << body.setup.cases[k].name << " " << cell;
      EXPECT_NEAR((above.displacements[k][dof] - below.displacements[k][dof]) / (2 * step), ofMotion[cell],
                  1e-4 * sizeOfMotion)
          << body.setup.cases[k].name << " " << cell;
    }
  }
}

// Cases that are sums of others in any of their loads are solved once, and right.
TEST(Loads, casesThatAreSumsFollowFromTheirParts) {
  LoadedBody body = barOf({0.04, 0.02, 0.01}, kSteel, 0.0025, 0.003);
  body.setup.supports = {{"root", 0, Held{}}};
  body.setup.loads = {{"spin", 0, spinning({0.1, 0.01, 0}, Vec3::UnitZ(), 600)},
                      {"warm", 0, Temperature{30}},
                      {"weight", 0, BodyForce{{0, 0, -9.81e4}}},
                      {"push", 1, Remote{Vec3(0.1, 0, 0), {100, 50, 200}}}};
  body.setup.cases = {{"a", 1, {{0, 1}, {1, 1}}, {0}},
                      {"b", 1, {{2, 1}, {3, -1}}, {0}},
                      {"c", 1, {{0, 2}, {1, 2}, {2, 0.5}, {3, -0.5}}, {0}}};
  const Motions voxels = onVoxels(body);
  for (const Motions& found : {voxels, onTets(body)}) {
    EXPECT_LT((found.last[2].shift - 2 * found.last[0].shift - 0.5 * found.last[1].shift).norm(),
              1e-5 * found.last[2].shift.norm());
    EXPECT_LT((found.last[2].turn - 2 * found.last[0].turn - 0.5 * found.last[1].turn).norm(),
              1e-4 * found.last[2].turn.norm());
  }
  OnVoxels on(body);
  const CaseStates states = on.at(std::vector<double>(on.domain.fill.size(), 1.0));
  EXPECT_EQ(states.reports[2].iterations, 0);
}

}  // namespace
}  // namespace barelattice
