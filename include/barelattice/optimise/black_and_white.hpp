/// @file
/// A layout read as solid and empty cells.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice BARELATTICE_API {

/// A level field read at the threshold that gives it a wanted mass.
struct BlackAndWhite {
  double threshold = 0.5;
  std::vector<double> density;  ///< 0 or 1 per cell
};

/// @param level one entry per cell; keeps are one.
/// @param mass of the layout over that of the full domain is what `massFraction` speaks of.
/// O(cells), some forty passes.
BlackAndWhite readBlackAndWhite(std::span<const double> level, const MassFraction& mass, double massFraction);

/// How grey a layout is: the mean of 4 rho (1 - rho), 0 for solid and empty cells, 1 for all at a half.
struct Greyness {
  double overSpace = 0;  ///< mean over the volume of the domain
  double overMass = 0;   ///< mean over the volume of the layout: weighted by rho
};

/// @param fill share of each cell that exists.
Greyness greyness(std::span<const double> density, std::span<const double> fill);

/// A load that hangs in the air.
template <int D>
struct LooseLoad {
  std::size_t load = 0;  ///< number of the case
  Point<D> at;           ///< a node it acts on, m
};

/// The loads that act on cells, or on no cell at all, from which no way through chosen cells leads to a
/// support of their case. One entry per case at most. Cells hang together by common sides. O(cells) for each
/// case.
template <int D>
std::vector<LooseLoad<D>> looseLoads(const Grid<D>& grid, const std::vector<std::uint8_t>& chosen,
                                     const std::vector<GridCase<D>>& cases);

}  // namespace barelattice
