// What can be taken away from one side, by a mould or a tool. Internal to the room.
#pragma once

#include <span>
#include <vector>

#include "barelattice/grid/grid.hpp"
#include "barelattice/layout/tool.hpp"
#include "neighbours.hpp"
#include "sweep.hpp"

namespace barelattice {

// Seen from a side a cell is as full as what lies in front of it, which the sweep tells: S. A tool whose tip
// is at p needs the room above all of its lower surface, the places p + b, b = o + h(|o|) s, o across the
// side s:
//
//   D(p) = max_b S(p + b)                                                         (1)
//
// (the inverse tool offset of machining, with levels in the place of heights). A place is emptied by any tool
// that goes there, and the higher it stands the better; b runs over what cuts:
//
//   out(x) = min_b D(x - b)                                                       (2)
//
// which is the closing of S by the tool (Serra 1982); out >= S, and out is closed. A holder counts in (1)
// alone. The axis may stand beside the part, so the box is widened by the tool's radius.

template <int D>
class SideAccess {
 public:
  /// @param side unit vector from the part to where material is taken away to.
  SideAccess(const Grid<D>& grid, const Point<D>& side, double draft, const Tool& tool);

  /// What a way back reads of a way there.
  struct Made {
    typename Sweep<D>::Field swept;
    std::vector<double> seen;  // of the widened box, here and below; empty without a tool
    std::vector<double> tip;   // (1)
    std::vector<double> left;  // (2)
  };
  Made forward(std::span<const double> in) const;
  double at(const Made& made, std::size_t cell) const {
    return cutting_.none() ? sweep_.at(made.swept, cell) : made.left[box_.placeOf(grid_.cellIndex(cell))];
  }
  /// Adds to gradientIn what follows from the derivatives by at(made, cell), one per cell.
  void back(std::span<const double> in, const Made& made, std::span<const double> gradientOut,
            std::span<double> gradientIn) const;

 private:
  Grid<D> grid_;
  WideBox<D> box_;
  Neighbours<D> cutting_;  // b of (2); none without a tool
  Neighbours<D> surface_;  // b of (1)
  Sweep<D> sweep_;
};

}  // namespace barelattice
