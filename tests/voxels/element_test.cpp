#include "voxels/element.hpp"

#include <gtest/gtest.h>

#include <Eigen/Eigenvalues>
#include <array>
#include <bit>
#include <random>

#include "barelattice/base/error.hpp"
#include "barelattice/mechanics/material.hpp"
#include "support/direct.hpp"
#include "support/grids.hpp"
#include "voxels/voxel_operator.hpp"

namespace barelattice {
namespace {

template <int D>
void expectRigidMotionsOnly(double poisson) {
  const Eigen::SelfAdjointEigenSolver<CellMatrix<D>> eigen(cellStiffness<D>(poisson));
  const int rigid = D * (D + 1) / 2;
  for (int i = 0; i < rigid; ++i) EXPECT_NEAR(eigen.eigenvalues()[i], 0, 1e-14);
  EXPECT_GT(eigen.eigenvalues()[rigid], 1e-3);
}

TEST(Element, hasRigidMotionsAndNoOthersForFree) {
  for (const double poisson : {0.0, 0.3, 0.45}) {
    expectRigidMotionsOnly<2>(poisson);
    expectRigidMotionsOnly<3>(poisson);
  }
}

// The plane-stress square of Poisson's ratio 0.3: first row of the matrix printed in Sigmund 2001, Struct.
// Multidisc. Optim. 21, 120-127, k(1) = 1/2 - nu/6 and so on, over 1 - nu^2.
TEST(Element, matchesThePublishedSquare) {
  const double nu = 0.3;
  const CellMatrix<2> k = cellStiffness<2>(nu);
  const double scale = 1 / (1 - nu * nu);
  EXPECT_NEAR(k(0, 0), scale * (0.5 - nu / 6), 1e-15);
  EXPECT_NEAR(k(0, 1), scale * (1.0 / 8 + nu / 8), 1e-15);
  EXPECT_NEAR(k(0, 2), scale * (-0.25 - nu / 12), 1e-15);
  EXPECT_NEAR(k(0, 3), scale * (-1.0 / 8 + 3 * nu / 8), 1e-15);
}

template <int D>
void expectBlockDiagonal(double poisson) {
  const CellMatrix<D> k = cellStiffness<D>(poisson);
  const TransformedStiffness<D> transformed(k);
  CellMatrix<D> b = CellMatrix<D>::Zero();
  CellMatrix<D> w = CellMatrix<D>::Zero();
  for (int m = 0; m < kCorners<D>; ++m) {
    for (int corner = 0; corner < kCorners<D>; ++corner)
      for (int i = 0; i < D; ++i)
        w(D * m + i, D * corner + i) = std::popcount(static_cast<unsigned>(m & corner)) % 2 ? -1 : 1;
    for (int i = 0; i < D; ++i)
      for (int j = 0; j < D; ++j)
        b(D * (m ^ 1 << i) + i, D * (m ^ 1 << j) + j) = transformed.blocks[static_cast<std::size_t>(m)](i, j);
  }
  EXPECT_LT((w * b * w - k).norm(), 1e-13 * k.norm());
}

TEST(Element, fallsApartIntoBlocksUnderTheTransform) {
  expectBlockDiagonal<2>(0.3);
  expectBlockDiagonal<3>(0.33);
}

template <int D, class Real>
void expectFastEqualsPlain(const Grid<D>& grid, double tolerance) {
  const auto held = testing::holdWhere<D>(grid, [](const Index<D>& i) { return i[0] == 0; });
  VoxelOperator<D> a(grid, 0.3, supportsOf<D>(grid, held));
  std::mt19937 random(3);
  std::uniform_real_distribution<double> any(-1, 1);
  std::vector<double> scales(grid.cellCount());
  for (double& s : scales) s = std::pow(10, 4 * any(random) - 4);
  a.setScales(scales);
  std::vector<Real> x(a.size()), fast(a.size());
  for (Real& value : x) value = static_cast<Real>(any(random));
  for (const std::size_t dof : held) x[dof] = 0;
  a.template apply<Real>(x, fast);
  const std::vector<double> wide(x.begin(), x.end());
  std::vector<double> plain(a.size());
  a.applyPlain(wide, plain);
  double most = 0;
  for (const double value : plain) most = std::max(most, std::abs(value));
  for (std::size_t i = 0; i < x.size(); ++i)
    EXPECT_NEAR(static_cast<double>(fast[i]), plain[i], tolerance * most) << "dof " << i << ", seed 3";
  std::vector<double> energies(grid.cellCount());
  a.cellEnergies(wide, energies);
  double direct = 0;
  double byCell = 0;
  for (std::size_t i = 0; i < x.size(); ++i) direct += wide[i] * plain[i];
  for (std::size_t c = 0; c < energies.size(); ++c) byCell += scales[c] * energies[c];
  EXPECT_NEAR(byCell, direct, 1e-12 * direct);
}

TEST(VoxelOperator, fastKernelEqualsThePlainMatrix) {
  // 37 cells in a row: whole vectors and a rest; holes make short runs.
  const auto grid = testing::gridWhere<3>(
      {37, 6, 7}, 1, [](const Index<3>& i) { return (i[0] * 7 + i[1] * 3 + i[2]) % 11 != 0; });
  expectFastEqualsPlain<3, double>(grid, 1e-14);
  expectFastEqualsPlain<3, float>(grid, 1e-6);
  const auto plane =
      testing::gridWhere<2>({37, 9}, 1, [](const Index<2>& i) { return (i[0] + 5 * i[1]) % 13 != 0; });
  expectFastEqualsPlain<2, double>(plane, 1e-14);
  expectFastEqualsPlain<2, float>(plane, 1e-6);
}

/// The largest eigenvalue of diag(A)^-1 A of a whole grid with the given scales.
template <int D>
double scaledSpectrum(const Grid<D>& grid, const std::vector<double>& scales, double poisson) {
  VoxelOperator<D> a(grid, poisson, {});
  a.setScales(scales);
  const Eigen::MatrixXd k = testing::assembled(a);
  const Eigen::VectorXd scale = k.diagonal().cwiseSqrt().cwiseInverse();
  return Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(scale.asDiagonal() * k * scale.asDiagonal())
      .eigenvalues()
      .maxCoeff();
}

template <int D>
void expectTrueBound(const Index<D>& cells, double poisson) {
  const Grid<D> grid = testing::boxGrid<D>(cells);
  const double bound = scaledEigenvalueBound<D>(cellStiffness<D>(poisson));
  std::mt19937 random(8);
  std::uniform_real_distribution<double> any(0, 9);
  double most = 0;
  for (int trial = 0; trial < 6; ++trial) {
    std::vector<double> scales(grid.cellCount());
    for (double& s : scales) s = trial ? std::pow(10, -any(random)) : 1;
    const double largest = scaledSpectrum<D>(grid, scales, poisson);
    EXPECT_LE(largest, bound * (1 + 1e-12)) << "seed 8, trial " << trial;
    most = std::max(most, largest);
  }
  EXPECT_GT(most, 0.6 * bound) << "a bound far off would slow the smoother down";
}

TEST(Element, boundOfTheSpectrumHoldsForAnyScales) {
  for (const double poisson : {0.0, 0.3, 0.45}) {
    expectTrueBound<2>({7, 5}, poisson);
    expectTrueBound<3>({4, 3, 3}, poisson);
  }
}

TEST(Material, isRefusedOutsideItsRange) {
  for (const Material& material : builtinMaterials()) EXPECT_NO_THROW(validate(material)) << material.name;
  EXPECT_THROW(validate({"rubber", 1e6, 0.49, 1000, 1e6}), InputError);
  EXPECT_THROW(validate({"nothing", 0, 0.3, 1000, 1e6}), InputError);
  EXPECT_THROW(validate({"weak", 1e9, 0.3, 1000, 0}), InputError);
}

// Plane strain is the body with no strain across, plane stress the one with no stress across.
TEST(Material, ofASheetFollowsFromThatOfTheBody) {
  const Material steel{"steel", 205e9, 0.29, 7850, 350e6};
  const double thickness = 0.005;
  const Eigen::Matrix<double, 6, 6> body = steel.modulus * constitutiveMatrix<3>(steel.poisson);
  constexpr std::array<int, 3> inPlane{0, 1, 5};  // xx, yy, xy
  Eigen::Matrix3d strain, stress;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) {
      const int a = inPlane[static_cast<std::size_t>(i)], b = inPlane[static_cast<std::size_t>(j)];
      strain(i, j) = body(a, b);
      stress(i, j) = body(a, b) - body(a, 2) * body(2, b) / body(2, 2);
    }
  for (const SheetState state : {SheetState::planeStrain, SheetState::planeStress}) {
    const Material sheet = sheetMaterial(steel, state, thickness);
    const Eigen::Matrix3d wanted = thickness * (state == SheetState::planeStrain ? strain : stress);
    EXPECT_LT((sheet.modulus * constitutiveMatrix<2>(sheet.poisson) - wanted).norm(), 1e-12 * wanted.norm());
    EXPECT_EQ(sheet.density, steel.density);
  }
}

}  // namespace
}  // namespace barelattice
