// The levels below the voxels, each against the product it stands for.

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "barelattice/meshes/vec.hpp"
#include "barelattice/voxels/elastic_model.hpp"
#include "support/direct.hpp"
#include "support/grids.hpp"
#include "voxels/stencil_operator.hpp"
#include "voxels/voxel_hierarchy.hpp"

namespace barelattice {
namespace {

std::vector<double> randomScales(std::size_t count) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> any(-1, 1);
  std::vector<double> scales(count);
  for (double& s : scales) s = std::pow(10, any(random));
  return scales;
}

template <int D>
Grid<D> halved(const Grid<D>& fine) {
  Index<D> cells = fine.frame().cells;
  for (int& n : cells) n = (n + 1) / 2;
  return testing::gridWhere<D>(cells, 2 * fine.frame().size, [&](const Index<D>& at) {
    for (int child = 0; child < kCorners<D>; ++child) {
      Index<D> voxel = at;
      for (std::size_t i = 0; i < D; ++i) voxel[i] = 2 * at[i] + (child >> i & 1);
      if (fine.cellAt(voxel) >= 0) return true;
    }
    return false;
  });
}

/// Values of the trilinear field with the given coarse nodal values at a fine node.
template <int D>
double interpolated(const Grid<D>& fine, std::size_t node, const Grid<D>& coarse,
                    const std::vector<float>& values, int component) {
  double sum = 0;
  for (int corner = 0; corner < kCorners<D>; ++corner) {
    Index<D> at = fine.nodeIndex(node);
    double weight = 1;
    for (std::size_t i = 0; i < D; ++i) {
      const bool odd = at[i] % 2;
      const bool far = corner >> i & 1;
      weight *= odd ? 0.5 : far ? 0 : 1;
      at[i] = at[i] / 2 + (far ? 1 : 0);
    }
    if (weight > 0)
      sum += weight * static_cast<double>(
                          values[gridDof(coarse, static_cast<std::size_t>(coarse.nodeAt(at)), component)]);
  }
  return sum;
}

/// Supports of all kinds: a clamped side, a node that slides on an oblique plane, one on a spring.
template <int D>
std::vector<NodeSupport<D>> mixedSupports(const Grid<D>& grid) {
  auto supports =
      supportsOf<D>(grid, testing::holdWhere<D>(grid, [](const Index<D>& i) { return i[0] == 0; }));
  Eigen::Matrix<double, D, 1> normal = Eigen::Matrix<double, D, 1>::LinSpaced(1, D).normalized();
  NodeSupport<D> oblique;
  oblique.node = grid.nodeCount() - 1;
  oblique.free -= normal * normal.transpose();
  NodeSupport<D> spring;
  spring.node = grid.nodeCount() - 2;
  spring.spring.diagonal().setConstant(3);
  supports.push_back(spring);
  supports.push_back(oblique);
  return supports;
}

/// P^T A P by interpolating, applying and transposing, against the operator that never forms it.
template <int D>
void expectGalerkinProduct(const Grid<D>& fine) {
  VoxelOperator<D> a(fine, 0.3, mixedSupports<D>(fine));
  a.setScales(randomScales(fine.cellCount()));
  const Grid<D> coarse = halved(fine);
  ProjectedOperator<D> projected(a, coarse);
  projected.renew();
  std::mt19937 random(5);
  std::uniform_real_distribution<float> any(-1, 1);
  std::vector<float> x(projected.size());
  std::vector<float> y(projected.size());
  for (float& value : x) value = any(random);
  std::vector<double> up(a.size());
  std::vector<double> down(a.size());
  for (int c = 0; c < D; ++c)
    for (std::size_t n = 0; n < fine.nodeCount(); ++n)
      up[gridDof(fine, n, c)] = interpolated<D>(fine, n, coarse, x, c);
  a.template project<double>(up);
  a.applyPlain(up, down);
  projected.sweep({x}, [&](const SweptNodes<D, float>& swept) {
    for (std::size_t c = 0; c < D; ++c)
      std::copy_n(swept.y[c], swept.count,
                  y.begin() + static_cast<std::ptrdiff_t>(c * coarse.nodeCount() + swept.begin));
  });
  // Entry by entry: the transposed interpolation of `down`, by unit vectors.
  double most = 0;
  for (const double value : down) most = std::max(most, std::abs(value));
  std::vector<float> unit(projected.size(), 0.0F);
  for (std::size_t dof = 0; dof < unit.size(); dof += 7) {
    unit[dof] = 1;
    const int component = static_cast<int>(dof / coarse.nodeCount());
    double expected = 0;
    for (std::size_t n = 0; n < fine.nodeCount(); ++n)
      expected += interpolated<D>(fine, n, coarse, unit, component) * down[gridDof(fine, n, component)];
    unit[dof] = 0;
    EXPECT_NEAR(static_cast<double>(y[dof]), expected, 3e-6 * most) << "degree of freedom " << dof;
  }
}

TEST(ProjectedOperator, isTheGalerkinProduct) {
  expectGalerkinProduct<2>(
      testing::gridWhere<2>({41, 13}, 1, [](const Index<2>& i) { return (i[0] + 3 * i[1]) % 9 != 0; }));
  expectGalerkinProduct<3>(testing::gridWhere<3>(
      {37, 9, 6}, 1, [](const Index<3>& i) { return (i[0] + 3 * i[1] + 5 * i[2]) % 11 != 0; }));
  // Layers along the second axis, where it is the longer one.
  expectGalerkinProduct<3>(testing::boxGrid<3>({5, 20, 4}));
}

TEST(ProjectedOperator, diagonalBelongsToItsMatrix) {
  const Grid<3> fine = testing::boxGrid<3>({6, 5, 4});
  VoxelOperator<3> a(fine, 0.3, mixedSupports<3>(fine));
  a.setScales(randomScales(fine.cellCount()));
  const Grid<3> coarse = halved(fine);
  ProjectedOperator<3> projected(a, coarse);
  projected.renew();
  const std::vector<float> diagonal = projected.nodeDiagonal();
  std::vector<float> x(projected.size(), 0.0F);
  for (std::size_t n = 0; n < coarse.nodeCount(); n += 3) {
    x[n] = 1;  // the first component
    float stretch = 0;
    projected.sweep({x}, [&](const SweptNodes<3, float>& swept) {
      if (n >= swept.begin && n < swept.begin + swept.count) stretch = swept.y[1][n - swept.begin];
    });
    x[n] = 0;
    EXPECT_NEAR(diagonal[coarse.nodeCount() + n], stretch, 1e-5 * std::abs(diagonal[n]) + 1e-6)
        << "node " << n;
  }
}

/// The product with the sum of all cells' matrices, for several vectors at a time, and its diagonal.
template <int D>
void expectSumOfCells(const Grid<D>& grid) {
  std::mt19937 random(8);
  std::uniform_real_distribution<float> any(-1, 1);
  std::vector<SingleCellMatrix<D>> cells(grid.cellCount());
  for (auto& k : cells) {
    k = SingleCellMatrix<D>::NullaryExpr([&] { return any(random); });
    k = (k + k.transpose()).eval();
  }
  StencilOperator<D> a(grid);
  a.assemble(cells);
  a.assemble(cells);  // anew, not in addition
  std::vector<std::vector<float>> x(2, std::vector<float>(a.size()));
  std::vector<std::vector<double>> y(2, std::vector<double>(a.size()));
  std::vector<std::vector<double>> expected(2, std::vector<double>(a.size()));
  std::vector<double> diagonal(a.size());
  Fields<const float> fields;
  for (auto& field : x) {
    for (float& value : field) value = any(random);
    fields.push_back(field);
  }
  for (std::size_t c = 0; c < grid.cellCount(); ++c) {
    const auto nodes = grid.cellNodes(c);
    const auto dof = [&](int i) {
      return gridDof(grid, static_cast<std::size_t>(nodes[static_cast<std::size_t>(i / D)]), i % D);
    };
    for (int i = 0; i < kCellDofs<D>; ++i) {
      if (i % D == 0) diagonal[dof(i)] += static_cast<double>(cells[c](i, i + 1));
      for (int j = 0; j < kCellDofs<D>; ++j)
        for (std::size_t k = 0; k < 2; ++k)
          expected[k][dof(i)] += static_cast<double>(cells[c](i, j)) * static_cast<double>(x[k][dof(j)]);
    }
  }
  a.sweep(fields, [&](const SweptNodes<D, float>& swept) {
    for (std::size_t c = 0; c < D; ++c)
      for (std::size_t i = 0; i < swept.count; ++i)
        y[swept.field][c * grid.nodeCount() + swept.begin + i] += static_cast<double>(swept.y[c][i]);
  });
  for (std::size_t k = 0; k < 2; ++k)
    for (std::size_t dof = 0; dof < a.size(); ++dof) EXPECT_NEAR(y[k][dof], expected[k][dof], 2e-5) << dof;
  for (std::size_t n = 0; n < grid.nodeCount(); ++n)
    EXPECT_NEAR(a.nodeDiagonal()[grid.nodeCount() + n], diagonal[n], 1e-5) << n;
}

TEST(StencilOperator, isTheSumOfItsCells) {
  expectSumOfCells<2>(
      testing::gridWhere<2>({41, 13}, 1, [](const Index<2>& i) { return (i[0] + 3 * i[1]) % 9 != 0; }));
  expectSumOfCells<3>(testing::gridWhere<3>(
      {37, 9, 26}, 1, [](const Index<3>& i) { return (i[0] + 3 * i[1] + 5 * i[2]) % 7 != 0; }));
  expectSumOfCells<3>(testing::boxGrid<3>({150, 3, 2}));  // rows longer than what is taken at a time
  // Layers along the second axis, where it is the longer one.
  expectSumOfCells<3>(
      testing::gridWhere<3>({5, 20, 4}, 1, [](const Index<3>& i) { return (i[0] * i[1] + i[2]) % 5 != 0; }));
}

// A beam on a slanted plane and on springs: the answer of a direct solve of the assembled matrix.
TEST(ElasticModel, knowsObliqueAndElasticSupports) {
  const Grid<3> grid = testing::boxGrid<3>({12, 5, 4}, 0.01);
  const Material material{"test", 2e9, 0.3, 1000, 1e6};
  std::vector<NodeSupport<3>> supports;
  const Vec3 normal = Vec3(1, 0, 2).normalized();
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    NodeSupport<3> s;
    s.node = n;
    if (grid.nodeIndex(n)[0] == 0) {
      s.free -= normal * normal.transpose();
      s.spring.diagonal() << 1e6, 2e6, 3e6;
      supports.push_back(s);
    }
    if (grid.nodeIndex(n)[0] == 12 && grid.nodeIndex(n)[2] == 0) {
      s.spring.diagonal().setConstant(5e5);
      supports.push_back(s);
    }
  }
  ElasticModel<3> model(grid, material, supports);
  std::vector<double> f(model.size(), 0.0), u(model.size(), 0.0);
  for (std::size_t n = 0; n < grid.nodeCount(); ++n)
    if (grid.nodeIndex(n)[2] == 4) f[gridDof(grid, n, 2)] = -10;
  const SolveReport report = model.solve(forcesOf(f), u, {1e-12, 200});
  ASSERT_TRUE(report.succeeded());
  const double direct =
      testing::directCompliance(model.stiffness(), f) / (material.modulus * grid.frame().size);
  EXPECT_NEAR(report.work / direct, 1, 1e-9);
  for (const NodeSupport<3>& s : supports) {
    if (grid.nodeIndex(s.node)[0] != 0) continue;
    const Vec3 moved(u[gridDof(grid, s.node, 0)], u[gridDof(grid, s.node, 1)], u[gridDof(grid, s.node, 2)]);
    EXPECT_NEAR(normal.dot(moved), 0, 1e-9 * moved.norm());
  }
  // What carries the load: the planes' and the springs' forces together.
  const std::vector<double> internal = model.internalForces(u);
  double carried = 0;
  double applied = 0;
  for (const NodeSupport<3>& s : supports)
    carried += internal[gridDof(grid, s.node, 2)] - f[gridDof(grid, s.node, 2)];
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) applied += f[gridDof(grid, n, 2)];
  EXPECT_NEAR(carried / applied, -1, 1e-4);
}

}  // namespace
}  // namespace barelattice
