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
//   T(p) = max_b S(p + b)                                                         (1)
//
// (the inverse tool offset of machining, with levels in the place of heights). A place is emptied by any tool
// that goes there, and the higher it stands the better:
//
//   C(x) = min_b T(x - b)                                                         (2)
//
// which is the closing of S by the tool (Serra 1982); C >= S, and C is closed. What holds the tool does not
// cut: it goes round what the tool has left above, from the reach r on,
//
//   C_k(x) = min_b max { T(x - b), max { C_(k-1)(x - b + o + r s) : o in the holder } },   C_(-1) = S    (3)
//
// of which each round settles one more reach of depth: as many as there are, then nothing changes any more.
// The axis may stand beside the part, so the box is widened by the tool's radius.

template <int D>
class SideAccess {
 public:
  /// @param side unit vector from the part to where material is taken away to.
  SideAccess(const Grid<D>& grid, const Point<D>& side, double draft, const Tool& tool);

  /// What a way back reads of a way there.
  struct Made {
    typename Sweep<D>::Field swept;
    std::vector<double> seen;  // S, of the widened box, here and below; none without a tool
    std::vector<double> tool;  // (1)
    struct Round {             // of (3); one of (2) without a holder
      std::vector<double> holder, tip, left;
    };
    std::vector<Round> rounds;
  };
  Made forward(std::span<const double> in) const;
  double at(const Made& made, std::size_t cell) const {
    return tool_.none() ? sweep_.at(made.swept, cell)
                        : made.rounds.back().left[box_.placeOf(grid_.cellIndex(cell))];
  }
  /// Adds to gradientIn what follows from the derivatives by at(made, cell), one per cell.
  void back(std::span<const double> in, const Made& made, std::span<const double> gradientOut,
            std::span<double> gradientIn) const;

 private:
  Grid<D> grid_;
  WideBox<D> box_;
  Neighbours<D> tool_;    // b; none without a tool
  Neighbours<D> holder_;  // o + r s; none where it never comes down to the part
  int rounds_ = 1;
  Sweep<D> sweep_;
};

}  // namespace barelattice
