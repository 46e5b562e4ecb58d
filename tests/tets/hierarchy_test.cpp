#include <gtest/gtest.h>

#include <Eigen/SparseCholesky>
#include <random>

#include "barelattice/shapes/shape.hpp"
#include "solve/conjugate_gradients.hpp"
#include "tets/tet_hierarchy.hpp"

namespace barelattice {
namespace {

/// A slim frame: the shape that makes coarse grids tie together what the part keeps apart.
TetMesh frameMesh(double spacing) {
  const ShapePtr frame = makeDifference(makeBox({0, 0, 0}, {10, 6, 1}), {makeBox({1, 1, -1}, {9, 5, 2})});
  return stuff([&](const Vec3& p) { return frame->distance(p); }, frame->bounds(), spacing,
               FeatherEdges::trimmed);
}

const Material kUnit{"unit", 1, 0.3, 1, 1};

std::vector<NodeSupport<3>> heldLeft(const QuadraticTets& mesh) {
  std::vector<NodeSupport<3>> held;
  for (std::size_t n = 0; n < mesh.nodeCount(); ++n)
    if (mesh.nodes()[n].x() < 1e-6) held.push_back({n, Eigen::Matrix3d::Zero(), Eigen::Matrix3d::Zero()});
  return held;
}

struct Outcome {
  SolveReport report;
  std::vector<double> u;
};

Outcome solveFrame(const QuadraticTets& mesh, double spacing, double tolerance) {
  const auto held = heldLeft(mesh);
  const BlockMatrix<3, double> a = mesh.stiffness({{kUnit}, {}}, held);
  const auto multigrid = buildTetHierarchy(mesh, spacing, a);
  std::vector<double> f(3 * mesh.nodeCount(), 0.0);
  for (std::size_t n = 0; n < mesh.nodeCount(); ++n)
    if (mesh.nodes()[n].x() > 10 - 1e-6) f[3 * n + 2] = 1;
  Outcome outcome{{}, std::vector<double>(f.size(), 0.0)};
  outcome.report = solveConjugateGradients([&](auto x, auto y) { a.apply(x, y); },
                                           [&](auto r, auto z) { multigrid->apply(r, z); }, f, outcome.u,
                                           {tolerance, 200});
  return outcome;
}

TEST(TetHierarchy, iterationsStayBoundedAsTheMeshIsRefined) {
  for (const double spacing : {0.6, 0.4, 0.27}) {
    const QuadraticTets mesh(frameMesh(spacing));
    const Outcome outcome = solveFrame(mesh, spacing, 1e-8);
    EXPECT_TRUE(outcome.report.succeeded()) << spacing;
    EXPECT_LE(outcome.report.iterations, 70) << spacing << ", " << mesh.nodeCount() << " nodes";
  }
}

TEST(TetHierarchy, solutionEqualsADirectSolve) {
  const double spacing = 0.7;
  const QuadraticTets mesh(frameMesh(spacing));
  const Outcome outcome = solveFrame(mesh, spacing, 1e-14);
  const auto held = heldLeft(mesh);
  Eigen::SparseMatrix<double> a = mesh.stiffness({{kUnit}, {}}, held).assembled();
  Eigen::VectorXd f = Eigen::VectorXd::Zero(a.rows());
  for (std::size_t n = 0; n < mesh.nodeCount(); ++n)
    if (mesh.nodes()[n].x() > 10 - 1e-6) f[static_cast<Eigen::Index>(3 * n + 2)] = 1;
  const Eigen::VectorXd exact = Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>>(a).solve(f);
  const Eigen::Map<const Eigen::VectorXd> u(outcome.u.data(), exact.size());
  EXPECT_LT((u - exact).norm(), 1e-6 * exact.norm());
}

TEST(GalerkinProduct, equalsTheDenseTripleProduct) {
  std::mt19937 random(13);
  std::uniform_real_distribution<float> any(-1, 1);
  BlockMatrix<3, double> a;  // four nodes, tridiagonal
  for (int row = 0; row < 4; ++row) {
    for (int column = std::max(0, row - 1); column <= std::min(3, row + 1); ++column) {
      a.column.push_back(column);
      a.block.push_back(BlockMatrix<3, double>::Block::NullaryExpr([&] { return any(random); }));
    }
    a.rowStart.push_back(a.column.size());
  }
  const Interpolation p{{0, 1, 3, 5, 6}, {0, 0, 1, 0, 1, 1}, {1, 0.5F, 0.5F, 0.25F, 0.75F, 1}, 2};
  Eigen::MatrixXd dense = Eigen::MatrixXd::Zero(12, 6);
  for (std::size_t row = 0; row < 4; ++row)
    for (std::size_t e = p.rowStart[row]; e < p.rowStart[row + 1]; ++e)
      for (int i = 0; i < 3; ++i)
        dense(3 * static_cast<int>(row) + i, 3 * p.column[e] + i) = static_cast<double>(p.weight[e]);
  const Eigen::MatrixXd wanted = dense.transpose() * Eigen::MatrixXd(a.assembled()) * dense;
  EXPECT_LT((Eigen::MatrixXd(galerkinProduct(a, p).assembled()) - wanted).norm(), 1e-6 * wanted.norm())
      << "seed 13";
}

// Vectors that pass together get the bits each would get alone, and those are the product.
template <class Real>
void expectEachItsOwnProduct(double tolerance) {
  std::mt19937 random(31);
  std::uniform_real_distribution<Real> any(-1, 1);
  BlockMatrix<3, Real> a;
  const int rows = 601;
  for (int row = 0; row < rows; ++row) {
    for (int e = row % 7; e > 0; --e) {  // some rows are empty
      a.column.push_back(static_cast<int>(random() % rows));
      a.block.push_back(BlockMatrix<3, Real>::Block::NullaryExpr([&] { return any(random); }));
    }
    a.rowStart.push_back(a.column.size());
  }
  std::vector<std::vector<Real>> x(9, std::vector<Real>(3 * rows)), alone(x), together(x);
  for (std::vector<Real>& vector : x)
    for (Real& value : vector) value = any(random);
  for (std::size_t k = 0; k < x.size(); ++k) {
    a.apply(x[k], alone[k]);
    for (std::size_t row = 0; row < rows; ++row) {
      Eigen::Vector3d sum = Eigen::Vector3d::Zero();
      for (std::size_t e = a.rowStart[row]; e < a.rowStart[row + 1]; ++e)
        for (int j = 0; j < 3; ++j)
          sum += a.block[e].col(j).template cast<double>() *
                 static_cast<double>(x[k][static_cast<std::size_t>(3 * a.column[e] + j)]);
      for (std::size_t i = 0; i < 3; ++i)
        EXPECT_NEAR(static_cast<double>(alone[k][3 * row + i]), sum[static_cast<Eigen::Index>(i)], tolerance);
    }
  }
  for (std::size_t count = 1; count <= x.size(); ++count) {
    Fields<const Real> from(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(count));
    Fields<Real> to(together.begin(), together.begin() + static_cast<std::ptrdiff_t>(count));
    a.apply(from, to);
    for (std::size_t k = 0; k < count; ++k) EXPECT_EQ(together[k], alone[k]) << k << " of " << count;
  }
}

TEST(BlockMatrix, vectorsThatPassTogetherDoNotMindEachOther) {
  expectEachItsOwnProduct<float>(1e-5);
  expectEachItsOwnProduct<double>(1e-14);
}

}  // namespace
}  // namespace barelattice
