// Stops a design on the way, keeps its state, and goes on from there to the same bits.

#include <barelattice/core.hpp>
#include <cstdio>
#include <optional>

using namespace barelattice;

namespace {

/// A bracket of 60 x 20 x 30 mm on a wall, pushed down at its end.
LayoutProblem<3> bracket() {
  const double voxel = 2e-3;
  Regions regions;
  regions.space = makeBox({0, 0, 0}, {0.06, 0.02, 0.03});
  regions.keeps = {makeBox({0.056, 0, 0}, {0.06, 0.02, 0.008})};

  Setup setup;
  setup.materials = {builtinMaterials().front()};
  FaceSelector wall, end;
  wall.direction = Vec3(-1, 0, 0);
  end.direction = Vec3(1, 0, 0);
  setup.faces = {{"wall", selectFace(*regions.space, wall, voxel / 4)},
                 {"end", selectFace(*regions.keeps.front(), end, voxel / 4)}};
  setup.supports = {{"wall", 0}};
  setup.addCase("push", {{1, {{0, 0, -500}}}});

  const Domain<3> domain = sampleRegions<3>(regions, voxel);
  LayoutProblem<3> problem;
  problem.grid = domain.grid;  // the problem shares it: nothing here has to live on
  problem.material = setup.materials.front();
  problem.fill = domain.fill;
  problem.keep = domain.keep;
  problem.cases = casesOn(domain, setup);
  problem.making = {Walls{3 * voxel}};
  problem.massFraction = 0.3;
  return problem;
}

}  // namespace

int main() {
  const LayoutProblem<3> problem = bracket();
  OptimiseOptions options;
  options.maxIterations = 30;

  std::optional<OptimiseState> state;
  try {
    optimiseLayout<3>(problem, options, [&](const IterationView& view) {
      if (view.record.iteration < 12) return true;
      state = view.state;  // a copy: what the view shows is gone when this returns
      return false;
    });
  } catch (const Cancelled&) {
    std::printf("stopped after %zu iterations\n", state->history.size());
  }

  const OptimiseResult resumed = optimiseLayout<3>(problem, options, {}, &*state);
  const OptimiseResult whole = optimiseLayout<3>(problem, options);
  std::printf("went on to %zu: compliance %.6g J, %s\n", resumed.history.size(), resumed.nominal,
              resumed.density == whole.density ? "the same bits as without the stop" : "other bits");
  return resumed.density == whole.density && resumed.nominal == whole.nominal ? 0 : 1;
}
