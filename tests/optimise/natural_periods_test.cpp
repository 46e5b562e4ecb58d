// Layouts that swing fast: the value, its derivative where frequencies are shared, and published beams.
#include "barelattice/optimise/natural_periods.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "support/grids.hpp"

namespace barelattice {
namespace {

constexpr double kTwoPi = 2 * std::numbers::pi;

TEST(VibratingShare, hasTheSlopeOfItsDifferences) {
  EXPECT_EQ(vibratingSlope(0), 0);
  for (const double d : {1e-3, 0.05, 0.0999, 0.1, 0.2, 0.37, 0.4999, 0.5, 0.7, 1.0}) {
    constexpr double kStep = 1e-6;
    const double difference = (vibratingShare(d + kStep) - vibratingShare(d - kStep)) / (2 * kStep);
    EXPECT_NEAR(vibratingSlope(d), difference, 1e-4 * std::max(difference, 1e-3)) << d;
  }
}

/// A square post, held at its foot: it bends in two directions alike.
struct Post {
  Grid<3> grid = testing::boxGrid<3>({3, 3, 8}, 1e-2);
  Material material{"m", 70e9, 0, 2700, 200e6};
  GridAnalysis<3> analysis;
  std::vector<double> density = std::vector<double>(grid.cellCount(), 0.8);

  Post()
      : analysis(grid, material, {loadCase()}, std::vector<double>(grid.cellCount(), 1.0), {},
                 std::vector<double>(grid.cellCount(), 2.7e-3)) {
    analysis.setTolerance(1e-14);
  }
  GridCase<3> loadCase() const {
    const auto held = testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[2] == 0; });
    GridCase<3> load{"load", 1, {}, supportsOf<3>(grid, held)};
    load.force[gridDof(grid, static_cast<std::size_t>(grid.nodeAt({1, 1, 8})), 0)] = 1;
    return load;
  }
  CaseStates solved(const std::vector<double>& at) {
    CaseStates states = analysis.rest();
    analysis.attempt(at, states, 4);
    return states;
  }
};

TEST(NaturalPeriods, areSmoothWhereFrequenciesAreShared) {
  Post post;
  const NaturalPeriods periods;
  const CaseStates states = post.solved(post.density);
  const std::vector<double>& squared = states.modes.at(0).squared;
  ASSERT_EQ(squared.size(), 4U);
  ASSERT_NEAR(squared[0] / squared[1], 1, 1e-9) << "two that are shared";
  const double longest = kTwoPi / std::sqrt(squared[0]);
  EXPECT_EQ(periods.names(post.analysis), std::vector<std::string>{"longest_period_in_load_s"});
  EXPECT_NEAR(periods.values({post.analysis, states})[0] / longest, std::pow(2, 1 / 24.0), 1e-6);
  std::vector<double> gradient(post.density.size());
  periods.gradient({post.analysis, states}, 0, gradient);
  double largest = 0;
  for (const double g : gradient) largest = std::max(largest, std::abs(g));
  // A cell at the side sets both apart: one frequency by itself has a kink there.
  for (const std::size_t cell : {0, 1, 3, 20, 35}) {
    const auto valueWith = [&](double change) {
      std::vector<double> at = post.density;
      at[cell] += change;
      const CaseStates there = post.solved(at);
      return periods.values({post.analysis, there})[0];
    };
    constexpr double kStep = 1e-3;
    const double difference =
        (8 * (valueWith(kStep) - valueWith(-kStep)) - (valueWith(2 * kStep) - valueWith(-2 * kStep))) /
        (12 * kStep);
    EXPECT_NEAR(gradient[cell], difference, 1e-5 * largest) << cell;
  }
}

