// Jobs with parts the library has never heard of: a load, a goal, a limit and a making rule from outside.
#include "support/own_parts.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "barelattice/grid/domain.hpp"
#include "barelattice/optimise/gradient_check.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/voxels/grid_ties.hpp"

namespace barelattice {
namespace {

/// Forces along z that grow linearly with height, 1 N in all per metre of height and square metre.
class Ramp final : public OwnLoad {
 public:
  NodalVectors forces(const FaceTies& face) const override {
    NodalVectors vectors;
    std::size_t begin = 0;
    for (const FaceTies::Tie& tie : face.ties) {
      const Vec3 force = -1e6 * tie.point.area * tie.point.position.z() * Vec3::UnitZ();
      for (std::size_t w = begin; w < tie.end; ++w)
        vectors.push_back({face.weights[w].node, face.weights[w].weight * force});
      begin = tie.end;
    }
    return vectors;
  }
};

/// A block 60 x 10 x 30 mm, held at one end, with one's own load at the other and a push from the side.
struct Block {
  ShapePtr shape = makeBox({0, 0, 0}, {0.06, 0.01, 0.03});
  Setup setup;
  Domain<3> domain;
  LayoutProblem<3> problem;

  Block() {
    const double voxel = 0.0025;
    setup.materials = {{"plain", 70e9, 0.3, 2700, 240e6}};
    for (const double x : {-1.0, 1.0}) {
      FaceSelector selector;
      selector.direction = Vec3(x, 0, 0);
      setup.faces.push_back({x < 0 ? "root" : "end", selectFace(*shape, selector, 0.25 * voxel)});
    }
    setup.supports = {{"root", 0}};
    setup.loads = {{"ramp", 1, std::make_shared<Ramp>()}, {"push", 1, FaceAction{{0, 80, 40}, 0}}};
    setup.cases = {{"ramp", 1, {{0, 1}}, {0}}, {"push", 1, {{1, 1}}, {0}}};
    Regions regions;
    regions.space = shape;
    regions.keeps = {makeBox({0.0575, 0, 0}, {0.06, 0.01, 0.03})};
    domain = sampleRegions<3>(regions, voxel);
    problem.grid = domain.grid;
    problem.material = setup.materials[0];
    problem.fill = domain.fill;
    problem.keep = domain.keep;
    problem.cases = casesOn(domain.grid, setup);
    problem.massFraction = 0.35;
    problem.making = {Walls{2.5 * voxel}};
  }
  /// How far the end moves along an axis in a case, m.
  std::shared_ptr<const Response> moves(int axis, std::size_t k, double sign) const {
    return std::make_shared<testing::MeanDisplacement>(testing::nodesAt(domain.grid, 0, 24), axis, k,
                                                       domain.grid.nodeCount(), sign);
  }
};

TEST(OwnParts, aLoadAGoalAndAMakingRuleMakeAJob) {
  Block block;
  LayoutProblem<3>& problem = block.problem;
  double down = 0;
  for (const auto& [dof, force] : problem.cases[0].force) down += force;
  EXPECT_NEAR(down, -1e6 * 0.01 * 0.03 * 0.03 / 2, 1e-4) << "the ramp's resultant";

  problem.making.push_back(testing::constantAlong(block.domain.grid, 1));
  OptimiseOptions options;
  options.maxIterations = 60;
  const OptimiseResult stiffest = optimiseLayout<3>(problem, options);
  problem.goal.response = block.moves(2, 0, -1);
  OptimiseState state;
  const OptimiseResult own = optimiseLayout<3>(problem, options, [&](const IterationView& view) {
    EXPECT_EQ(view.columns, (std::vector<std::string>{"mean_m", "mass_fraction"}));
    if (view.record.iteration == 20) state = view.state;
    return true;
  });
  EXPECT_NEAR(own.massFraction, 0.35, 1e-4);
  EXPECT_NEAR(own.nominal, own.values[0], 1e-15);
  EXPECT_LT(own.nominal, 0.5 * own.history.front().nominal);
  double of = 0;  // the stiffest layout, which serves the push as well, in the
                  // goal's terms
  for (const std::size_t n : testing::nodesAt(block.domain.grid, 0, 24))
    of -= stiffest.displacements[0][gridDof(block.domain.grid, n, 2)];
  EXPECT_LT(own.nominal, of / static_cast<double>(testing::nodesAt(block.domain.grid, 0, 24).size()));
  const Grid<3>& grid = block.domain.grid;
  for (std::size_t c = 0; c < grid.cellCount(); ++c) {
    Index<3> first = grid.cellIndex(c);
    first[1] = 0;
    EXPECT_NEAR(own.density[c], own.density[static_cast<std::size_t>(grid.cellAt(first))], 1e-12);
  }
  const OptimiseResult resumed = optimiseLayout<3>(problem, options, {}, &state);
  EXPECT_EQ(resumed.density, own.density);
  EXPECT_EQ(resumed.values, own.values);
}

/// A mean displacement whose derivatives are a hundredth too large.
class Wrong final : public Response {
 public:
  explicit Wrong(std::shared_ptr<const Response> of) : of_(std::move(of)) {}
  std::vector<std::string> names(const Analysis& /*analysis*/) const override { return {"wrong_m"}; }
  std::vector<double> values(const Analysed& at) const override { return of_->values(at); }
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override {
    of_->gradient(at, which, gradient);
    for (double& g : gradient) g *= 1.01;
  }

