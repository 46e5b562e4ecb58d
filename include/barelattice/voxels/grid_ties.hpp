/// @file
/// Where faces meet the grid.
#pragma once

#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/mechanics/face_ties.hpp"

namespace barelattice BARELATTICE_API {

/// A face on a grid: each of its points is tied to the cell half an edge below it with multilinear weights,
/// and of each such cell the corner nearest to the point lies on the face. The weights are outside 0 to 1 for
/// a point above its cell.
struct GridTies : FaceTies {
  std::vector<std::size_t> cells;  ///< below the face, ascending
};

/// In two dimensions z is ignored. Points without a cell below them are left out.
template <int D>
GridTies tieToGrid(const Grid<D>& grid, const Face& face);

/// The same for a domain of which a layout is designed. Where a keep fills the lesser part of a cell below
/// the face, the cell may come to be empty; its points are tied to the nearest neighbour that stays solid.
/// Forces and moments come to the same, since the weights reproduce what is linear in space.
template <int D>
GridTies tieToGrid(const Domain<D>& domain, const Face& face);

}  // namespace barelattice
