// The lightest layout that holds its limits, and the values limits are stated of.
#include <gtest/gtest.h>

#include <cmath>

#include "barelattice/base/error.hpp"
#include "barelattice/optimise/face_motions.hpp"
#include "barelattice/optimise/gradient_check.hpp"
#include "barelattice/optimise/natural_periods.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/optimise/stress_share.hpp"
#include "support/bracket.hpp"
#include "support/grids.hpp"
#include "support/ties.hpp"

namespace barelattice {
namespace {

using testing::nodesAt;

constexpr double kFullest = 0.01;  // the share of the volume a peak stands for, see StressShare
constexpr double kPower = 12;

template <int D>
StressLimits limitsFor(const Grid<D>& grid, const Material& material) {
  return {std::vector<double>(grid.cellCount(), material.modulus),
          std::vector<double>(grid.cellCount(), material.strength),
          std::vector<double>(grid.cellCount(), 1.0), material.poisson};
}

/// The share of a uniform strain: displacements that are linear in the place.
double shareOf(const Eigen::Matrix3d& strain, const Material& material, double density,
               StressKind kind = StressKind::vonMises) {
  const Grid<3> grid = testing::boxGrid<3>({3, 4, 2}, 2e-3);
  StressLimits limits = limitsFor(grid, material);
  limits.kind = kind;
  const StressShare<3> share(grid, limits);
  std::vector<double> u(3 * grid.nodeCount());
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    const Index<3>& i = grid.nodeIndex(n);
    const Vec3 moved = strain * (2e-3 * Vec3(i[0], i[1], i[2]));
    for (int c = 0; c < 3; ++c) u[gridDof(grid, n, c)] = moved[c];
  }
  return share.shares(std::vector<double>(grid.cellCount(), density), u).front();
}

// von Mises stress of uniform states: s in tension, sqrt(3) t in shear, none under pressure from all sides;
// the density to the power of 3/2 with it.
TEST(StressShare, isTheVonMisesStressOverTheStrength) {
  const Material material{"m", 70e9, 0.3, 2700, 200e6};
  Eigen::Matrix3d tension = Eigen::Matrix3d::Zero();
  tension.diagonal() << 1e-3, -0.3e-3, -0.3e-3;
  EXPECT_NEAR(shareOf(tension, material, 1), 70e6 / 200e6, 1e-12);
  EXPECT_NEAR(shareOf(tension, material, 0.25), 0.125 * 70e6 / 200e6, 1e-12);
  EXPECT_EQ(shareOf(tension, material, 0), 0);
  Eigen::Matrix3d shear = Eigen::Matrix3d::Zero();
  shear(0, 2) = shear(2, 0) = 0.5e-3;
  EXPECT_NEAR(shareOf(shear, material, 1), std::sqrt(3) * 70e9 / 2.6 * 1e-3 / 200e6, 1e-12);
  EXPECT_NEAR(shareOf(1e-3 * Eigen::Matrix3d::Identity(), material, 1), 0, 1e-9);
}

// Principal stresses of a uniform strain: of a rod that is pulled its stress, in pure shear +- the shear
// stress, under a pressure from all sides that pressure; what has the other sign is none.
TEST(StressShare, isAPrincipalStressWhereAsked) {
  const Material material{"m", 70e9, 0.3, 2700, 200e6};
  const double lame = 70e9 * 0.3 / (1.3 * 0.4);
  Eigen::Matrix3d tension = Eigen::Matrix3d::Zero();
  tension.diagonal() << 1e-3, -0.3e-3, -0.3e-3;
  Eigen::Matrix3d shear = Eigen::Matrix3d::Zero();
  shear(1, 2) = shear(2, 1) = 0.5e-3;
  const double sheared = 70e9 / 2.6 * 1e-3 / 200e6;
  const Eigen::Matrix3d pressed = -1e-3 * Eigen::Matrix3d::Identity();
  const Eigen::Matrix3d turn = Eigen::AngleAxisd(0.7, Vec3(1, 2, -1).normalized()).toRotationMatrix();
  for (const Eigen::Matrix3d& frame : {Eigen::Matrix3d(Eigen::Matrix3d::Identity()), turn}) {
    const auto share = [&](const Eigen::Matrix3d& strain, StressKind kind) {
      return shareOf(frame * strain * frame.transpose(), material, 1, kind);
    };
    EXPECT_NEAR(share(tension, StressKind::tension), 70e6 / 200e6, 1e-12);
    EXPECT_NEAR(share(tension, StressKind::compression), 0, 1e-12);
    EXPECT_NEAR(share(-tension, StressKind::compression), 70e6 / 200e6, 1e-12);
    EXPECT_NEAR(share(shear, StressKind::tension), sheared, 1e-12);
    EXPECT_NEAR(share(shear, StressKind::compression), sheared, 1e-12);
    EXPECT_NEAR(share(pressed, StressKind::compression), (3 * lame + 70e9 / 1.3) * 1e-3 / 200e6, 1e-9);
    EXPECT_EQ(share(pressed, StressKind::tension), 0);
  }
}

// In the plane: free to get thinner the stress across is none, kept from it nu times the sum.
TEST(StressShare, knowsTheStateOfASheet) {
  const Material material{"m", 70e9, 0.3, 2700, 200e6};
  const Grid<2> grid = testing::boxGrid<2>({3, 2}, 2e-3);
  for (const SheetState state : {SheetState::planeStress, SheetState::planeStrain}) {
    const Material sheet = sheetMaterial(material, state, 1);
    StressLimits limits = limitsFor(grid, sheet);
    if (state == SheetState::planeStrain) limits.across = material.poisson;
    const StressShare<2> share(grid, limits);
    std::vector<double> u(2 * grid.nodeCount());
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      u[gridDof(grid, n, 0)] = 1e-3 * 2e-3 * grid.nodeIndex(n)[0];
    // Strain along x alone: xx = E' / (1 - nu'^2) e, yy = nu' xx.
    const double xx = sheet.modulus / (1 - sheet.poisson * sheet.poisson) * 1e-3;
    const double yy = sheet.poisson * xx;
    const double zz = state == SheetState::planeStrain ? 0.3 * (xx + yy) : 0;
    const double mises =
        std::sqrt(0.5 * ((xx - yy) * (xx - yy) + (yy - zz) * (yy - zz) + (zz - xx) * (zz - xx)));
    EXPECT_NEAR(share.shares(std::vector<double>(6, 1.0), u)[2], mises / 200e6, 1e-12);
  }
}

/// A rod along x, held at one end, pulled or bent at the other.
struct Rod {
  Grid<3> grid = testing::boxGrid<3>({12, 4, 4}, 1e-3);
  Material material{"m", 70e9, 0, 2700, 200e6};  // no contraction: a uniform state
  std::vector<GridCase<3>> cases;
  Rod() {
    const auto held = testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; });
    GridCase<3> pull{"pull", 1, {}, supportsOf<3>(grid, held)};
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      const Index<3>& i = grid.nodeIndex(n);
      if (i[0] != 12) continue;
      const double corner = (i[1] % 4 ? 1 : 0.5) * (i[2] % 4 ? 1 : 0.5);
      pull.force[gridDof(grid, n, 0)] = 100 * corner / 16;
    }
    cases = {pull};
  }
};

