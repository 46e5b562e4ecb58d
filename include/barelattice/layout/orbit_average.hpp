/// @file
/// Symmetry of a layout: cells that are to be alike take the mean of them all.
#pragma once

#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/layout/layout_map.hpp"

namespace barelattice BARELATTICE_API {

/// Gives all cells of an orbit the mean of their values: the layout is then the same under every motion the
/// orbits were made from, be it a mirror, a rotation or a shift. The matrix is symmetric, (P)_ij = 1 / n
/// where i and j lie in the same orbit of n cells, so it is its own transpose. Cost: two passes over the
/// cells.
class OrbitAverage final : public LayoutMap {
 public:
  /// @param orbit number of each cell's orbit, from 0, see `symmetryMap`.
  explicit OrbitAverage(const std::vector<int>& orbit);
  void forward(std::span<const double> in, std::span<double> out) const override;
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override;
  Reads reads() const override { return Reads::nothing; }

 private:
  std::vector<std::size_t> first_;  // of each orbit's cells in members_, and the end
  std::vector<int> members_;        // cells, orbit by orbit
};

}  // namespace barelattice
