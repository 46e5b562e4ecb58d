// Faces as a grid sees them, without any shape.
#pragma once

#include "barelattice/mechanics/face_ties.hpp"
#include "support/grids.hpp"

namespace barelattice::testing {

/// All nodes of a grid in a plane across an axis, alike, as the ties of a face.
/// @param low, high of them only those with the next index between these.
template <int D>
FaceTies nodesAt(const Grid<D>& grid, int axis, int at, int low = 0, int high = 1000) {
  FaceTies ties;
  for (std::size_t n = 0; n < grid.nodeCount(); ++n) {
    if (grid.nodeIndex(n)[static_cast<std::size_t>(axis)] != at) continue;
    if (const int next = grid.nodeIndex(n)[static_cast<std::size_t>((axis + 1) % D)];
        next < low || next > high)
      continue;
    SurfacePoint point;
    point.position = Vec3::Zero();
    for (int i = 0; i < D; ++i)
      point.position[i] = grid.frame().size * grid.nodeIndex(n)[static_cast<std::size_t>(i)];
    point.normal = Vec3::Unit(axis);
    point.area = 1;
    ties.nodes.push_back(n);
    ties.weights.push_back({n, 1});
    ties.close(point);
  }
  ties.faceArea = ties.area;
  return ties;
}

}  // namespace barelattice::testing