// A rod of length L and section A under a force F: F L / E A, and F / A everywhere, of which the mean of high
// power over all of the volume is that over the volume the peak stands for.
TEST(LimitValues, areThoseOfARod) {
  const Rod rod;
  GridAnalysis<3> analysis(rod.grid, rod.material, rod.cases, std::vector<double>(rod.grid.cellCount(), 1.0),
                           {});
  analysis.setTolerance(1e-14);
  CaseStates states = analysis.rest();
  analysis.attempt(std::vector<double>(rod.grid.cellCount(), 1.0), states);
  const FaceMotions end("displacement_of_end", {nodesAt(rod.grid, 0, 12)}, dofOrder(rod.grid));
  EXPECT_EQ(end.names(analysis), std::vector<std::string>{"displacement_of_end_in_pull_m"});
  EXPECT_NEAR(end.values({analysis, states})[0] / (100 * 12e-3 / (70e9 * 16e-6)), 1, 1e-6);
  const StressShare<3> share(rod.grid, limitsFor(rod.grid, rod.material));
  EXPECT_NEAR(share.values({analysis, states})[0], 100 / 16e-6 / 200e6 * std::pow(1 / kFullest, 1 / kPower),
              1e-6);
  const Joined both({std::make_shared<FaceMotions>(end), std::make_shared<StressShare<3>>(share)});
  EXPECT_EQ(both.names(analysis).back(), "strength_used_in_pull");
  EXPECT_EQ(both.values({analysis, states})[1], share.values({analysis, states})[0]);
  states.compliances[0] = std::numeric_limits<double>::infinity();
  EXPECT_TRUE(std::isinf(both.values({analysis, states})[0]) &&
              std::isinf(both.values({analysis, states})[1]))
      << "what could not be analysed has no values";
}

