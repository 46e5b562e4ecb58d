// How full the surroundings of places in a solid are.
#pragma once

#include <optional>

#include "barelattice/grid/domain.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice {

struct FullestPlace {
  double share = 0;        ///< of what may be designed there
  Vec3 at = Vec3::Zero();  ///< m
};

/// But for a two-hundredth of the places the largest share of the designed volume (the space without keeps
/// and clears) that a solid fills within a distance of any place, along each axis; of places with a quarter
/// of that volume or more to design. Sampled at points a sixth of the distance apart, or `finest` where that
/// is more: rays along z tell which lie inside. Nothing
/// if there is no such place.
std::optional<FullestPlace> fullestPlace(const TriangleMesh& solid, const Regions& regions, double within,
                                         double finest);

}  // namespace barelattice
