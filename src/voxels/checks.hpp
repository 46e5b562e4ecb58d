// What the calls on a grid are given, checked against it.
#pragma once

#include <vector>

#include "barelattice/voxels/forces.hpp"
#include "barelattice/voxels/node_support.hpp"
#include "base/check.hpp"

namespace barelattice {

/// @throws InputError for a node that is none or is out of order, or numbers that are not finite.
template <int D>
void checkStanding(const Grid<D>& grid, const std::vector<NodeSupport<D>>& supports,
                   const std::vector<Coupling>& couplings) {
  const std::size_t nodes = grid.nodeCount();
  for (std::size_t s = 0; s < supports.size(); ++s) {
    requireIndex("node of a support", supports[s].node, nodes, "nodes");
    if (s > 0 && supports[s].node <= supports[s - 1].node)
      throw InputError(fmt::format("the support of node {} follows that of node {}", supports[s].node,
                                   supports[s - 1].node),
                       "order supports by node, each node once");
    requireFinite("free directions of a support", supports[s].free);
    requireFinite("spring of a support", supports[s].spring);
  }
  for (const Coupling& coupling : couplings) {
    const auto rank = static_cast<std::size_t>(coupling.stiffness.rows());
    requireCount("motions of a coupling", coupling.motions.size(), rank, "rows of its stiffness");
    requireCount("a row of a coupling's stiffness", static_cast<std::size_t>(coupling.stiffness.cols()), rank,
                 "rows");
    requireFinite("stiffness of a coupling", coupling.stiffness);
    for (const NodalVectors& motion : coupling.motions)
      for (const NodalVector& at : motion) {
        requireIndex("node of a coupling", at.node, nodes, "nodes");
        requireFinite("motion of a coupling", at.value);
      }
  }
}

/// @param dofs how many there are. @throws InputError for one that is none or a force that is not finite.
inline void checkForces(const Forces& forces, std::size_t dofs) {
  for (const auto& [dof, force] : forces) {
    requireIndex("degree of freedom of a force", dof, dofs, "degrees of freedom");
    requireFinite("force", force);
  }
}

}  // namespace barelattice