/// The bracket with a bound on how far its end moves and on its stress, in both cases.
testing::Bracket boundBracket(double most, double factor) {
  testing::Bracket bracket;
  LayoutProblem<3>& problem = bracket.problem;
  problem.lightest = true;
  problem.goal.form = GoalForm::worst;
  problem.goal.response = std::make_shared<Joined>(std::vector<std::shared_ptr<const Response>>{
      std::make_shared<FaceMotions>("end", FaceMotion{nodesAt(bracket.grid, 0, 14)}, dofOrder(bracket.grid)),
      std::make_shared<StressShare<3>>(bracket.grid, limitsFor(bracket.grid, problem.material))});
  problem.goal.weights = {1 / most, 1 / most, factor, factor};
  return bracket;
}

TEST(Lightest, derivativesAreThoseOfDifferences) {
  const testing::Bracket bracket = boundBracket(3e-6, 30);
  for (const GradientCheck& check : checkGradients(bracket.problem))
    EXPECT_LT(check.error, 1e-6) << check.name << " in cell " << check.cell << ": " << check.derivative
                                 << ", not " << check.difference;
  // Weight follows the layout.
  testing::Bracket heavy = boundBracket(3e-6, 30);
  heavy.problem.cases[1].bodyForce.perMass = {0, 0, -9.81e5};
  heavy.problem.cellMass.assign(heavy.grid.cellCount(), 2.7e-6);
  for (const GradientCheck& check : checkGradients(heavy.problem)) EXPECT_LT(check.error, 1e-6) << check.name;
}

/// A sheet of unit thickness, held on the left, with forces on the right edge.
struct Sheet {
  Grid<2> grid;
  LayoutProblem<2> problem;
  /// @param force on each node of the right edge from `low` to `high` (cells).
  Sheet(int nx, int ny, const Eigen::Vector2d& force, int low, int high)
      : grid(testing::boxGrid<2>({nx, ny})) {
    problem.grid = grid;
    problem.material = {"unit", 1, 0.3, 1, 1};
    problem.fill.assign(grid.cellCount(), 1.0);
    problem.keep.assign(grid.cellCount(), 0);
    const auto held = testing::holdWhere<2>(grid, [](const Index<2>& i) { return i[0] == 0; });
    GridCase<2> load{"load", 1, {}, supportsOf<2>(grid, held)};
    for (int y = low; y <= high; ++y) {
      const auto node = static_cast<std::size_t>(grid.nodeAt({nx, y}));
      const double share = (y == low || y == high) && low != high ? 0.5 : 1;
      for (int c = 0; c < 2; ++c) load.force[gridDof(grid, node, c)] = share * force[c];
    }
    for (std::size_t c = 0; c < grid.cellCount(); ++c) {
      const Index<2>& i = grid.cellIndex(c);
      problem.keep[c] = i[0] >= nx - 2 && i[1] >= low - 1 && i[1] <= high;
    }
    problem.cases = {load};
    problem.making = {Walls{3.0}};
  }
  /// How far the kept end moves. (Of an edge without material the mean can be made nothing by letting what is
  /// empty swing the other way.)
  std::shared_ptr<const Response> moves(int low, int high) const {
    FaceTies ties = nodesAt(grid, 0, grid.frame().cells[0], low, high);
    return std::make_shared<FaceMotions>("end", FaceMotion{ties}, dofOrder(grid));
  }
  void sought(std::shared_ptr<const Response> response, double weight) {
    problem.lightest = true;
    problem.goal = {GoalForm::worst, std::move(response), {weight}};
  }
};

