/// @file
/// The density filter: each cell takes the weighted mean of its surroundings.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/grid/held_field.hpp"
#include "barelattice/layout/layout_map.hpp"

namespace barelattice BARELATTICE_API {

/// What the filter sees beyond the boundary of the domain (Clausen & Andreassen 2017).
enum class FilterBoundary {
  reflecting,  ///< nothing: the mean is taken over what exists. Members may run along the boundary unharmed.
  empty,       ///< emptiness: members that touch the boundary need as much support as those inside, so
               ///< material does not cling to the walls of the design space.
};

/// One neighbour in the filter's neighbourhood.
struct FilterTap {
  std::ptrdiff_t offset;  ///< in the box padded by the filter's reach
  double weight;
};

/// Linear decay over the radius (Bruns & Tortorelli 2001, Bourdin 2001), weighted with the fill of the cells:
///   out_i = sum_j w_ij v_j in_j / sum_j w_ij v_j,   w_ij = max(0, radius - distance_ij).
/// Cost: one multiplication per pair of cells within the radius, in vectors of eight along the first axis. A
/// call needs one number for each cell of the grid's box, padded by the reach.
template <int D>
class DensityFilter final : public LayoutMap {
 public:
  /// @param fill share of each cell that exists, above 0 up to 1.
  /// @param radius m; at or below one cell the filter does nothing.
  /// @param attached cells that see a reflecting boundary whatever the others see, one entry per cell, not
  /// zero
  ///   where the part is held or loaded: it goes on there. Empty for none.
  /// @throws InputError for fields of another grid, a cell without fill or a radius below zero.
  DensityFilter(const Grid<D>& grid, HeldField fill, double radius, FilterBoundary boundary,
                const std::vector<std::uint8_t>& attached = {});

  void forward(std::span<const double> in, std::span<double> out) const override;
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override;
  Reads reads() const override { return Reads::nothing; }

 private:
  /// out_i = after_i sum_j w_ij before_j in_j over cells inside the domain.
  void convolve(std::span<const double> before, std::span<const double> in, std::span<double> out,
                std::span<const double> after) const;

  Grid<D> grid_;
  HeldField fill_;
  std::vector<double> inverseWeight_;  // 1 / sum_j w_ij v_j
  std::vector<FilterTap> taps_;
  int reach_ = 0;                  // cells of padding on each side
  std::size_t boxCells_ = 1;       // of the padded box; what lies outside the domain is zero there
  std::vector<std::size_t> home_;  // where each run starts in it
};

}  // namespace barelattice
