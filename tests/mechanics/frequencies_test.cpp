// Natural frequencies against theory, on voxels and on tetrahedra alike.

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "barelattice/voxels/natural_modes.hpp"
#include "support/loaded_body.hpp"

namespace barelattice {
namespace {

constexpr double kPi = std::numbers::pi;
const Material kPlain{"plain", 70e9, 0, 2700, 240e6};

std::vector<double> onTetsHz(const LoadedBody& body, int count) {
  ProofProblem problem{body.setup, AcrossSheet::body, 0, body.regions};
  problem.frequencies = count;
  const Proof proof = prove(proofMesh(body.shape, body.spacing, problem), body.spacing, problem);
  EXPECT_EQ(proof.modes.size(), 1U);
  EXPECT_TRUE(proof.modes[0].converged);
  std::vector<double> found;
  for (const ModeProof& mode : proof.modes[0].modes) found.push_back(mode.frequency);
  return found;
}

std::vector<double> onVoxelsHz(const LoadedBody& body, int count) {
  const Domain<3> domain = OnVoxels::sampled(body);
  const GridCase<3> c = casesOn(domain.grid, body.setup)[0];
  ElasticModel<3> model(domain.grid, body.setup.materials[0], c.supports, c.couplings);
  std::vector<double> mass(domain.fill);
  for (double& m : mass) m *= domain.cellVolume() * body.setup.materials[0].density;
  std::vector<MassOnFace> carried;
  for (const PointMass& m : body.setup.masses)
    carried.push_back({tieToGrid(domain.grid, body.setup.faces[m.face].face), m.at, m.mass});
  std::vector<double> found;
  const NaturalModes modes = findNaturalModes(model, mass, {count, 1e-7, 200}, carried);
  EXPECT_TRUE(modes.converged);
  for (const NaturalMode& mode : modes.modes) found.push_back(mode.frequency);
  return found;
}

/// Of Euler and Bernoulli's beam: (b L)^2 / (2 pi L^2) sqrt(E I / rho A).
double beam(double factor, double length, double height) {
  return factor * factor / (2 * kPi * length * length) *
         std::sqrt(kPlain.modulus * height * height / 12 / kPlain.density);
}

// A clamped beam that is twice as wide as high swings up and down first, then sideways at twice the
// frequency, then up and down in its second mode (Timoshenko, Young & Weaver 1974, article 5.11).
TEST(Frequencies, ofAClampedBeam) {
  const double length = 0.2, height = 0.005;
  const auto body = [&](double voxel) {
    LoadedBody bar = barOf({length, 2 * height, height}, kPlain, voxel, 0.0025);
    actAlone(bar, {{"root", 0, Held{}}}, {"push", 1, FaceAction{{0, 0, 1}}});
    return bar;
  };
  const std::vector<double> wanted{beam(1.87510, length, height), beam(1.87510, length, 2 * height),
                                   beam(4.69409, length, height)};
  const std::vector<double> tets = onTetsHz(body(0.00125), 3);
  for (std::size_t i = 0; i < 3; ++i) EXPECT_NEAR(tets[i] / wanted[i], 1, 0.01) << i;
  const double coarse = onVoxelsHz(body(0.00125), 1)[0] / wanted[0] - 1;
  const double fine = onVoxelsHz(body(0.000625), 1)[0] / wanted[0] - 1;
  EXPECT_NEAR(coarse / fine, 4, 1);
  EXPECT_LT(fine, 0.01);
}

// With a weight at its tip a light cantilever is a spring: sqrt(3 E I / (m + 0.2357 rho A L) L^3) / 2 pi
// (Rayleigh).
TEST(Frequencies, ofACantileverThatCarriesAWeight) {
  const double length = 0.15, height = 0.01, mass = 2;
  LoadedBody bar = barOf({length, 0.015, height}, kPlain, 0.00125, 0.0025);
  bar.setup.masses = {{"weight", 1, {length, 0.0075, 0.005}, mass}};
  actAlone(bar, {{"root", 0, Held{}}}, {"push", 1, FaceAction{{0, 0, 1}}});
  const double beamMass = kPlain.density * length * 0.015 * height;
  const double stiffness = 3 * kPlain.modulus * 0.015 * std::pow(height, 3) / 12 / std::pow(length, 3);
  const double wanted = std::sqrt(stiffness / (mass + 33.0 / 140 * beamMass)) / (2 * kPi);
  EXPECT_NEAR(onTetsHz(bar, 1)[0] / wanted, 1, 0.01);
  EXPECT_NEAR(onVoxelsHz(bar, 1)[0] / wanted, 1, 0.02);
  // A weight that hangs out beyond the tip turns, too: the beam's tip moves it by w + a w'. With the
  // flexibility of the tip, F at a distance a bends by F (L^3 / 3 + a L^2 + a^2 L) / E I.
  const double out = 0.1;
  bar.setup.masses[0].at.x() += out;
  const double softer =
      (std::pow(length, 3) / 3 + out * length * length + out * out * length) / (std::pow(length, 3) / 3);
  const double slower = std::sqrt(stiffness / softer / mass) / (2 * kPi);
  EXPECT_NEAR(onTetsHz(bar, 1)[0] / slower, 1, 0.01);
  EXPECT_NEAR(onVoxelsHz(bar, 1)[0] / slower, 1, 0.02);
}

// A stiff body on bolts, springs or a bed swings as a mass on springs.
TEST(Frequencies, ofABodyOnSprings) {
  LoadedBody bar = barOf({0.05, 0.02, 0.01}, kPlain, 0.0025, 0.003);
  actAlone(bar, {{"springs", 0, MeanSprings{{1e3, 1e4, 1e4}, {100, 100, 100}}}},
           {"push", 1, FaceAction{{1, 0, 0}}});
  const double wanted = std::sqrt(1e3 / (kPlain.density * 1e-5)) / (2 * kPi);
  EXPECT_NEAR(onTetsHz(bar, 1)[0] / wanted, 1, 1e-3);
  EXPECT_NEAR(onVoxelsHz(bar, 1)[0] / wanted, 1, 1e-3);
  // On a bed that is soft across it slides.
  bar.setup.faces = {planeOf("below", bar.shape, -Vec3::UnitZ(), 6e-4),
                     planeOf("end", bar.shape, Vec3::UnitX(), 6e-4)};
  actAlone(bar, {{"bed", 0, Foundation{1e11, 5e6}}}, {"push", 1, FaceAction{{1, 0, 0}}});
  const double slides = std::sqrt(5e6 * 1e-3 / (kPlain.density * 1e-5)) / (2 * kPi);
  EXPECT_NEAR(onTetsHz(bar, 1)[0] / slides, 1, 2e-3);
  EXPECT_NEAR(onVoxelsHz(bar, 1)[0] / slides, 1, 2e-3);
}

}  // namespace
}  // namespace barelattice
