/// @file
/// How degrees of freedom of a grid are numbered, and what holds single ones.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/mechanics/grounding.hpp"

namespace barelattice BARELATTICE_API {

/// The degree of freedom of a component at a node: all first components, then all second ones, and so on, so
/// that loops along a run are contiguous.
template <int D>
std::size_t gridDof(const Grid<D>& grid, std::size_t node, int component) {
  return static_cast<std::size_t>(component) * grid.nodeCount() + node;
}

/// The same for mechanics.
template <int D>
DofOrder dofOrder(const Grid<D>& grid) {
  return {1, grid.nodeCount(), D};
}

/// Where a node of a grid is, m; in the plane at z = 0.
template <int D>
Vec3 placeOf(const Grid<D>& grid, std::size_t node) {
  Vec3 place = Vec3::Zero();
  place.head<D>() = grid.nodePosition(node);
  return place;
}

/// Supports that hold single degrees of freedom, ordered by node.
/// @param held as gridDof numbers them, in any order.
template <int D>
std::vector<NodeSupport<D>> supportsOf(const Grid<D>& grid, std::span<const std::size_t> held);

}  // namespace barelattice
