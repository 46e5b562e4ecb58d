#include <gtest/gtest.h>

#include <Eigen/SparseCholesky>
#include <cmath>
#include <limits>
#include <random>
#include <set>

#include "barelattice/base/error.hpp"
#include "barelattice/base/thread_limit.hpp"
#include "barelattice/meshes/vec.hpp"
#include "barelattice/voxels/elastic_model.hpp"
#include "solve/conjugate_gradients.hpp"
#include "support/grids.hpp"
#include "voxels/voxel_hierarchy.hpp"

namespace barelattice {
namespace {

const Material kMaterial{"test", 70e9, 0.3, 2700, 240e6};

/// Adds a traction (N/m2) on the face of the grid where coordinate `axis` is greatest, shared by node area.
void addTraction(const Grid<3>& grid, int axis, const Vec3& traction, std::vector<double>& f) {
  const auto a = static_cast<std::size_t>(axis);
  const double share = grid.frame().size * grid.frame().size / 4;
  for (std::size_t c = 0; c < grid.cellCount(); ++c) {
    if (grid.cellIndex(c)[a] + 1 != grid.frame().cells[a]) continue;
    const auto nodes = grid.cellNodes(c);
    for (int corner = 0; corner < 8; ++corner) {
      if (!(corner >> axis & 1)) continue;
      for (int i = 0; i < 3; ++i)
        f[gridDof(grid, static_cast<std::size_t>(nodes[static_cast<std::size_t>(corner)]), i)] +=
            share * traction[i];
    }
  }
}

// Constant strain, exact in every element: a bar pulled along x with its cross-section free to shrink.
// Five loads, the first of them nothing: more than pass over the stiffness together, and some done before
// others.
TEST(ElasticModel, solvesCasesTogetherAsAlone) {
  const Grid<3> grid = testing::boxGrid<3>({21, 9, 10}, 1e-3);
  ElasticModel<3> model(grid, kMaterial,
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  std::vector<double> shares(grid.cellCount());
  for (std::size_t c = 0; c < shares.size(); ++c)
    shares[c] = grid.cellIndex(c)[0] % 7 < 4 && grid.cellIndex(c)[1] > 4 ? 1e-6 : 1;
  model.setRelativeModuli(shares);
  std::vector<Forces> loads(5);
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    if (grid.nodeIndex(n)[0] != 21) continue;
    for (int c = 0; c < 3; ++c) loads[static_cast<std::size_t>(c) + 1][gridDof(grid, n, c)] = 100;
    loads[4][gridDof(grid, n, 2)] = grid.nodeIndex(n)[1] - 4;
  }
  const SolveOptions options{1e-9, 200};
  std::vector<std::vector<double>> together(loads.size(), std::vector<double>(model.size(), 0.0));
  std::vector<LoadedField> fields;
  for (std::size_t k = 0; k < loads.size(); ++k) fields.push_back({&loads[k], together[k]});
  const std::vector<SolveReport> reports = model.solve(fields, options);
  ASSERT_EQ(reports.size(), loads.size());
  std::set<int> iterations;
  for (std::size_t k = 0; k < loads.size(); ++k) {
    std::vector<double> alone(model.size(), 0.0);
    const SolveReport report = model.solve(loads[k], alone, options);
    EXPECT_EQ(reports[k].stop, k == 0 ? SolveStop::zeroLoad : SolveStop::converged);
    EXPECT_EQ(report.iterations, reports[k].iterations);
    EXPECT_EQ(report.work, reports[k].work);
    EXPECT_EQ(alone, together[k]);
    iterations.insert(report.iterations);
  }
  EXPECT_GT(iterations.size(), 2U);
}

TEST(ElasticModel, passesTheConstantStrainPatchTest) {
  const double h = 0.01;
  const Grid<3> grid = testing::boxGrid<3>({5, 3, 4}, h);
  std::vector<std::size_t> held;
  for (int c = 0; c < 3; ++c)  // three symmetry planes
    for (std::size_t n = 0; n < grid.nodeCount(); ++n)
      if (grid.nodeIndex(n)[static_cast<std::size_t>(c)] == 0) held.push_back(gridDof(grid, n, c));
  ElasticModel<3> model(grid, kMaterial, held);
  std::vector<double> f(model.size(), 0.0), u(model.size(), 0.0);
  const double stress = 1e8;
  addTraction(grid, 0, {stress, 0, 0}, f);
  const SolveReport report = model.solve(forcesOf(f), u, {1e-20, 200});
  EXPECT_TRUE(report.succeeded());
  const double strain = stress / kMaterial.modulus;
  const double size = strain * 0.05;
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    const Vec3 p = grid.nodePosition(n);
    EXPECT_NEAR(u[gridDof(grid, n, 0)], strain * p.x(), 1e-8 * size);
    EXPECT_NEAR(u[gridDof(grid, n, 1)], -kMaterial.poisson * strain * p.y(), 1e-8 * size);
    EXPECT_NEAR(u[gridDof(grid, n, 2)], -kMaterial.poisson * strain * p.z(), 1e-8 * size);
  }
}

// Tip deflection of a cantilever by Timoshenko's beam, P L^3 / 3 E I + P L / kappa G A with Cowper's (1966)
// kappa = 10 (1 + nu) / (12 + 11 nu), clamped so that the section may shrink. Error against the converged
// value by extrapolation falls at the second order of trilinear bricks.
double tipDeflection(int cellsHigh) {
  const double height = 0.02;
  const double length = 0.2;
  const double h = height / cellsHigh;
  const Grid<3> grid = testing::boxGrid<3>({10 * cellsHigh, cellsHigh, cellsHigh}, h);
  std::vector<std::size_t> held;
  for (int c = 0; c < 3; ++c)
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      const Index<3>& i = grid.nodeIndex(n);
      const bool middle = c == 0 || (c == 1 && 2 * i[1] == cellsHigh) || (c == 2 && 2 * i[2] == cellsHigh);
      if (i[0] == 0 && middle) held.push_back(gridDof(grid, n, c));
    }
  ElasticModel<3> model(grid, kMaterial, held);
  std::vector<double> f(model.size(), 0.0), u(model.size(), 0.0);
  const double force = 100;
  addTraction(grid, 0, {0, 0, force / (height * height)}, f);
  EXPECT_TRUE(model.solve(forcesOf(f), u, {1e-14, 400}).succeeded());
  const double inertia = std::pow(height, 4) / 12;
  const double shear = kMaterial.modulus / (2 * (1 + kMaterial.poisson));
  const double kappa = 10 * (1 + kMaterial.poisson) / (12 + 11 * kMaterial.poisson);
  const double theory = force * std::pow(length, 3) / (3 * kMaterial.modulus * inertia) +
                        force * length / (kappa * shear * height * height);
  double work = 0;
  for (std::size_t i = 0; i < f.size(); ++i) work += f[i] * u[i];
  return work / force / theory;
}

