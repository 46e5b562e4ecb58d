/// @file
/// A load case on a grid.
#pragma once

#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/mechanics/setup.hpp"
#include "barelattice/voxels/forces.hpp"
#include "barelattice/voxels/node_support.hpp"

namespace barelattice BARELATTICE_API {

template <int D>
struct GridCase {
  std::string name;
  double weight = 1;  ///< its share in the weighted sum, or the factor on it where the worst case governs;
                      ///< not negative
  Forces force;       ///< N
  std::vector<NodeSupport<D>> supports;  ///< ordered by node, each node once
  std::vector<Coupling> couplings = {};
  BodyForce bodyForce = {};  ///< on all mass the layout has
  double temperature = 0;    ///< how much warmer all of it is, K
  NodalVectors moved = {};   ///< where nodes are held that are not held at their own places, m

  bool standsAs(const GridCase& other) const {
    return supports == other.supports && couplings == other.couplings;
  }
};

/// @throws InputError naming what of a case does not fit the grid, or is no number: a degree of freedom that
/// is none, nodes that are none or out of order, a negative weight.
template <int D>
void validate(const Grid<D>& grid, const GridCase<D>& c);

/// The cases of a setup on a grid, without the preloads of bolts: what a body has to be stiff against is what
/// comes on top of them. @throws InputError if a loaded face lies on empty space.
template <int D>
std::vector<GridCase<D>> casesOn(const Grid<D>& grid, const Setup& setup);
/// The same for a domain of which a layout is designed, on ties of its own.
template <int D>
std::vector<GridCase<D>> casesOn(const Domain<D>& domain, const Setup& setup);

/// What the supports of a case do to a grid, as its solver takes it.
template <int D>
std::vector<NodeSupport<D>> supportsOn(const Grounding& grounding);

}  // namespace barelattice