// All that may be a limit, beside a mass, in both cases and both dimensions, through the loop's own chain.
template <int D>
void expectDerivativesOfLimits(LayoutProblem<D>& problem, int far) {
  const DofOrder order = dofOrder(problem.grid);
  const FaceTies end = nodesAt(problem.grid, 0, far);
  const FaceTies middle = nodesAt(problem.grid, 0, far / 2);
  std::vector<std::shared_ptr<const Response>> responses{
      std::make_shared<FaceMotions>("over", FaceMotion{end, middle, false, {}}, order),
      std::make_shared<FaceMotions>("along", FaceMotion{end, {}, false, Vec3(1, -2, 0)}, order),
      std::make_shared<FaceMotions>(
          "about", FaceMotion{end, middle, true, D == 3 ? Vec3(1, 2, -1) : Vec3::UnitZ().eval()}, order),
      std::make_shared<Compliances>("stiff"), std::make_shared<NaturalPeriods>()};
  for (const StressKind kind : {StressKind::tension, StressKind::compression}) {
    StressLimits limits = limitsFor(problem.grid, problem.material);
    limits.kind = kind;
    limits.across = D == 2 ? 0.25 : 0;
    limits.name = kind == StressKind::tension ? "tension" : "compression";
    responses.push_back(std::make_shared<StressShare<D>>(problem.grid, limits));
  }
  if (D == 3)
    responses.push_back(std::make_shared<FaceMotions>("turn", FaceMotion{end, {}, true, {}}, order));
  for (const auto& response : responses)
    for (std::size_t k = 0; k < (response->modes() > 0 ? 1 : problem.cases.size()); ++k)
      problem.limits.push_back({response, k, k == 0 ? LimitSense::atMost : LimitSense::atLeast, 1});
  GradientCheckOptions options;
  options.cells = 6;
  const std::vector<GradientCheck> checks = checkGradients(problem, options);
  ASSERT_EQ(checks.size(), 2 + problem.limits.size());
  for (const GradientCheck& check : checks)
    EXPECT_LT(check.error, 1e-6) << check.name << " in cell " << check.cell << ": " << check.derivative
                                 << ", not " << check.difference;
}

TEST(LimitValues, haveTheDerivativesOfDifferences) {
  testing::Bracket bracket;
  bracket.problem.cellMass.assign(bracket.grid.cellCount(), 2.7e-6);
  expectDerivativesOfLimits(bracket.problem, 14);
  Sheet sheet(16, 8, {1, -2}, 3, 5);
  sheet.problem.cellMass.assign(sheet.grid.cellCount(), 1);
  expectDerivativesOfLimits(sheet.problem, 16);
}

// Of stress alone, which stiffness leads while the layout is grey.
TEST(Goals, ofStressHaveTheDerivativesOfDifferences) {
  testing::Bracket bracket;
  LayoutProblem<3>& problem = bracket.problem;
  problem.goal = {GoalForm::worst,
                  std::make_shared<StressShare<3>>(bracket.grid, limitsFor(bracket.grid, problem.material)),
                  {1, 1}};
  for (const double sharpness : {4.0, 6.0}) {
    GradientCheckOptions options;
    options.reading.sharpness = sharpness;
    options.cells = 4;
    options.step = 2e-3;
    for (const GradientCheck& check : checkGradients(problem, options))
      EXPECT_LT(check.error, 1e-6) << check.name << " at sharpness " << sharpness << " in cell "
                                   << check.cell;
  }
}

