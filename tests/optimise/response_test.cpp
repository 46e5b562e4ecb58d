#include "barelattice/optimise/response.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "barelattice/base/error.hpp"
#include "support/bracket.hpp"
#include "support/grids.hpp"

namespace barelattice {
namespace {

const Material kMaterial{"test", 70e9, 0.3, 2700, 1e8};

TEST(StiffnessLaw, runsFromTheFloorToOneWithItsDerivative) {
  const StiffnessLaw law{3, 1e-9};
  EXPECT_DOUBLE_EQ(law.share(0), 1e-9);
  EXPECT_DOUBLE_EQ(law.share(1), 1);
  EXPECT_NEAR(law.share(0.5), 0.125, 1e-8);
  for (const double rho : {0.1, 0.5, 0.9})
    EXPECT_NEAR(law.derivative(rho), (law.share(rho + 1e-6) - law.share(rho - 1e-6)) / 2e-6, 1e-8);
}

struct Bar {
  Grid<3> grid = testing::boxGrid<3>({12, 4, 4}, 1e-3);
  std::vector<std::size_t> held = testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; });
  std::vector<double> fill = std::vector<double>(grid.cellCount(), 1.0);

  GridCase<3> load(const char* name, double weight, int component, double size) const {
    GridCase<3> c{name, weight, {}, supportsOf<3>(grid, held)};
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (grid.nodeIndex(n)[0] == 12) c.force[gridDof(grid, n, component)] = size;
    return c;
  }
};

TEST(MassFraction, weighsWithTheFill) {
  const MassFraction mass(std::vector<double>{1, 0.5, 0.5});
  EXPECT_DOUBLE_EQ(mass.value(std::vector<double>{1, 0, 1}), 0.75);
  Bar bar;
  GridAnalysis<3> none(bar.grid, kMaterial, {bar.load("up", 1, 2, 1)}, bar.fill, {});
  CaseStates states;
  states.density = {1, 0, 1};
  std::vector<double> gradient(3);
  mass.gradient({none, states}, 0, gradient);
  EXPECT_EQ(mass.values({none, states}), std::vector<double>{0.75});
  EXPECT_EQ(gradient, (std::vector<double>{0.5, 0.25, 0.25}));
}

// Compliance goes with the square of the load and the inverse of the stiffness;
// opposite loads in two cases do not cancel.
TEST(Compliances, areOfEachCaseByItsName) {
  Bar bar;
  const auto compliances = [&](std::vector<GridCase<3>> cases) {
    GridAnalysis<3> analysis(bar.grid, kMaterial, std::move(cases), bar.fill, {});
    analysis.setTolerance(1e-12);
    CaseStates states = analysis.rest();
    analysis.attempt(std::vector<double>(bar.grid.cellCount(), 0.8), states);
    EXPECT_EQ(Compliances().names(analysis).front(), "compliance_of_up_J");
    EXPECT_TRUE(Compliances().fallsWithMaterial(analysis));
    return Compliances().values({analysis, states});
  };
  const std::vector<double> values =
      compliances({bar.load("up", 1, 2, 1), bar.load("down", 1, 2, -1), bar.load("thrice", 1, 2, 3)});
  EXPECT_NEAR(values[1] / values[0], 1, 1e-9);
  EXPECT_NEAR(values[2] / values[0], 9, 1e-8);
}

TEST(Analysis, warmStartGivesTheSameAnswer) {
  Bar bar;
  GridAnalysis<3> each(bar.grid, kMaterial, {bar.load("up", 1, 2, 1)}, bar.fill, {});
  each.setTolerance(1e-10);
  std::vector<double> density(bar.grid.cellCount(), 0.8);
  CaseStates states = each.rest();
  each.attempt(density, states);
  const double first = states.compliances[0];
  const int cold = states.reports[0].iterations;
  density[5] = 0.79;
  each.attempt(density, states);
  density[5] = 0.8;
  each.attempt(density, states);
  EXPECT_NEAR(states.compliances[0] / first, 1, 1e-9);
  EXPECT_LT(states.reports[0].iterations, cold);
}

TEST(Analysis, canBeCancelledBetweenCases) {
  Bar bar;
  GridAnalysis<3> each(bar.grid, kMaterial, {bar.load("up", 1, 2, 1)}, bar.fill, {});
  each.setProgress([](const Progress& p) {
    EXPECT_EQ(p.stage, "solving case up");
    return false;
  });
  CaseStates states = each.rest();
  EXPECT_THROW(each.attempt(std::vector<double>(bar.grid.cellCount(), 1.0), states), Cancelled);
}

// A layout that falls apart while it is designed is an answer; only where an answer is needed is it an error.
TEST(Analysis, aSolveThatFailsIsAnAnswerWithoutEnd) {
  Bar bar;
  GridAnalysis<3> each(bar.grid, kMaterial, {bar.load("up", 1, 2, 1)}, bar.fill, {});
  CaseStates states = each.rest();
  const std::vector<double> full(bar.grid.cellCount(), 1.0);
  each.attempt(full, states);
  EXPECT_TRUE(states.succeeded());
  const double good = states.compliances[0];
  each.setTolerance(1e-12);
  each.setMostIterations(1);
  std::vector<double> cut = full;
  for (std::size_t c = 0; c < cut.size(); ++c)
    if (bar.grid.cellIndex(c)[0] == 5) cut[c] = 0;
  each.attempt(cut, states);
  EXPECT_FALSE(states.succeeded());
  EXPECT_TRUE(std::isinf(states.compliances[0]));
  try {
    each.requireSuccess(states);
    FAIL() << "the failure is to be told";
  } catch (const RunError& error) {
    EXPECT_NE(std::string(error.what()).find("case up"), std::string::npos) << error.what();
  }
  each.setMostIterations(400);
  each.attempt(full, states);
  EXPECT_NEAR(states.compliances[0] / good, 1, 1e-6) << "from rest again";
}