TEST(ElasticModel, cantileverConvergesToTimoshenkoAtSecondOrder) {
  const double coarse = tipDeflection(4);
  const double middle = tipDeflection(8);
  const double fine = tipDeflection(16);
  EXPECT_NEAR(fine, 1, 0.01);
  EXPECT_NEAR(std::log2((middle - coarse) / (fine - middle)), 2, 0.2);
}

struct Layout {
  const char* name;
  std::function<bool(const Index<3>&)> solid;
  int mostIterations;
};

std::vector<double> sharesOf(const Grid<3>& grid, const Layout& layout, double empty) {
  std::vector<double> shares(grid.cellCount());
  for (std::size_t c = 0; c < shares.size(); ++c) shares[c] = layout.solid(grid.cellIndex(c)) ? 1 : empty;
  return shares;
}

const std::vector<Layout>& layouts() {
  static const std::vector<Layout> all{
      {"uniform", [](const Index<3>&) { return true; }, 14},
      {"lattice", [](const Index<3>& i) { return (i[0] % 12 < 3) + (i[1] % 12 < 3) + (i[2] % 12 < 3) >= 2; },
       40},
      {"islands",
       [](const Index<3>& i) { return i[2] < 4 || (i[0] % 6 < 2 && i[1] % 6 < 2 && i[2] % 6 < 2); }, 40},
  };
  return all;
}

