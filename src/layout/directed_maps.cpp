#include "barelattice/layout/directed_maps.hpp"

#include <algorithm>
#include <cmath>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/unit_vector.hpp"
#include "side_access.hpp"
#include "sweep.hpp"

namespace barelattice {
template <int D>
AccessMap<D>::AccessMap(const Grid<D>& grid, const Options& options) : grid_(grid), options_(options) {
  if (options.sides.empty()) throw InputError("there is no side to take material away from", "give one");
  requireWithin("draft", options.draft, 0, kMostDraft);
  for (const Point<D>& side : options.sides) requireUnit("side", side);
  if (options.parting) {
    requireFinite("parting", *options.parting);
    if (options.sides.size() != 2 || (options.sides[0] + options.sides[1]).norm() > 1e-6)
      throw InputError("a parting plane lies between two sides that face each other",
                       "give those two, or no parting");
  }
  validate(options.tool);
  for (const Point<D>& side : options.sides)
    access_.push_back(std::make_unique<const SideAccess<D>>(grid, side, options.draft, options.tool));
}

template <int D>
AccessMap<D>::~AccessMap() = default;

/// Whether what a side sees decides on a cell.
template <int D>
bool AccessMap<D>::counts(std::size_t side, std::size_t cell) const {
  if (!options_.parting) return true;
  const bool beyond = options_.sides[0].dot(grid_.cellCentre(cell)) >= *options_.parting;
  return beyond == (side == 0);
}

template <int D>
void AccessMap<D>::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("in", in.size(), grid_.cellCount(), "cells");
  requireCount("out", out.size(), grid_.cellCount(), "cells");
  std::fill(out.begin(), out.end(), 1.0);
  for (std::size_t s = 0; s < access_.size(); ++s) {
    const typename SideAccess<D>::Made made = access_[s]->forward(in);
    forEach(in.size(), [&](std::size_t c) {
      if (counts(s, c)) out[c] = std::min(out[c], access_[s]->at(made, c));
    });
  }
}

template <int D>
void AccessMap<D>::backward(std::span<const double> in, std::span<const double> /*out*/,
                            std::span<const double> gradientOut, std::span<double> gradientIn) const {
  requireCount("in", in.size(), grid_.cellCount(), "cells");
  requireCount("gradientOut", gradientOut.size(), grid_.cellCount(), "cells");
  requireCount("gradientIn", gradientIn.size(), grid_.cellCount(), "cells");
  std::vector<typename SideAccess<D>::Made> made;
  for (const auto& access : access_) made.push_back(access->forward(in));
  std::vector<double> least(in.size());  // of the sides, and how many give it
  std::vector<double> equal(in.size());
  forEach(in.size(), [&](std::size_t c) {
    least[c] = 2;  // above all there is
    for (std::size_t s = 0; s < access_.size(); ++s) {
      const double value = counts(s, c) ? access_[s]->at(made[s], c) : least[c] + 1;
      if (value > least[c]) continue;
      equal[c] = value == least[c] ? equal[c] + 1 : 1;
      least[c] = value;
    }
  });
  std::fill(gradientIn.begin(), gradientIn.end(), 0.0);
  std::vector<double> part(in.size());
  for (std::size_t s = 0; s < access_.size(); ++s) {
    forEach(in.size(), [&](std::size_t c) {
      part[c] = counts(s, c) && access_[s]->at(made[s], c) == least[c] ? gradientOut[c] / equal[c] : 0;
    });
    access_[s]->back(in, made[s], part, gradientIn);
  }
}

template <int D>
PrintMap<D>::PrintMap(const Grid<D>& grid, const Point<D>& up, double overhang,
                      std::vector<std::uint8_t> keep)
    : free_(std::move(keep)) {
  requireUnit("up", up);
  if (!(overhang > 0 && overhang <= kMostOverhang))
    throw InputError(fmt::format("overhang is {} rad", overhang),
                     fmt::format("give above 0, up to {}", kMostOverhang));
  requireCountOrNone("keep", free_.size(), grid.cellCount(), "cells");
  free_.resize(grid.cellCount(), 0);
  // The plate touches the lowest corner; what reaches down to it lies on it.
  double lowest = std::numeric_limits<double>::max();
  for (std::size_t c = 0; c < free_.size(); ++c) lowest = std::min(lowest, up.dot(grid.cellCentre(c)));
  const double thickness = grid.frame().size * up.cwiseAbs().maxCoeff();
  for (std::size_t c = 0; c < free_.size(); ++c)
    if (up.dot(grid.cellCentre(c)) < lowest + 0.99 * thickness) free_[c] = 1;
  sweep_ = std::make_unique<const Sweep<D>>(grid, up, overhang);
}

template <int D>
PrintMap<D>::~PrintMap() = default;

template <int D>
void PrintMap<D>::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("in", in.size(), free_.size(), "cells");
  requireCount("out", out.size(), free_.size(), "cells");
  const typename Sweep<D>::Field field = sweep_->carried(in, free_);
  forEach(in.size(), [&](std::size_t c) { out[c] = sweep_->at(field, c); });
}

template <int D>
void PrintMap<D>::backward(std::span<const double> in, std::span<const double> /*out*/,
                           std::span<const double> gradientOut, std::span<double> gradientIn) const {
  requireCount("in", in.size(), free_.size(), "cells");
  requireCount("gradientOut", gradientOut.size(), free_.size(), "cells");
  requireCount("gradientIn", gradientIn.size(), free_.size(), "cells");
  std::fill(gradientIn.begin(), gradientIn.end(), 0.0);
  sweep_->back(in, sweep_->carried(in, free_), free_, gradientOut, gradientIn);
}

template class AccessMap<2>;
template class AccessMap<3>;
template class PrintMap<2>;
template class PrintMap<3>;

}  // namespace barelattice
