// The stiffness of a grid as a sparse matrix, for direct solves to compare with.
#pragma once

#include <Eigen/SparseCholesky>
#include <vector>

#include "voxels/voxel_operator.hpp"

namespace barelattice::testing {

/// Assembled cell by cell from the plain element matrix, supports by projection. Motions a support prevents
/// get a one on the diagonal.
template <int D>
Eigen::SparseMatrix<double> assembled(const VoxelOperator<D>& a) {
  const Grid<D>& grid = a.grid();
  const auto n = static_cast<Eigen::Index>(a.size());
  std::vector<Eigen::Triplet<double>> entries;
  for (std::size_t cell = 0; cell < grid.cellCount(); ++cell) {
    const auto nodes = grid.cellNodes(cell);
    const auto dof = [&](int i) {
      return static_cast<int>(
          gridDof(grid, static_cast<std::size_t>(nodes[static_cast<std::size_t>(i / D)]), i % D));
    };
    for (int i = 0; i < kCellDofs<D>; ++i)
      for (int j = 0; j < kCellDofs<D>; ++j)
        entries.emplace_back(dof(i), dof(j), a.scales()[cell] * a.cellStiffness()(i, j));
  }
  std::vector<Eigen::Triplet<double>> projector;
  std::vector<char> supported(grid.nodeCount(), 0);
  Eigen::SparseMatrix<double> blocked(n, n);  // what the supports prevent
  std::vector<Eigen::Triplet<double>> prevented;
  for (const NodeSupport<D>& s : a.supports()) {
    supported[s.node] = 1;
    for (int i = 0; i < D; ++i)
      for (int j = 0; j < D; ++j) {
        const auto row = static_cast<int>(gridDof(grid, s.node, i));
        const auto column = static_cast<int>(gridDof(grid, s.node, j));
        entries.emplace_back(row, column, s.spring(i, j));
        projector.emplace_back(row, column, s.free(i, j));
        prevented.emplace_back(row, column, (i == j ? 1 : 0) - s.free(i, j));
      }
  }
  for (std::size_t node = 0; node < grid.nodeCount(); ++node)
    if (!supported[node])
      for (int i = 0; i < D; ++i) {
        const auto at = static_cast<int>(gridDof(grid, node, i));
        projector.emplace_back(at, at, 1.0);
      }
  Eigen::SparseMatrix<double> k(n, n);
  Eigen::SparseMatrix<double> q(n, n);
  k.setFromTriplets(entries.begin(), entries.end());
  q.setFromTriplets(projector.begin(), projector.end());
  blocked.setFromTriplets(prevented.begin(), prevented.end());
  const Eigen::SparseMatrix<double> kq = k * q;
  const Eigen::SparseMatrix<double> qkq = q * kq;
  return qkq + blocked;
}

/// f^T A^-1 f by a direct solve.
template <int D>
double directCompliance(const VoxelOperator<D>& a, const std::vector<double>& f) {
  std::vector<double> free = f;
  a.template project<double>(free);
  const Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> direct(assembled(a));
  const Eigen::Map<const Eigen::VectorXd> load(free.data(), static_cast<Eigen::Index>(free.size()));
  return load.dot(direct.solve(load));
}

}  // namespace barelattice::testing