// A blend counts its terms by what they are for the full domain, the thinner layout by its compliance.
TEST(Goals, ofSeveralKindsHaveTheDerivativesOfDifferences) {
  testing::Bracket bracket;
  LayoutProblem<3>& problem = bracket.problem;
  problem.cellMass.assign(bracket.grid.cellCount(), 2.7e-6);
  problem.goal.perFull = true;
  problem.goal.response = std::make_shared<Joined>(std::vector<std::shared_ptr<const Response>>{
      std::make_shared<Compliances>(), std::make_shared<NaturalPeriods>(),
      std::make_shared<StressShare<3>>(bracket.grid, limitsFor(bracket.grid, problem.material))});
  problem.goal.weights = {0.5, 0.2, 1, 0.3, 0};
  for (const GradientCheck& check : checkGradients(problem))
    EXPECT_LT(check.error, 1e-6) << check.name << " in cell " << check.cell << ": " << check.derivative
                                 << ", not " << check.difference;
}

// The dual problem: of all layouts as heavy as the lightest none is stiffer. The stiffest of a mass moves its
// load by d; the lightest that moves it by d has that mass. (A local optimum on either side costs a little.)
TEST(Lightest, underADisplacementBoundIsTheStiffestOfItsMass) {
  for (const double fraction : {0.4, 0.5}) {
    Sheet sheet(60, 30, {0, -1}, 15, 15);
    sheet.problem.massFraction = fraction;
    const OptimiseResult stiffest = optimiseLayout<2>(sheet.problem, {});
    ASSERT_EQ(stiffest.stop, OptimiseStop::settled);
    FaceTies load;
    load.weights = {{static_cast<std::size_t>(sheet.grid.nodeAt({60, 15})), 1}};
    load.close({{60, 15, 0}, Vec3::UnitX(), 1});
    const FaceMotions moves("load", {load}, dofOrder(sheet.grid));
    GridAnalysis<2> analysis(sheet.grid, sheet.problem.material, sheet.problem.cases, sheet.problem.fill, {});
    CaseStates states = analysis.rest();
    analysis.attempt(stiffest.density, states);
    const double bound = moves.values({analysis, states})[0];
    sheet.sought(std::make_shared<FaceMotions>(moves), 1 / bound);
    sheet.problem.massFraction = 0.4;
    const OptimiseResult lightest = optimiseLayout<2>(sheet.problem, {});
    EXPECT_EQ(lightest.stop, OptimiseStop::settled);
    EXPECT_NEAR(lightest.values[0] / bound, 1, 0.0051);
    EXPECT_NEAR(lightest.massFraction / fraction, 1, 0.03);
  }
}

// A pulled tie: the lightest that bears F at a stress S is as wide as F / S, all of it as stressed. (In
// longer spaces designs end in ties of two legs, a fifth heavier: stress has many local optima.)
TEST(Lightest, underAStressBoundIsFullyStressed) {
  struct Space {
    int length, height;
    double heavier;
  };
  for (const Space& space : {Space{60, 30, 0.03}, Space{40, 30, 0.03}, Space{60, 20, 0.1}}) {
    const int width = space.length == 40 ? 10 : 12;
    const int low = (space.height - width) / 2;
    Sheet sheet(space.length, space.height, {1, 0}, low, low + width);
    sheet.problem.material.poisson = 0;  // else its held end is stressed across
    // A unit of force on each cell of a strip: with a stress of one allowed all of it is needed, if g is the
    // stress of what is stressed: a mean of high power over a share of the volume.
    const StressLimits limits = limitsFor(sheet.grid, sheet.problem.material);
    const double share = static_cast<double>(width) / space.height;
    const double bound = std::pow(share / kFullest, 1 / kPower);
    sheet.sought(std::make_shared<StressShare<2>>(sheet.grid, limits), 1 / bound);
    const OptimiseResult result = optimiseLayout<2>(sheet.problem, {});
    EXPECT_EQ(result.stop, OptimiseStop::settled);
    EXPECT_LT(result.massFraction / share, 1 + space.heavier);
    EXPECT_GT(result.massFraction / share, 0.97);
    EXPECT_NEAR(result.values[0] / bound, 1, 0.0051);
  }
}