SolveReport solveBent(int cells, const Layout& layout, double empty, std::vector<double>& u) {
  const Grid<3> grid = testing::boxGrid<3>({2 * cells, cells, cells}, 1e-3);
  ElasticModel<3> model(grid, kMaterial,
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  model.setRelativeModuli(sharesOf(grid, layout, empty));
  std::vector<double> f(model.size(), 0.0);
  u.assign(model.size(), 0.0);
  // Only solid is pushed: on empty material the load's own dent would be all of the compliance.
  for (std::size_t c = 0; c < grid.cellCount(); ++c)
    if (grid.cellIndex(c)[0] + 1 == 2 * cells && layout.solid(grid.cellIndex(c)))
      for (const int n : grid.cellNodes(c)) f[gridDof(grid, static_cast<std::size_t>(n), 2)] = 1;
  return model.solve(forcesOf(f), u, {1e-8, 200});
}

TEST(ElasticModel, iterationsStayBoundedAsTheGridIsRefined) {
  std::vector<double> u;
  for (const Layout& layout : layouts())
    for (const int cells : {12, 24, 48}) {
      const SolveReport report = solveBent(cells, layout, 1e-9, u);
      EXPECT_TRUE(report.succeeded()) << layout.name << ", " << cells;
      EXPECT_LE(report.iterations, layout.mostIterations) << layout.name << ", " << cells;
    }
}

// From zero, bars of one voxel take W-cycles; from the solution there is next to nothing left to do, and the
// solve after that tries the cheaper ones again.
TEST(ElasticModel, takesTheCycleTheConvergenceAsksFor) {
  const Grid<3> grid = testing::boxGrid<3>({24, 12, 12}, 1e-3);
  ElasticModel<3> model(grid, kMaterial,
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  const auto bars = [](const Index<3>& i) { return (i[0] % 6 < 1) + (i[1] % 6 < 1) + (i[2] % 6 < 1) >= 2; };
  model.setRelativeModuli(sharesOf(grid, {"bars", bars, 0}, 1e-9));
  Forces f;
  f[gridDof(grid, static_cast<std::size_t>(grid.nodeAt({24, 6, 6})), 2)] = 1;
  std::vector<double> u(model.size(), 0.0);
  EXPECT_EQ(model.cycle(), Cycle::v);
  const SolveReport slow = model.solve(f, u, {1e-8, 400});
  EXPECT_GT(slow.strengthenedAt, 0);
  EXPECT_EQ(model.cycle(), Cycle::w);
  const SolveReport quick = model.solve(f, u, {1e-3, 400});
  EXPECT_LE(quick.iterations, 4);
  EXPECT_EQ(quick.strengthenedAt, 0);
  EXPECT_EQ(model.cycle(), Cycle::v);
}

// Pieces that hang on material a billion times lighter can move with next to no energy. However the coarse
// matrices round, the cycle must not come out indefinite for it. These heaps of loose cubes are the ones of
// sixty for which it did, before the bottom was shifted.
TEST(Multigrid, staysPositiveDefiniteWithPiecesInLightMaterial) {
  for (const unsigned seed : {1U, 10U, 18U, 52U, 57U}) {
    std::mt19937 random(seed);
    std::normal_distribution<double> normal;
    std::uniform_int_distribution<int> any(0, 1000);
    const int s = static_cast<int>(seed);
    const Index<3> cells{24 + 8 * (s % 3), 12 + 4 * (s % 4), 12 + 4 * (s % 2)};
    const Grid<3> grid = testing::boxGrid<3>(cells);
    std::vector<double> shares(grid.cellCount(), 1e-9);
    for (int cube = 0; cube < 2 + s % 9; ++cube) {
      Index<3> low{};
      for (std::size_t a = 0; a < 3; ++a) low[a] = any(random) % cells[a];
      const int edge = 3 + any(random) % 9;
      for (std::size_t c = 0; c < shares.size(); ++c) {
        bool inside = true;
        for (std::size_t a = 0; a < 3; ++a)
          inside = inside && grid.cellIndex(c)[a] >= low[a] && grid.cellIndex(c)[a] < low[a] + edge;
        if (inside) shares[c] = 1;
      }
    }
    const auto held = testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0 && i[1] < 3; });
    VoxelOperator<3> fine(grid, 0.3, supportsOf<3>(grid, held));
    fine.setScales(shares);
    VoxelHierarchy<3> hierarchy(fine);
    hierarchy.renew();
    std::vector<double> r(3 * grid.nodeCount()), z(r.size());
    for (int trial = 0; trial < 20; ++trial) {
      for (double& value : r) value = normal(random);
      if (trial % 2)  // everything pushed one way
        for (std::size_t n = 0; n < grid.nodeCount(); ++n)
          for (int i = 0; i < 3; ++i) r[gridDof(grid, n, i)] = trial / 2 % 3 == i ? 1 : 0;
      for (const std::size_t dof : held) r[dof] = 0;
      hierarchy.multigrid().apply(std::span<const double>(r), z);
      double product = 0;
      for (std::size_t i = 0; i < r.size(); ++i) product += r[i] * z[i];
      EXPECT_GT(product, 0) << "seed " << seed << ", trial " << trial;
    }
  }
}

