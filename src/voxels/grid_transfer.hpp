// Multilinear interpolation between a grid and the next coarser one.
#pragma once

#include <cstddef>
#include <vector>

#include "barelattice/grid/grid.hpp"
#include "solve/multigrid.hpp"

namespace barelattice {

/// The nodes of a grid along its first axis: rows in the order of the other coordinates, each row stretches
/// of nodes numbered without gaps.
template <int D>
struct NodeRows {
  struct Stretch {
    int node;  // the first one
    int from;  // its coordinate
    int count;
  };
  explicit NodeRows(const Grid<D>& grid);

  std::array<int, D - 1> size{};  ///< number of rows along the second axis (and the third)
  std::vector<Stretch> stretches;
  std::vector<std::size_t> rowStart;  ///< of row a + size[0] b
};

/// The nodes of the coarse grid are those with even coordinates; a fine node takes the mean of the two, four
/// or eight nearest coarse ones. Fields hold component after component. Both directions work row by row of
/// the target, so threads share nothing.
template <int D>
class GridTransfer final : public MultigridTransfer {
 public:
  /// @param coarse its cells are those of `fine` in twos along each axis.
  GridTransfer(const Grid<D>& fine, const Grid<D>& coarse);

  void restrictTo(std::span<const float> fine, std::span<float> coarse) const override;
  void prolongAdd(std::span<const float> coarse, std::span<float> fine) const override;

 private:
  NodeRows<D> fine_;
  NodeRows<D> coarse_;
  std::size_t length_;  // nodes of the coarse box along the first axis
};

}  // namespace barelattice