// Trusses of known mass. A force F at a distance L from a wall, along it: of all structures two bars at 45
// degrees bear it with least material (Michell 1904), which moves it by d with a volume of 4 F L^2 / (E d).
// Where in another case the force pulls away from the wall and is to move it by c, a third bar lies between
// them: with areas A = sqrt(2) F L / (E d) and B = F L / (E c) - A / sqrt(2) both are just held.
TEST(Lightest, comesToTrussesOfKnownMass) {
  for (const int length : {40, 60}) {
    for (const bool three : {false, true}) {
      const int height = 5 * length / 2;
      Sheet sheet(length, height, {0, -1}, height / 2, height / 2);
      sheet.problem.making = {Walls{0.075 * length}};
      const double width = 0.15 * length;
      const double down = std::sqrt(2) * length / width;
      double volume = 2 * std::sqrt(2) * length * width;
      sheet.sought(sheet.moves(height / 2 - 1, height / 2 + 1), 1 / down);
      if (three) {
        GridCase<2> out = sheet.problem.cases.front();
        out.name = "out";
        out.force.clear();
        const int node = sheet.grid.nodeAt({length, height / 2});
        out.force[gridDof(sheet.grid, static_cast<std::size_t>(node), 0)] = 1;
        sheet.problem.cases.push_back(out);
        sheet.problem.goal.weights.push_back((1 + 1 / std::sqrt(2)) * width / length);
        volume += length * width;
      }
      const OptimiseResult result = optimiseLayout<2>(sheet.problem, {});
      EXPECT_EQ(result.stop, OptimiseStop::settled) << describe(result.stop) << result.where;
      const double truss = volume / (length * height);
      EXPECT_NEAR(result.massFraction / truss, 1, 0.1) << length << three;
      const double worst =
          std::max(result.values[0] / down, three ? result.values[1] * sheet.problem.goal.weights[1] : 0.0);
      EXPECT_NEAR(worst, 1, 0.0051);
    }
  }
}

TEST(Lightest, tellsOfWhatNoMassCanHold) {
  Sheet sheet(30, 12, {0, -1}, 6, 6);
  FaceTies load = nodesAt(sheet.grid, 0, 30);
  sheet.sought(std::make_shared<FaceMotions>("end", FaceMotion{load}, dofOrder(sheet.grid)), 1 / 1e-3);
  try {
    optimiseLayout<2>(sheet.problem, {});
    ADD_FAILURE() << "it was designed";
  } catch (const RunError& error) {
    EXPECT_NE(std::string(error.what()).find("end_in_load_m is"), std::string::npos) << error.what();
  }
  sheet.problem.goal = {};
  EXPECT_THROW(optimiseLayout<2>(sheet.problem, {}), InputError) << "lightest without a goal";
}

/// The value of a response at a layout, solved tightly.
double valueAt(const LayoutProblem<2>& problem, const Response& response,
               const std::vector<double>& density) {
  GridAnalysis<2> analysis(problem.grid, problem.material, problem.cases, problem.fill, {}, problem.cellMass);
  analysis.setTolerance(1e-12);
  CaseStates states = analysis.rest();
  analysis.attempt(density, states, response.modes());
  return response.values({analysis, states})[0];
}