TEST(ElasticModel, estimateOfTheErrorHoldsAgainstADirectSolve) {
  const Grid<3> grid = testing::boxGrid<3>({13, 7, 6}, 1e-3);
  const auto held = testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; });
  for (const Layout& layout : layouts()) {
    const std::vector<double> shares = sharesOf(grid, layout, 1e-6);
    VoxelOperator<3> a(grid, kMaterial.poisson, supportsOf<3>(grid, held));
    a.setScales(shares);
    const auto n = static_cast<Eigen::Index>(a.size());
    std::vector<Eigen::Triplet<double>> entries;  // column by column
    std::vector<double> x(a.size(), 0.0), y(a.size());
    std::vector<char> isHeld(a.size(), 0);
    for (const std::size_t dof : held) isHeld[dof] = 1;
    for (std::size_t j = 0; j < a.size(); ++j) {
      if (isHeld[j]) {
        entries.emplace_back(j, j, 1.0);
        continue;
      }
      x[j] = 1;
      a.apply<double>(x, y);
      x[j] = 0;
      for (std::size_t i = 0; i < a.size(); ++i)
        if (y[i] != 0) entries.emplace_back(i, j, y[i]);
    }
    Eigen::SparseMatrix<double> matrix(n, n);
    matrix.setFromTriplets(entries.begin(), entries.end());
    const Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> direct(matrix);
    Eigen::VectorXd f = Eigen::VectorXd::Zero(n);
    for (std::size_t node = 0; node < grid.nodeCount(); ++node)
      if (grid.nodeIndex(node)[0] == 13) f[static_cast<Eigen::Index>(gridDof(grid, node, 2))] = 1;
    const double exact = f.dot(direct.solve(f)) / (kMaterial.modulus * 1e-3);
    ElasticModel<3> model(grid, kMaterial, held);
    model.setRelativeModuli(shares);
    for (const double tolerance : {1e-3, 1e-5, 1e-7}) {
      std::vector<double> u(a.size(), 0.0);
      const SolveReport report = model.solve(forcesOf({f.data(), a.size()}), u, {tolerance, 200});
      ASSERT_TRUE(report.succeeded()) << layout.name;
      EXPECT_NEAR(report.work / exact, 1, tolerance)
          << layout.name;  // the energy error is the error of the compliance
    }
  }
}

TEST(ElasticModel, balancesEnergyAndReactions) {
  const Grid<3> grid = testing::boxGrid<3>({24, 12, 12}, 1e-3);
  ElasticModel<3> model(grid, kMaterial,
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  std::vector<double> f(model.size(), 0.0), u(model.size(), 0.0);
  addTraction(grid, 0, {1e6, -2e6, 3e6}, f);
  constexpr double kTolerance = 1e-12;
  const SolveReport report = model.solve(forcesOf(f), u, {kTolerance, 200});
  std::vector<double> balance = model.internalForces(u);
  for (std::size_t dof = 0; dof < f.size(); ++dof) balance[dof] -= f[dof];
  for (int c = 0; c < 3; ++c) {
    double applied = 0;
    double carried = 0;
    for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
      applied += f[gridDof(grid, n, c)];
      if (grid.nodeIndex(n)[0] == 0) carried += balance[gridDof(grid, n, c)];
    }
    EXPECT_NEAR(carried, -applied, 10 * std::sqrt(kTolerance) * 3e6 * 144e-6) << "component " << c;
  }
  std::vector<double> energies(grid.cellCount());
  model.fullCellEnergies(u, energies);
  double stored = 0;
  for (const double e : energies) stored += e;
  double applied = 0;
  for (std::size_t i = 0; i < f.size(); ++i) applied += f[i] * u[i];
  EXPECT_NEAR(stored, 2 * applied - report.work,
              1e-12 * report.work);  // u^T A u, whatever is left of f - A u
  EXPECT_NEAR(stored / report.work, 1, 2 * std::sqrt(kTolerance));
}