// Two loads make five cases: three of them follow from the others, and are what they are alone.
TEST(Analysis, casesThatAreSumsOfOthersNeedNoSolve) {
  Bar bar;
  const auto sum = [&](const char* name, double pull, double push) {
    GridCase<3> c = bar.load(name, 1, 0, pull);
    for (const auto& [dof, force] : bar.load(name, 1, 2, push).force) c.force[dof] += force;
    return c;
  };
  const std::vector<GridCase<3>> cases{bar.load("pull", 1, 0, 3), sum("first", 2, -1), sum("second", -1, 0.7),
                                       bar.load("none", 1, 1, 0), bar.load("push", 1, 2, 5)};
  std::vector<double> density(bar.grid.cellCount());
  for (std::size_t c = 0; c < density.size(); ++c) density[c] = c % 3 ? 0.9 : 0.3;
  std::vector<double> together(density.size());
  std::vector<double> single(density.size());
  for (const double tolerance : {1e-5, 1e-10}) {
    GridAnalysis<3> all(bar.grid, kMaterial, cases, bar.fill, {});
    all.setTolerance(tolerance);
    CaseStates states = all.rest();
    all.attempt(density, states);
    for (std::size_t k = 0; k < cases.size(); ++k) {
      GridAnalysis<3> one(bar.grid, kMaterial, {cases[k]}, bar.fill, {});
      one.setTolerance(1e-12);
      CaseStates alone = one.rest();
      one.attempt(density, alone);
      EXPECT_NEAR(states.compliances[k], alone.compliances[0], 5 * tolerance * alone.compliances[0])
          << cases[k].name;
      EXPECT_LE(states.reports[k].energyError, 4 * tolerance) << cases[k].name;
      all.complianceGradient(states, k, together);
      one.complianceGradient(alone, 0, single);
      for (std::size_t c = 0; c < density.size(); ++c)
        ASSERT_NEAR(together[c], single[c], 10 * std::sqrt(tolerance) * alone.compliances[0])
            << cases[k].name;
    }
    EXPECT_GT(states.reports[1].iterations, 3);
    EXPECT_LE(states.reports[2].iterations + states.reports[4].iterations, 8);
  }
}

// A bar pulled in its middle, held at one end in the first case and at both in the second: two equal halves
// then share the load.
TEST(Analysis, supportsMayDifferByCase) {
  Bar bar;
  GridCase<3> one{"one end", 1, {}, supportsOf<3>(bar.grid, bar.held)};
  for (std::size_t n = 0; n < bar.grid.nodeCount(); ++n)
    if (bar.grid.nodeIndex(n)[0] == 6) one.force[gridDof(bar.grid, n, 0)] = 1;
  GridCase<3> both = one;
  both.name = "both ends";
  both.supports = supportsOf<3>(
      bar.grid, testing::holdWhere<3>(bar.grid, [](const Index<3>& i) { return i[0] == 0 || i[0] == 12; }));
  GridAnalysis<3> each(bar.grid, kMaterial, {one, both}, bar.fill, {});
  each.setTolerance(1e-12);
  CaseStates states = each.rest();
  each.attempt(std::vector<double>(bar.grid.cellCount(), 1.0), states);
  EXPECT_NEAR(states.compliances[0] / states.compliances[1], 2, 0.05);
}

TEST(Analysis, gradientWithSeveralMaterialsIsExact) {
  testing::Bracket bracket;
  std::vector<double> stiffness = bracket.problem.fill;
  for (std::size_t c = 0; c < stiffness.size(); ++c) stiffness[c] *= c % 3 ? 1.0 : 0.2;
  GridAnalysis<3> analysis(bracket.grid, bracket.problem.material, bracket.problem.cases, stiffness, {});
  analysis.setTolerance(1e-14);
  CaseStates states = analysis.rest();
  const auto compliance = [&](const std::vector<double>& of) {
    analysis.attempt(of, states);
    return states.compliances[1];
  };
  std::vector<double> density(stiffness.size());
  std::mt19937 random(5);
  std::uniform_real_distribution<double> value(0.3, 0.9);
  for (double& v : density) v = value(random);
  compliance(density);
  std::vector<double> gradient(density.size());
  analysis.complianceGradient(states, 1, gradient);
  double largest = 0;
  for (const double g : gradient) largest = std::max(largest, std::abs(g));
  const double step = 1e-4;
  for (std::size_t i = 0; i < density.size(); i += 73) {
    const double old = density[i];
    density[i] = old + step;
    const double above = compliance(density);
    density[i] = old - step;
    const double below = compliance(density);
    density[i] = old;
    EXPECT_NEAR(gradient[i], (above - below) / (2 * step), 1e-6 * largest) << "cell " << i << ", seed 5";
  }
}

}  // namespace
}  // namespace barelattice