 private:
  std::shared_ptr<const Response> of_;
};

TEST(OwnParts, theirDerivativesCanBeChecked) {
  Block block;
  LayoutProblem<3>& problem = block.problem;
  problem.making.emplace_back(testing::constantAlong(block.domain.grid, 1));
  problem.limits = {{block.moves(1, 1, 1), 0, LimitSense::atMost, 1}};
  GradientCheckOptions options;
  options.cells = 5;
  std::vector<GradientCheck> checks = checkGradients<3>(problem, options);
  ASSERT_EQ(checks.size(), 3U);
  EXPECT_EQ(checks[0].name, "weighted sum");
  EXPECT_EQ(checks[1].name, "mass_fraction");
  EXPECT_EQ(checks[2].name, "mean_m");
  for (const GradientCheck& check : checks) EXPECT_LT(check.error, 1e-6) << check.name;
  problem.limits[0].response = std::make_shared<Wrong>(problem.limits[0].response);
  checks = checkGradients<3>(problem, options);
  EXPECT_LT(checks[1].error, 1e-6);
  EXPECT_EQ(checks[2].name, "wrong_m");
  EXPECT_GT(checks[2].error, 1e-3);
  EXPECT_NEAR(checks[2].derivative / checks[2].difference, 1.01, 1e-4);
}

// A limit costs something, and is met: the end may move sideways 0.8 times as far as in the layout without
// it.
TEST(OwnParts, aLimitHolds) {
  Block block;
  LayoutProblem<3>& problem = block.problem;
  problem.goal.weights = {1, 0};  // nothing but the ramp
  OptimiseOptions options;
  options.maxIterations = 60;
  problem.limits = {{block.moves(1, 1, 1), 0, LimitSense::atMost, 1}};  // far away
  const OptimiseResult free = optimiseLayout<3>(problem, options);
  problem.limits[0].bound = 0.8 * free.values[3];
  options.maxIterations = 0;
  const OptimiseResult limited = optimiseLayout<3>(problem, options);
  ASSERT_EQ(limited.columns, (std::vector<std::string>{"compliance_of_ramp_J", "compliance_of_push_J",
                                                       "mass_fraction", "mean_m"}));
  EXPECT_EQ(limited.stop, OptimiseStop::settled);
  EXPECT_LE(limited.history.size(), 150U);
  EXPECT_LT(limited.values[3], 1.002 * problem.limits[0].bound);
  EXPECT_GT(limited.values[3], 0.9 * problem.limits[0].bound) << "it governs";
  EXPECT_NEAR(limited.massFraction, 0.35, 1e-4);
}

// A limit no layout of that mass can hold is never called settled: it is told, with what was reached.
TEST(OwnParts, aLimitOutOfReachIsTold) {
  Block block;
  LayoutProblem<3>& problem = block.problem;
  problem.limits = {{block.moves(1, 1, 1), 0, LimitSense::atMost, 1e-6}};
  OptimiseOptions options;
  options.guard = 120;
  const OptimiseResult result = optimiseLayout<3>(problem, options);
  EXPECT_EQ(result.stop, OptimiseStop::missed) << describe(result.stop);
  EXPECT_NE(result.where.find("mean_m"), std::string::npos) << result.where;
  EXPECT_GT(result.values[3], 1e-6);
}

}  // namespace
}  // namespace barelattice
