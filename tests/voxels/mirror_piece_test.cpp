// A piece that stands for the whole: half, quarter and eighth of a job against all of it.
#include "barelattice/voxels/mirror_piece.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "support/loaded_body.hpp"

namespace barelattice {
namespace {

constexpr double kVoxel = 0.0025;
const Material kSoft{"soft", 2e9, 0.35, 1100, 5e7, 9e-5};

/// 40 x 20 x 20 mm about the origin, with all six sides as faces: 2 i is the low one across axis i.
LoadedBody block() {
  LoadedBody body{makeBox({-0.02, -0.01, -0.01}, {0.02, 0.01, 0.01}), kVoxel};
  body.setup.materials = {kSoft};
  for (int axis = 0; axis < 3; ++axis)
    for (const double side : {-1.0, 1.0})
      body.setup.faces.push_back(planeOf("side", body.shape, side * Vec3::Unit(axis), 0.25 * kVoxel));
  return body;
}

/// All supports and all loads in one case.
void actTogether(LoadedBody& body) {
  LoadCase all{"all", 1, {}, {}};
  for (std::size_t l = 0; l < body.setup.loads.size(); ++l) all.loads.push_back({l, 1});
  for (std::size_t s = 0; s < body.setup.supports.size(); ++s) all.supports.push_back(s);
  body.setup.cases = {all};
}

MirrorLayers<3> layersOf(const Grid<3>& grid, const std::vector<int>& axes) {
  MirrorLayers<3> layers;
  for (const int axis : axes)
    layers[static_cast<std::size_t>(axis)] = grid.frame().cells[static_cast<std::size_t>(axis)] / 2;
  return layers;
}

GridAnalysis<3> pieceOf(const LoadedBody& body, const Domain<3>& domain, const std::vector<int>& axes) {
  std::vector<double> mass;
  for (const double fill : domain.fill) mass.push_back(fill * domain.cellVolume() * kSoft.density);
  GridAnalysis<3> analysis(domain.grid, kSoft, casesOn(domain.grid, body.setup), domain.fill, {}, mass, {},
                           layersOf(domain.grid, axes));
  analysis.setTolerance(1e-13);
  return analysis;
}

/// A density that is its own image.
std::vector<double> evenDensity(const Grid<3>& grid) {
  std::vector<double> density;
  for (std::size_t c = 0; c < grid.cellCount(); ++c) {
    const Point<3> at = grid.cellCentre(c).cwiseAbs() / kVoxel;
    density.push_back(0.5 + 0.4 * std::sin(at.x() + 2 * at.y() * at.y() + 3 * at.z()));
  }
  return density;
}

void expectTheSame(const LoadedBody& body, const std::vector<int>& axes) {
  OnVoxels whole(body, 1e-13);
  const Grid<3>& grid = whole.domain.grid;
  GridAnalysis<3> piece = pieceOf(body, whole.domain, axes);
  const std::vector<double> density = evenDensity(grid);
  const CaseStates all = whole.at(density);
  CaseStates own = piece.rest();
  piece.attempt(density, own);
  piece.requireSuccess(own);
  EXPECT_NEAR(own.compliances[0] / all.compliances[0], 1, 1e-6);
  double most = 0, apart = 0;
  for (std::size_t d = 0; d < all.displacements[0].size(); ++d) {
    most = std::max(most, std::abs(all.displacements[0][d]));
    apart = std::max(apart, std::abs(all.displacements[0][d] - own.displacements[0][d]));
  }
  EXPECT_LT(apart, 1e-5 * most);

  // Derivatives along a change that is its own image too: of the compliance, and of a corner's displacement.
  std::vector<double> unit(3 * grid.nodeCount(), 0.0);
  unit[gridDof(grid, grid.nodeCount() - 1, 2)] = 1;
  std::vector<double> ofAll(density.size()), ofOwn(density.size());
  whole.analysis.complianceGradient(all, 0, ofAll);
  piece.complianceGradient(own, 0, ofOwn);
  double size = 0;
  for (const double each : ofAll) size = std::max(size, std::abs(each));
  for (std::size_t c = 0; c < density.size(); ++c) ASSERT_NEAR(ofOwn[c], ofAll[c], 1e-4 * size) << c;
  whole.analysis.adjointGradient(all, 0, whole.analysis.adjoint(all, 0, unit), ofAll);
  piece.adjointGradient(own, 0, piece.adjoint(own, 0, unit), ofOwn);
  double along = 0, alongOwn = 0, sizes = 0;
  for (std::size_t c = 0; c < density.size(); ++c) {
    const double change = std::cos(grid.cellCentre(c).cwiseAbs().sum() / kVoxel);
    along += change * ofAll[c];
    alongOwn += change * ofOwn[c];
    sizes += std::abs(change * ofAll[c]);
  }
  EXPECT_NEAR(alongOwn, along, 1e-4 * sizes);
}

TEST(MirrorPiece, halfIsTheWhole) {
  LoadedBody body = block();
  body.setup.supports = {
      {"low", 0, Held{}}, {"high", 1, Held{}}, {"below", 4, MeanSprings{{1e6, 2e6, 3e6}, {1e3, 2e3, 3e3}}}};
  body.setup.loads = {{"push", 5, FaceAction{{0, 10, -100}}},
                      {"far", 2, Remote{Vec3(0, -0.05, 0.02), {0, 30, 20}, {4, 0, 0}}}};
  body.setup.connections = {{"tie", 4, 5, {}, {1e6, 1e6, 1e6}, {1e3, 1e3, 1e3}}};
  actTogether(body);
  expectTheSame(body, {0});
}

TEST(MirrorPiece, quarterIsTheWhole) {
  LoadedBody body = block();
  Held pulled, pulledBack;
  pulled.moved.shift = {1e-4, 0, 0};
  pulledBack.moved.shift = {-1e-4, 0, 0};
  body.setup.supports = {{"low", 0, pulledBack}, {"high", 1, pulled}, {"bed", 4, Foundation{1e10, 1e9}}};
  body.setup.loads = {{"push", 5, FaceAction{{0, 0, -100}, 1e5}}, {"weight", 0, BodyForce{{0, 0, -9e4}}}};
  actTogether(body);
  expectTheSame(body, {0, 1});
}

TEST(MirrorPiece, eighthIsTheWhole) {
  LoadedBody body = block();
  for (std::size_t face = 0; face < 6; ++face)
    body.setup.supports.push_back({"side", face, MeanSprings{{1e6, 2e6, 3e6}, {1e3, 2e3, 3e3}}});
  body.setup.loads = {{"left", 0, FaceAction{{-100, 0, 0}}},
                      {"right", 1, FaceAction{{100, 0, 0}}},
                      {"spin", 0, spinning({0, 0, 0}, Vec3::UnitX(), 3000)},
                      {"warm", 0, Temperature{5}}};
  actTogether(body);
  expectTheSame(body, {0, 1, 2});
}

TEST(MirrorPiece, refusesWhatIsNotItsOwnImage) {
  const auto refused = [](const LoadedBody& body, const std::string& why) {
    const Domain<3> domain = OnVoxels::sampled(body);
    try {
      pieceOf(body, domain, {0});
      ADD_FAILURE() << "taken: " << why;
    } catch (const InputError& error) {
      EXPECT_NE(std::string(error.what()).find(why), std::string::npos) << error.what();
    }
  };
  LoadedBody body = block();
  body.setup.supports = {{"low", 0, Held{}}, {"high", 1, Held{}}};
  body.setup.loads = {{"push", 5, FaceAction{{10, 0, -100}}}};
  actTogether(body);
  refused(body, "loads");
  body.setup.loads = {{"off", 5, Remote{Vec3(0.01, 0, 0.01), {0, 0, -100}}}};
  refused(body, "loads");
  body.setup.loads = {{"push", 5, FaceAction{{0, 0, -100}}}};
  body.setup.supports.pop_back();
  actTogether(body);
  refused(body, "supports");
  body.setup.supports = {{"low", 0, Foundation{1e10, 1e9}}, {"high", 1, Foundation{1e10, 2e9}}};
  actTogether(body);
  refused(body, "springs");
  body.setup.supports = {{"low", 0, Held{}}, {"high", 1, Held{}}};
  body.setup.loads = {{"spin", 0, spinning({0.001, 0, 0}, Vec3::UnitZ(), 3000)}};
  actTogether(body);
  refused(body, "on all mass");
  body.setup.loads = {{"push", 5, FaceAction{{0, 0, -100}}}};
  actTogether(body);
  const Domain<3> domain = OnVoxels::sampled(body);
  GridAnalysis<3> piece = pieceOf(body, domain, {0});
  CaseStates states = piece.rest();
  std::vector<double> density(domain.fill.size(), 0.5);
  density[0] = 1;
  density[1] = 0.9;
  EXPECT_NO_THROW(piece.attempt(std::vector<double>(domain.fill.size(), 0.5), states));
  for (std::size_t c = 0; c < 100; ++c) density[c] = c % 16 < 8 ? 1 : 0;
  EXPECT_THROW(piece.attempt(density, states), InputError);
  MirrorLayers<3> off;
  off[0] = 3;
  EXPECT_THROW(MirrorPiece<3>(domain.grid, off), InputError);
  EXPECT_THROW(MirrorPiece<3>(domain.grid, {}), InputError);
}

}  // namespace
}  // namespace barelattice