// Limits beside a mass: what the stiffest layout does not hold is held at a price, whatever it is; what it
// holds anyway costs next to nothing.
TEST(Limits, areHeldBesideAMass) {
  Sheet plain(60, 30, {0, -1}, 15, 15);
  plain.problem.massFraction = 0.45;
  plain.problem.cellMass.assign(plain.grid.cellCount(), 1);
  const OptimiseResult stiffest = optimiseLayout<2>(plain.problem, {});
  ASSERT_EQ(stiffest.stop, OptimiseStop::settled);
  const DofOrder order = dofOrder(plain.grid);
  const std::vector<std::shared_ptr<const Response>> responses{
      std::make_shared<NaturalPeriods>(),
      std::make_shared<FaceMotions>(
          "tilt", FaceMotion{nodesAt(plain.grid, 0, 60, 14, 16), {}, true, Vec3::UnitZ()}, order),
      std::make_shared<StressShare<2>>(plain.grid, limitsFor(plain.grid, plain.problem.material))};
  const double shares[]{0.93, 0.7, 0.9};
  for (std::size_t r = 0; r < responses.size(); ++r) {
    const double found = valueAt(plain.problem, *responses[r], stiffest.density);
    LayoutProblem<2> problem = plain.problem;
    problem.limits = {{responses[r], 0, LimitSense::atMost, 1.3 * found}};
    const OptimiseResult loose = optimiseLayout<2>(problem, {});
    EXPECT_EQ(loose.stop, OptimiseStop::settled) << r;
    EXPECT_NEAR(loose.nominal / stiffest.nominal, 1, 0.03) << r;
    const double bound = shares[r] * found;
    problem.limits.front().bound = bound;
    const OptimiseResult held = optimiseLayout<2>(problem, {});
    EXPECT_EQ(held.stop, OptimiseStop::settled) << r << ": " << describe(held.stop) << held.where;
    EXPECT_LT(valueAt(problem, *responses[r], held.density), 1.006 * bound) << r;
    EXPECT_GT(held.nominal, 0.99 * stiffest.nominal) << r;
    EXPECT_LT(held.nominal, 1.6 * stiffest.nominal) << r;
    EXPECT_NEAR(held.massFraction, 0.45, 1e-6) << r;
  }
}

// The L-shaped bracket of the literature on stress (Le, Norato, Bruns, Ha & Tortorelli 2010): the stiffest
// layout fills its inner corner, where no mesh finds an end of the stress; the one of least stress goes round
// it.
TEST(LeastStress, roundsOffTheInnerCorner) {
  constexpr int n = 100;
  constexpr int leg = 40;
  LayoutProblem<2> problem;
  problem.grid = testing::gridWhere<2>({n, n}, 1, [](const Index<2>& i) { return i[0] < leg || i[1] < leg; });
  problem.material = {"unit", 1, 0.3, 1, 1};
  const std::size_t cells = problem.grid.cellCount();
  problem.fill.assign(cells, 1.0);
  problem.keep.assign(cells, 0);
  const auto held = testing::holdWhere<2>(problem.grid, [](const Index<2>& i) { return i[1] == n; });
  GridCase<2> load{"tip", 1, {}, supportsOf<2>(problem.grid, held)};
  for (int y = leg - 8; y <= leg; ++y)
    load.force[gridDof(problem.grid, static_cast<std::size_t>(problem.grid.nodeAt({n, y})), 1)] = -1.0 / 9;
  problem.cases = {load};
  StressLimits limits = limitsFor(problem.grid, problem.material);
  for (std::size_t c = 0; c < cells; ++c) {
    const Index<2>& i = problem.grid.cellIndex(c);
    problem.keep[c] = i[0] >= n - 8 && i[1] >= leg - 8;
    if (i[0] >= n - 10 && i[1] >= leg - 10) limits.volume[c] = 0;  // close to the load
  }
  problem.massFraction = 0.4;
  problem.making = {Walls{3.0, FilterBoundary::reflecting}};
  const OptimiseResult stiffest = optimiseLayout<2>(problem, {});
  ASSERT_EQ(stiffest.stop, OptimiseStop::settled);
  const auto stress = std::make_shared<StressShare<2>>(problem.grid, limits);
  problem.goal = {GoalForm::worst, stress, {1}};
  const OptimiseResult least = optimiseLayout<2>(problem, {});
  EXPECT_EQ(least.stop, OptimiseStop::settled) << describe(least.stop) << least.where;
  const auto atCorner = [&](const OptimiseResult& result) {
    const std::vector<double> shares = stress->shares(result.density, result.displacements[0]);
    double most = 0;
    for (std::size_t c = 0; c < cells; ++c) {
      const Index<2>& i = problem.grid.cellIndex(c);
      if (std::abs(i[0] - leg) < 4 && std::abs(i[1] - leg) < 4) most = std::max(most, shares[c]);
    }
    return most;
  };
  EXPECT_LT(atCorner(least), 0.6 * atCorner(stiffest));
  EXPECT_LT(valueAt(problem, *stress, least.density), 0.7 * valueAt(problem, *stress, stiffest.density));
  EXPECT_LT(least.nominal, 1.2 * stiffest.nominal);
}