TEST(ElasticModel, givesTheSameBitsOnAnyNumberOfThreads) {
  std::vector<double> one;
  for (const std::size_t threads : {1U, 2U, 4U, 8U}) {
    const ThreadLimit limit(threads);
    std::vector<double> u;
    solveBent(20, layouts()[1], 1e-9, u);
    if (threads == 1) one = u;
    EXPECT_EQ(u, one) << threads << " threads";
  }
}

// The reported work is the compliance minus the squared energy norm of the error, also from a start that is
// not zero (from zero the correction vanishes, since residuals of conjugate gradients are orthogonal to the
// solution so far).
TEST(ConjugateGradients, workIsCorrectToSecondOrderFromAnyStart) {
  const std::vector<double> diagonal{1, 3, 10, 40, 90, 200};
  const LinearMap a = [&](std::span<const double> x, std::span<double> y) {
    for (std::size_t i = 0; i < x.size(); ++i) y[i] = diagonal[i] * x[i];
  };
  const LinearMap same = [](std::span<const double> x, std::span<double> y) {
    std::copy(x.begin(), x.end(), y.begin());
  };
  const std::vector<double> f(6, 1.0);
  std::vector<double> u{0.8, 0.5, 0.2, -0.1, 0.3, 0.1};
  const SolveReport report = solveConjugateGradients(a, same, f, u, {1e-12, 1});
  double exact = 0;
  double error = 0;
  for (std::size_t i = 0; i < 6; ++i) {
    exact += 1 / diagonal[i];
    error += diagonal[i] * (u[i] - 1 / diagonal[i]) * (u[i] - 1 / diagonal[i]);
  }
  EXPECT_GT(error, 0.01);
  EXPECT_NEAR(report.work, exact - error, 1e-12);
}

TEST(ElasticModel, namesWhyItStops) {
  std::vector<double> u;
  const Grid<3> grid = testing::boxGrid<3>({8, 4, 4}, 1e-3);
  ElasticModel<3> model(grid, kMaterial,
                        testing::holdWhere<3>(grid, [](const Index<3>& i) { return i[0] == 0; }));
  u.assign(model.size(), 1.0);
  std::vector<double> f(model.size(), 0.0);
  EXPECT_EQ(model.solve(forcesOf(f), u, {}).stop, SolveStop::zeroLoad);
  EXPECT_EQ(u[5], 0);
  f[gridDof(grid, grid.nodeCount() - 1, 2)] = 1;
  EXPECT_EQ(model.solve(forcesOf(f), u, {1e-12, 2}).stop, SolveStop::limit);
  f[gridDof(grid, grid.nodeCount() - 1, 2)] = std::numeric_limits<double>::quiet_NaN();
  EXPECT_THROW(model.solve(forcesOf(f), u, {}), InputError);
  const auto same = [](std::span<const double> x, std::span<double> y) {
    std::copy(x.begin(), x.end(), y.begin());
  };
  const auto negative = [](std::span<const double> x, std::span<double> y) {
    for (std::size_t i = 0; i < x.size(); ++i) y[i] = -x[i];
  };
  std::vector<double> start(f.size(), 0.0);
  EXPECT_EQ(solveConjugateGradients(negative, same, f, start, {}).stop, SolveStop::indefinite);
  for (const SolveStop stop : {SolveStop::converged, SolveStop::zeroLoad, SolveStop::limit,
                               SolveStop::stagnated, SolveStop::indefinite})
    EXPECT_FALSE(describe(stop).empty());
}

}  // namespace
}  // namespace barelattice