TEST(NaturalPeriods, areFoundFasterFromThoseBefore) {
  Post post;
  CaseStates states = post.solved(post.density);
  ElasticModel<3> model(post.grid, post.material, post.loadCase().supports);
  std::vector<double> moduli(post.density.size(), 0.5);
  moduli[7] = 0.55;
  model.setRelativeModuli(moduli);
  const std::vector<double> mass(post.density.size(), 2e-3);
  const NaturalModes cold = findNaturalModes<3>(model, mass, {4, 1e-8, 100});
  const NaturalModes warm = findNaturalModes<3>(model, mass, {4, 1e-8, 100}, {}, states.modes[0].shapes);
  EXPECT_LT(warm.iterations, cold.iterations);
  for (std::size_t i = 0; i < 4; ++i) EXPECT_NEAR(warm.modes[i].frequency / cold.modes[i].frequency, 1, 1e-7);
  const std::vector<std::vector<double>> same(6, states.modes[0].shapes[0]);
  EXPECT_NEAR(findNaturalModes<3>(model, mass, {4, 1e-8, 100}, {}, same).modes[0].frequency,
              cold.modes[0].frequency, 1e-6 * cold.modes[0].frequency)
      << "what is given need be no basis";
}

TEST(NaturalPeriods, areThoseOfTheWholeOnly) {
  Post post;
  CaseStates states = post.analysis.rest();
  GridAnalysis<3> massless(post.grid, post.material, {post.loadCase()},
                           std::vector<double>(post.grid.cellCount(), 1.0), {});
  EXPECT_THROW(massless.attempt(post.density, states, 1), InputError);
  EXPECT_TRUE(std::isinf(NaturalPeriods().values({post.analysis, states})[0])) << "before any were found";
}

// A mass on the end of a rod that weighs next to nothing: T = 2 pi sqrt(m / k), k from a push at that end.
TEST(NaturalPeriods, countCarriedMasses) {
  Post post;
  FaceSelector top;
  top.kind = Patch::Kind::plane;
  top.direction = Vec3::UnitZ();
  const Face end = selectFace(*makeBox(Vec3::Zero(), Vec3(0.03, 0.03, 0.08)), top, 5e-3);
  const MassOnFace carried{tieToGrid(post.grid, end), Vec3(0.015, 0.015, 0.08), 7};
  GridCase<3> load = post.loadCase();
  load.force.clear();
  for (std::size_t n = 0; n < post.grid.nodeCount(); ++n) {
    const Index<3>& i = post.grid.nodeIndex(n);
    if (i[2] != 8) continue;
    load.force[gridDof(post.grid, n, 0)] = (i[0] % 3 ? 1 : 0.5) * (i[1] % 3 ? 1 : 0.5) / 9;
  }
  const std::size_t cells = post.grid.cellCount();
  GridAnalysis<3> analysis(post.grid, post.material, {load}, std::vector<double>(cells, 1.0), {},
                           std::vector<double>(cells, 1e-6), {}, {}, {carried});
  analysis.setTolerance(1e-12);
  CaseStates states = analysis.rest();
  analysis.attempt(std::vector<double>(cells, 1.0), states, 3);
  const double stiffness = 1 / states.compliances[0];  // of the mean motion along x, under one newton
  EXPECT_NEAR(kTwoPi / std::sqrt(states.modes[0].squared[0]) / (kTwoPi * std::sqrt(7 / stiffness)), 1, 2e-3);
}

/// The beam of Du & Olhoff 2007 (Structural and Multidisciplinary Optimization 34, 91-110, example 1): 8 by
/// 1, E = 1e7, nu = 0.3, density 1, both ends clamped, half of it material.
LayoutProblem<2> clampedBeam(int high) {
  LayoutProblem<2> problem;
  problem.grid = testing::boxGrid<2>({8 * high, high}, 1.0 / high);
  problem.material = {"unit", 1e7, 0.3, 1, 1e6};
  const std::size_t cells = problem.grid.cellCount();
  problem.fill.assign(cells, 1.0);
  problem.keep.assign(cells, 0);
  problem.cellMass.assign(cells, 1.0 / (high * high));
  const auto held =
      testing::holdWhere<2>(problem.grid, [&](const Index<2>& i) { return i[0] == 0 || i[0] == 8 * high; });
  GridCase<2> load{"middle", 1, {}, supportsOf<2>(problem.grid, held)};
  load.force[gridDof(problem.grid, static_cast<std::size_t>(problem.grid.nodeAt({4 * high, high / 2})), 1)] =
      -1;
  problem.cases = {load};
  problem.massFraction = 0.5;
  problem.goal.response = std::make_shared<NaturalPeriods>();
  // What swings fastest of all are stumps at the ends: the load is to be borne.
  problem.limits = {{std::make_shared<Compliances>("bearing"), 0, LimitSense::atMost, 8, true}};
  return problem;
}

