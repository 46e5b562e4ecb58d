// What bolts, a carried mass and a bed cost: set-up and solve at a contrast of 1e9, beside the same body with
// its bores held. And what is saved where a half or a quarter of it stands for all.

#include <benchmark/benchmark.h>

#include <cmath>
#include <random>
#include <vector>

#include "barelattice/grid/domain.hpp"
#include "barelattice/layout/density_filter.hpp"
#include "barelattice/optimise/analysis.hpp"

namespace {

using namespace barelattice;

struct Plate {
  Domain<3> domain;
  std::vector<double> shares;  // of a layout: members and next to nothing between them
  Setup setup;                 // supports 0: bores held; 1, 2: bolts and a bed
};

Face pick(const ShapePtr& shape, FaceSelector selector, double spacing) {
  return selectFace(*shape, selector, spacing);
}

const Plate& plate() {
  static const Plate made = [] {
    constexpr double kVoxel = 0.0015;
    const Vec3 size(0.24, 0.12, 0.06);
    std::vector<ShapePtr> cuts;
    for (const double x : {0.015, 0.085, 0.155, 0.225})
      for (const double y : {0.015, 0.105}) {
        cuts.push_back(makeCylinder({x, y, -1}, {x, y, 1}, 0.005));
        cuts.push_back(makeCylinder({x, y, 0.02}, {x, y, 1}, 0.01));
      }
    const ShapePtr body = makeDifference(makeBox({0, 0, 0}, size), cuts);
    Regions regions;
    regions.space = body;
    Plate p{sampleRegions<3>(regions, kVoxel), {}, {}};
    std::mt19937 random(11);
    std::uniform_real_distribution<double> value(0, 1);
    std::vector<double> rough(p.domain.fill.size());
    for (double& v : rough) v = value(random);
    std::vector<double> smooth(rough.size());
    DensityFilter<3>(p.domain.grid, p.domain.fill, 5 * kVoxel, FilterBoundary::empty).forward(rough, smooth);
    for (std::size_t c = 0; c < smooth.size(); ++c) {
      const auto at = p.domain.grid.cellCentre(c);
      const bool kept = at.z() < 0.022 || at.z() > 0.055;
      p.shares.push_back(kept || smooth[c] > 0.5 ? p.domain.fill[c] : 1e-9);
    }
    p.setup.materials = {builtinMaterials()[0]};
    FaceSelector bores;
    bores.kind = Patch::Kind::cylinder;
    bores.radius = 0.005;
    bores.count = 8;
    FaceSelector seats;
    seats.direction = Vec3::UnitZ();
    seats.within = Box(Vec3(0, 0, 0.019), Vec3(1, 1, 0.021));
    seats.count = 8;
    FaceSelector below;
    below.direction = -Vec3::UnitZ();
    FaceSelector top;
    top.direction = Vec3::UnitZ();
    top.near = Vec3(0.12, 0.06, 0.06);
    const double step = 0.25 * kVoxel;
    p.setup.faces = {{"bores", pick(body, bores, step)},
                     {"seats", pick(body, seats, step)},
                     {"below", pick(body, below, step)},
                     {"top", pick(body, top, step)}};
    p.setup.supports = {{"held", 0, Held{}},
                        {"bolts", 0, Bolt{1, 0.008, 0.03, 205e9, 0.29, 0}},
                        {"bed", 2, Foundation{8e9, 1e9}}};
    p.setup.loads = {{"push", 3, FaceAction{{500, 200, -2000}}}, {"weight", 0, BodyForce{{0, 0, -9.81}}}};
    return p;
  }();
  return made;
}

void setUpAndSolve(benchmark::State& state) {
  const Plate& p = plate();
  const bool acting = state.range(0) != 0;
  Setup setup = p.setup;
  setup.cases = {acting ? LoadCase{"acting", 1, {{0, 1}, {1, 1}}, {1, 2}}
                        : LoadCase{"held", 1, {{0, 1}}, {0}}};
  if (acting) setup.masses = {{"motor", 3, {0.12, 0.06, 0.2}, 5}};
  const GridCase<3> c = casesOn(p.domain.grid, setup)[0];
  int iterations = 0;
  for (auto _ : state) {
    ElasticModel<3> model(p.domain.grid, setup.materials[0], c.supports, c.couplings);
    model.setRelativeModuli(p.shares);
    std::vector<double> u(model.size(), 0.0);
    iterations = model.solve(c.force, u, {}).iterations;
  }
  state.SetLabel(acting ? "eight bolts, a bed, a carried mass" : "bores held");
  state.counters["iterations"] = iterations;
  state.counters["voxels"] = static_cast<double>(p.domain.fill.size());
}
/// The plate full, pressed straight down: states and derivatives from rest.
void analysePiece(benchmark::State& state) {
  const Plate& p = plate();
  Setup setup = p.setup;
  setup.loads = {{"push", 3, FaceAction{{0, 0, -2000}}}};
  setup.cases = {LoadCase{"held", 1, {{0, 1}}, {0}}};
  const Grid<3>& grid = p.domain.grid;
  MirrorLayers<3> mirrors;
  for (std::size_t axis = 0; axis < static_cast<std::size_t>(state.range(0)); ++axis)
    mirrors[axis] = grid.frame().cells[axis] / 2;
  GridAnalysis<3> analysis(grid, setup.materials[0], casesOn(grid, setup), HeldField::lent(p.domain.fill), {},
                           {}, {}, mirrors);
  std::vector<double> gradient(grid.cellCount());
  double compliance = 0;
  for (auto _ : state) {
    CaseStates states = analysis.rest();
    analysis.attempt(std::vector<double>(grid.cellCount(), 1.0), states);
    analysis.complianceGradient(states, 0, gradient);
    compliance = states.compliances[0];
  }
  state.SetLabel(state.range(0) == 0 ? "whole" : state.range(0) == 1 ? "half" : "quarter");
  state.counters["compliance_J"] = compliance;
}
BENCHMARK(analysePiece)
    ->Arg(0)
    ->Arg(1)
    ->Arg(2)
    ->Arg(0)
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond)
    ->MinTime(3);

BENCHMARK(setUpAndSolve)->Arg(0)->Arg(1)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond)->MinTime(3);

}  // namespace
