// The loop's own chain: what it minimises, and the derivatives it steps by.
#include "optimise/assessment.hpp"

#include <gtest/gtest.h>

#include "barelattice/base/error.hpp"
#include "barelattice/optimise/gradient_check.hpp"
#include "optimise/updater.hpp"
#include "support/bracket.hpp"
#include "support/own_parts.hpp"

namespace barelattice {
namespace {

/// All goal terms' and all limits' derivatives by the variables, through every map and reading.
template <int D>
void expectExactChain(const LayoutProblem<D>& problem, const Reading& reading) {
  GradientCheckOptions options;
  options.reading = reading;
  const std::vector<GradientCheck> checks = checkGradients(problem, options);
  EXPECT_EQ(checks.size(),
            (problem.goal.form == GoalForm::worst ? problem.cases.size() : 1) + problem.limits.size() + 1);
  for (const GradientCheck& check : checks) {
    EXPECT_LT(check.error, 1e-6) << check.name << " by cell " << check.cell;
    EXPECT_GT(check.error, 0) << check.name << ": no derivative was looked at";
  }
}

TEST(Assessment, derivativesAreExactThroughTheWholeChain) {
  const Reading late{4, 0.15, 1.3};
  testing::Bracket bracket;
  expectExactChain(bracket.problem, {0, 0, 1});
  expectExactChain(bracket.problem, late);
  bracket.problem.goal.form = GoalForm::worst;
  expectExactChain(bracket.problem, late);
}

TEST(Assessment, derivativesOfOnesOwnPartsAreExactToo) {
  const Reading late{4, 0.15, 1.3};
  testing::Bracket bracket;
  LayoutProblem<3>& problem = bracket.problem;
  problem.cellMass.assign(problem.fill.size(), 3e-3);
  problem.cases[1].bodyForce = {{0.2, -30, 10}};
  problem.making.emplace_back(testing::constantAlong(bracket.grid, 1));
  problem.limits.push_back({std::make_shared<testing::MeanDisplacement>(testing::nodesAt(bracket.grid, 0, 14),
                                                                        1, 1, bracket.grid.nodeCount()),
                            0, LimitSense::atLeast, -1e-9});
  expectExactChain(problem, late);
  problem.goal.response = problem.limits[0].response;
  expectExactChain(problem, late);

  const Grid<2> sheet = testing::boxGrid<2>({16, 8});
  LayoutProblem<2> flat;
  flat.grid = sheet;
  flat.material = {"unit", 1, 0.3, 1, 1};
  flat.fill.assign(sheet.cellCount(), 1.0);
  flat.keep.assign(sheet.cellCount(), 0);
  GridCase<2> load{"down", 1, {}, supportsOf<2>(sheet, testing::holdWhere<2>(sheet, [](const Index<2>& i) {
                                                  return i[0] == 0;
                                                }))};
  load.force[gridDof(sheet, static_cast<std::size_t>(sheet.nodeAt({16, 4})), 1)] = -1;
  flat.cases = {load};
  flat.making = {Walls{3}, MirrorPlane{Vec3::UnitY(), 4}};
  flat.limits.push_back(
      {std::make_shared<testing::MeanDisplacement>(testing::nodesAt(sheet, 0, 8), 1, 0, sheet.nodeCount()), 0,
       LimitSense::atLeast, -5});
  expectExactChain(flat, late);
}

// Rules that look along directions, off the grid, and limits that rules bring: through the whole chain. The
// step is short, since largest values have kinks.
TEST(Assessment, derivativesThroughMakingRulesAreExact) {
  const testing::Bracket bracket;
  GradientCheckOptions options;
  options.reading = {4, 0.15, 1.3};
  options.step = 1e-4;
  options.cells = 8;
  const Vec3 z = Vec3::UnitZ();
  const std::vector<std::vector<MakingRule>> sets{
      {LocalShare{2e-3, 0.5}},
      {Casting{z, Casting::Parting::free, 0, 0.05}, testing::Bracket::middle()},
      {Casting{z, Casting::Parting::plane, 3e-3, 0.02}},
      {Milling{{z, -z, Vec3::UnitX()}}, LocalShare{3e-3, 0.6}},
      {Printing{Vec3::UnitX(), 0.7}, MirrorPlane{Vec3::UnitY(), 4.1e-3}},
      {Milling{{z, Vec3::UnitX()}, {2.4e-3, 1e-3, 0.1, 4e-3, 8e-3}}},
      {OpenVoids{}, Printing{z, 0.6}},
      {OpenVoids{2.2e-3}},
      {RepeatRound{Vec3::UnitX(), {0, 4e-3, 4e-3}, 3}}};
  for (const std::vector<MakingRule>& rules : sets) {
    LayoutProblem<3> problem = bracket.problem;
    problem.making = {Walls{smallestMemberFor(2.2e-3, 3), FilterBoundary::empty, 2e-3, 0.3e-3}};
    problem.making.insert(problem.making.end(), rules.begin(), rules.end());
    SCOPED_TRACE(nameOf(rules.front()));
    for (const GradientCheck& found : checkGradients(problem, options))
      EXPECT_LT(found.error, 1e-5) << found.name << " in cell " << found.cell;
  }
}

// What a face lies further in at the threshold of a process is the distance asked for: flat ones to a
// twentieth of a cell, those of bars and bores as round as the filter to a fifth of the distance.
TEST(Assessment, theThinnerLayoutIsThinnerByTheDistance) {
  const double radius = 8;
  const Grid<3> deep = testing::boxGrid<3>({60, 60, 25});
  const DensityFilter<3> filter(deep, std::vector<double>(deep.cellCount(), 1.0), radius,
                                FilterBoundary::reflecting);
  const auto apart = [&](const std::function<double(double, double)>& distance, double offset, bool thick) {
    std::vector<double> x(deep.cellCount()), level(x.size());
    for (std::size_t c = 0; c < x.size(); ++c) {
      const Point<3> p = deep.cellCentre(c);
      x[c] = std::clamp(0.5 - distance(p.x(), p.y()), 0.0, 1.0);
    }
    filter.forward(x, level);
    // Along the middle, outwards: where the level crosses both thresholds.
    const auto crossing = [&](double threshold) {
      for (int i = 30; i < 59; ++i) {
        const double here = level[static_cast<std::size_t>(deep.cellAt({i, 30, 12}))];
        const double next = level[static_cast<std::size_t>(deep.cellAt({i + 1, 30, 12}))];
        if ((here - threshold) * (next - threshold) <= 0 && here != next)
          return i + (here - threshold) / (here - next);
      }
      return 0.0;
    };
    const double erosion = erosionFor(offset, radius, 3);
    return std::abs(crossing(0.5) - crossing(0.5 + (thick ? -erosion : erosion)));
  };
  const auto flat = [](double x, double) { return x - 44; };
  const auto bar = [](double x, double y) { return std::hypot(x - 30.5, y - 30.5) - 14; };
  const auto bore = [](double x, double y) { return 14 - std::hypot(x - 30.5, y - 30.5); };
  for (const double offset : {0.5, 1.0, 2.0})
    for (const bool thick : {false, true}) {
      EXPECT_NEAR(apart(flat, offset, thick), offset, 0.05) << offset;
      EXPECT_NEAR(apart(bar, offset, thick), offset, 0.2 * offset) << offset;
      EXPECT_NEAR(apart(bore, offset, thick), offset, 0.2 * offset) << offset;
    }
  EXPECT_NEAR(erosionFor(5, 2, 2), 0.5, 1e-3);
  EXPECT_NEAR(erosionFor(5, 2, 3), 0.5, 1e-12);
  for (const int dimension : {2, 3}) {
    const double most = mostMadeWithin(3, dimension);
    EXPECT_NEAR(erosionFor(most, filterRadiusFor(3, dimension), dimension), 0.25, 1e-6);
    EXPECT_GT(most, 0.7);
    EXPECT_LT(most, 1);
  }
}

// A price for material comes in with erosion where gaps have a least width, and not else.
TEST(Assessment, narrowGapsHaveAPrice) {
  testing::Bracket bracket;
  const auto priceAt = [&](double gap, double erosion) {
    std::get<Walls>(bracket.problem.making.front()).smallestGap = gap;
    Assessment<3> chain(bracket.problem, {}, 0.1);
    chain.readings().set({8, erosion, 1});
    ReadingStates states{chain.analysis().rest(), chain.analysis().rest()};
    const std::vector<double> x(bracket.problem.fill.size(), 0.4);
    chain.assess(chain.readings().forward(x), states);
    return chain.differentiate(states);
  };
  EXPECT_TRUE(priceAt(0, 0.25).price.empty());
  EXPECT_TRUE(priceAt(2e-3, 0).price.empty());
  const DesignGradients gradients = priceAt(2e-3, 0.25);
  ASSERT_FALSE(gradients.price.empty());
  EXPECT_NE(gradients.price, gradients.limits.front());
  // A gap as wide as the member is closed at the threshold at which that one vanishes.
  const double radius = 2.2e-3;
  EXPECT_NEAR(dilationFor(smallestMemberFor(radius, 3), radius, 3), 0.25, 1e-3);
  EXPECT_NEAR(dilationFor(smallestMemberFor(radius, 2), radius, 2), 0.25, 1e-3);
  EXPECT_EQ(dilationFor(0, radius, 3), 0);
  EXPECT_EQ(dilationFor(1, radius, 3), 0.45);
}

// Optimality criteria for one sum that falls with material and no limit but the mass; else moving asymptotes.
TEST(Assessment, theSchemeFollowsTheStructure) {
  testing::Bracket bracket;
  const auto scheme = [](const LayoutProblem<3>& problem) {
    Assessment<3> chain(problem, {}, 0.1);
    return schemeFor(chain.formulation(), chain.analysis());
  };
  EXPECT_EQ(scheme(bracket.problem), UpdateScheme::optimalityCriteria);
  LayoutProblem<3> worst = bracket.problem;
  worst.goal.form = GoalForm::worst;
  EXPECT_EQ(scheme(worst), UpdateScheme::movingAsymptotes);
  LayoutProblem<3> heavy = bracket.problem;
  heavy.cellMass.assign(heavy.fill.size(), 1e-3);
  heavy.cases[0].bodyForce = {{0, 0, -10}};
  EXPECT_EQ(scheme(heavy), UpdateScheme::movingAsymptotes) << "more material weighs more";
  LayoutProblem<3> limited = bracket.problem;
  limited.limits.push_back({std::make_shared<Compliances>(), 1, LimitSense::atMost, 1});
  EXPECT_EQ(scheme(limited), UpdateScheme::movingAsymptotes);
}

TEST(Assessment, refusesGoalsAndLimitsThatFitNothing) {
  testing::Bracket bracket;
  const auto refused = [](const LayoutProblem<3>& problem) {
    EXPECT_THROW(Assessment<3>(problem, {}, 0.1), InputError);
  };
  LayoutProblem<3> problem = bracket.problem;
  problem.goal.weights = {1, 2, 3};
  refused(problem);
  const auto compliances = std::make_shared<Compliances>();
  for (const Limit& limit :
       {Limit{nullptr, 0, LimitSense::atMost, 1}, Limit{compliances, 2, LimitSense::atMost, 1},
        Limit{compliances, 0, LimitSense::atMost, 0}}) {
    problem = bracket.problem;
    problem.limits = {limit};
    refused(problem);
  }
}

}  // namespace
}  // namespace barelattice
