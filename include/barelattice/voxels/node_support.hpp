/// @file
/// What holds a node of a grid.
#pragma once

#include <Eigen/Core>
#include <cstddef>
#include <span>
#include <vector>

#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// The degree of freedom of a component at a node: all first components, then all second ones, and so on, so
/// that loops along a run are contiguous.
template <int D>
std::size_t gridDof(const Grid<D>& grid, std::size_t node, int component) {
  return static_cast<std::size_t>(component) * grid.nodeCount() + node;
}

/// One held node: directions in which it cannot move, springs in those in which it can. A direction need not
/// be an axis. Displacements prescribed other than zero belong on the right-hand side: solve for the rest of
/// the motion under f - A u0.
template <int D>
struct NodeSupport {
  using Matrix = Eigen::Matrix<double, D, D>;
  std::size_t node = 0;
  Matrix free = Matrix::Identity();  ///< projector on the free directions: the identity less n n^T for each
                                     ///< held unit vector n, these at right angles to each other
  Matrix spring = Matrix::Zero();    ///< stiffness against moving, N/m, symmetric, not negative
};

/// Supports that hold single degrees of freedom, ordered by node.
/// @param held as gridDof numbers them, in any order.
template <int D>
std::vector<NodeSupport<D>> supportsOf(const Grid<D>& grid, std::span<const std::size_t> held);

}  // namespace barelattice
