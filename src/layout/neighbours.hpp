// Largest and smallest values among neighbours in a box of cells. Internal to the room.
#pragma once

#include <span>
#include <vector>

#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// Greyscale dilation and erosion by a set of cells (Serra 1982), with their exact derivatives. Values are
/// from 0 to 1.
template <int D>
class Neighbours {
 public:
  /// @param cells of the box along each axis. @param offsets of the set, none among them twice.
  Neighbours(const Index<D>& cells, std::vector<Index<D>> offsets);

  bool none() const { return offsets_.empty(); }

  /// The largest value at p + offset, of those in the box; 0 where there is none. O(cells times rows of the
  /// set).
  std::vector<double> largest(const std::vector<double>& field) const;
  /// The smallest value at p - offset, of those in the box; 1 where there is none.
  std::vector<double> smallest(const std::vector<double>& field) const;
  /// Derivatives by a field from those by what it gave: to the first of what equals it, which is one of the
  /// slopes there are. O(cells with a derivative times offsets).
  std::vector<double> backFromLargest(const std::vector<double>& field, const std::vector<double>& largest,
                                      const std::vector<double>& gradient) const {
    return passBack(field, largest, 1, gradient);
  }
  std::vector<double> backFromSmallest(const std::vector<double>& field, const std::vector<double>& smallest,
                                       const std::vector<double>& gradient) const {
    return passBack(field, smallest, -1, gradient);
  }

 private:
  /// Offsets one after another along an axis.
  struct Run {
    Index<D> first;
    int length;
  };
  std::vector<Run> runsAlong(std::size_t axis) const;
  template <class Better>
  std::vector<double> bestOf(const std::vector<double>& field, int sign, double beyond,
                             const Better& better) const;
  std::vector<double> passBack(const std::vector<double>& field, const std::vector<double>& best, int sign,
                               const std::vector<double>& gradient) const;

  Index<D> cells_;
  std::vector<Index<D>> offsets_;
  std::vector<Run> runs_;  // along the axis of which there are the fewest
  std::size_t axis_ = 0;
  int longest_ = 0;
  int room_ = 0;  // cells a run reaches aside
};

/// A grid's box with room round it, all of whose cells exist.
template <int D>
struct WideBox {
  GridFrame<D> frame;
  Index<D> margin{};  ///< cells at either end

  WideBox(const GridFrame<D>& of, const Index<D>& by);
  std::size_t placeOf(const Index<D>& cell) const;
  /// A field of the grid's cells, zero where there are none.
  std::vector<double> spread(const Grid<D>& grid, std::span<const double> field) const;
};

}  // namespace barelattice