// A bound that hardly bounds: what members of the smallest size weigh, and no less.
TEST(Lightest, keepsItsMembersWhereLimitsAskForNextToNothing) {
  Sheet sheet(50, 30, {0, -1}, 15, 15);
  sheet.sought(sheet.moves(14, 16), 1e-9);
  const OptimiseResult result = optimiseLayout<2>(sheet.problem, {});
  EXPECT_TRUE(result.stop == OptimiseStop::settled) << describe(result.stop) << result.where;
  EXPECT_LT(result.values[0] * 1e-9, 0.1);
  EXPECT_TRUE(std::isfinite(result.blackAndWhite));
  EXPECT_GT(result.massFraction, 0.03);
}

// Grey layouts are soft, so they hold their limits only with mass that is not needed later: a sheet begins
// anew with less, and keeps to it until it is firm.
TEST(Lightest, beginsASheetAnewWithLessThanItNeededWhileGrey) {
  Sheet sheet(60, 30, {0, -1}, 15, 15);
  sheet.sought(sheet.moves(14, 16), 1 / 100.0);
  double grey = 0;   // mass of the first way's last layout
  double anew = 0;   // of the second one's first
  double moved = 0;  // what that changes by until it is firm
  const OptimiseResult result = optimiseLayout<2>(sheet.problem, {}, [&](const IterationView& view) {
    const IterationRecord& record = view.record;
    if (view.state.attempt == 0) grey = record.takenBack ? grey : record.massFraction;
    if (view.state.attempt == 0 || record.sharpness > 7.9) return true;
    if (anew == 0) anew = record.massFraction;
    moved = std::max(moved, std::abs(record.massFraction - anew));
    return true;
  });
  EXPECT_EQ(result.stop, OptimiseStop::settled);
  EXPECT_NEAR(anew / grey, 0.85, 0.01);
  EXPECT_LT(moved, 1e-6);
  EXPECT_LT(result.massFraction, grey);
  EXPECT_NEAR(result.values[0] / 100, 1, 0.0051);
}

// Stopped and gone on with: the same bits. Gone on with under a tighter bound: heavier, from what was found.
TEST(Lightest, goesOnFromAState) {
  Sheet sheet(40, 20, {0, -1}, 10, 10);
  sheet.sought(sheet.moves(9, 11), 1 / 70.0);
  OptimiseState middle;
  OptimiseState last;
  const OptimiseResult whole = optimiseLayout<2>(sheet.problem, {}, [&](const IterationView& view) {
    if (view.record.iteration == 12) middle = view.state;
    if (view.last) last = view.state;
    return true;
  });
  ASSERT_EQ(whole.stop, OptimiseStop::settled);
  EXPECT_EQ(optimiseLayout<2>(sheet.problem, {}, {}, &middle).density, whole.density);
  LayoutProblem<2> tighter = sheet.problem;
  tighter.goal.weights[0] *= 1.2;
  EXPECT_THROW(optimiseLayout<2>(tighter, {}, {}, &last), InputError) << "another problem";
  const OptimiseState again = reopened(last, tighter);
  const OptimiseResult heavier = optimiseLayout<2>(tighter, {}, {}, &again);
  EXPECT_EQ(heavier.stop, OptimiseStop::settled);
  EXPECT_GT(heavier.massFraction, 1.05 * whole.massFraction);
  EXPECT_NEAR(heavier.values[0] * tighter.goal.weights[0], 1, 0.0051);
  const OptimiseResult fresh = optimiseLayout<2>(tighter, {});
  EXPECT_NEAR(heavier.massFraction / fresh.massFraction, 1, 0.06);
}

}  // namespace
}  // namespace barelattice