double frequencyOf(const LayoutProblem<2>& problem, const std::vector<double>& density) {
  GridAnalysis<2> analysis(problem.grid, problem.material, problem.cases, problem.fill, {}, problem.cellMass);
  analysis.setTolerance(1e-10);
  CaseStates states = analysis.rest();
  analysis.attempt(density, states, 2);
  return std::sqrt(states.modes.at(0).squared.at(0));
}

// Their uniform start swings at 146.1 rad/s, their best layout at 456.4. Read as grey as theirs ours comes to
// that; of solid and empty cells only, and with no mass of grey ones taken off, it is an eighth below.
TEST(HighestFrequency, isThatOfAPublishedBeam) {
  LayoutProblem<2> problem = clampedBeam(20);
  problem.making = {Walls{smallestMemberFor(1.6 / 20, 2), FilterBoundary::reflecting}};
  EXPECT_NEAR(frequencyOf(problem, std::vector<double>(problem.fill.size(), 0.5)) / 146.1, 1, 0.005);
  const OptimiseResult result = optimiseLayout<2>(problem, {});
  EXPECT_EQ(result.stop, OptimiseStop::settled) << describe(result.stop) << result.where;
  EXPECT_GT(frequencyOf(problem, result.density) / 456.4, 0.85);
  EXPECT_LT(frequencyOf(problem, result.density) / 456.4, 1);
  OptimiseOptions grey;
  grey.path = {Reading{}};
  grey.erosion = 0;
  EXPECT_NEAR(frequencyOf(problem, optimiseLayout<2>(problem, grey).density) / 456.4, 1, 0.05);
}

// A square held all round swings in both directions alike, and still does when it is best.
TEST(HighestFrequency, keepsFrequenciesThatAreShared) {
  LayoutProblem<2> problem = clampedBeam(20);
  const int n = 40;
  problem.grid = testing::boxGrid<2>({n, n}, 1.0 / n);
  const std::size_t cells = problem.grid.cellCount();
  problem.fill.assign(cells, 1.0);
  problem.keep.assign(cells, 0);
  problem.cellMass.assign(cells, 1.0 / (n * n));
  for (std::size_t c = 0; c < cells; ++c) {
    const Index<2>& i = problem.grid.cellIndex(c);
    problem.keep[c] = std::abs(2 * i[0] + 1 - n) < 8 && std::abs(2 * i[1] + 1 - n) < 8;
    if (problem.keep[c]) problem.cellMass[c] *= 20;
  }
  const auto held = testing::holdWhere<2>(
      problem.grid, [&](const Index<2>& i) { return i[0] == 0 || i[1] == 0 || i[0] == n || i[1] == n; });
  problem.cases.clear();
  for (int c = 0; c < 2; ++c) {
    GridCase<2> load{c ? "up" : "along", 1, {}, supportsOf<2>(problem.grid, held)};
    load.force[gridDof(problem.grid, static_cast<std::size_t>(problem.grid.nodeAt({n / 2, n / 2})), c)] = 1;
    problem.cases.push_back(load);
  }
  problem.limits.clear();
  problem.massFraction = 0.35;
  problem.making = {Walls{smallestMemberFor(2.0 / n, 2)}};
  const OptimiseResult result = optimiseLayout<2>(problem, {});
  EXPECT_EQ(result.stop, OptimiseStop::settled) << describe(result.stop) << result.where;
  GridAnalysis<2> analysis(problem.grid, problem.material, problem.cases, problem.fill, {}, problem.cellMass);
  analysis.setTolerance(1e-10);
  CaseStates states = analysis.rest();
  analysis.attempt(result.density, states, 3);
  const std::vector<double>& squared = states.modes[0].squared;
  EXPECT_NEAR(std::sqrt(squared[1] / squared[0]), 1, 0.02);
  EXPECT_GT(squared[0], 1.5 * std::pow(frequencyOf(problem, std::vector<double>(cells, 0.35)), 2));
}

}  // namespace
}  // namespace barelattice
