#include "barelattice/layout/directed_maps.hpp"

#include <algorithm>
#include <cmath>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "base/unit_vector.hpp"
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
  for (const Point<D>& side : options.sides)
    sweeps_.push_back(std::make_unique<const Sweep<D>>(grid, -side, options.draft));
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

/// What each side sees.
template <int D>
std::vector<std::vector<double>> AccessMap<D>::seen(std::span<const double> in) const {
  std::vector<std::vector<double>> fields;
  for (const auto& sweep : sweeps_) fields.push_back(sweep->greatest(in));
  return fields;
}

template <int D>
void AccessMap<D>::forward(std::span<const double> in, std::span<double> out) const {
  requireCount("in", in.size(), grid_.cellCount(), "cells");
  requireCount("out", out.size(), grid_.cellCount(), "cells");
  const std::vector<std::vector<double>> fields = seen(in);
  forEach(in.size(), [&](std::size_t c) {
    double least = 1;
    for (std::size_t s = 0; s < fields.size(); ++s)
      if (counts(s, c)) least = std::min(least, sweeps_[s]->at(fields[s], c));
    out[c] = least;
  });
}

template <int D>
void AccessMap<D>::backward(std::span<const double> in, std::span<const double> /*out*/,
                            std::span<const double> gradientOut, std::span<double> gradientIn) const {
  requireCount("in", in.size(), grid_.cellCount(), "cells");
  requireCount("gradientOut", gradientOut.size(), grid_.cellCount(), "cells");
  requireCount("gradientIn", gradientIn.size(), grid_.cellCount(), "cells");
  const std::vector<std::vector<double>> fields = seen(in);
  std::vector<std::vector<double>> parts(fields.size(), std::vector<double>(in.size(), 0.0));
  forEach(in.size(), [&](std::size_t c) {
    double least = 2;  // above all there is
    int equal = 0;
    for (std::size_t s = 0; s < fields.size(); ++s) {
      const double value = counts(s, c) ? sweeps_[s]->at(fields[s], c) : least + 1;
      if (value > least) continue;
      equal = value == least ? equal + 1 : 1;
      least = value;
    }
    for (std::size_t s = 0; s < fields.size(); ++s)
      if (counts(s, c) && sweeps_[s]->at(fields[s], c) == least) parts[s][c] = gradientOut[c] / equal;
  });
  std::fill(gradientIn.begin(), gradientIn.end(), 0.0);
  for (std::size_t s = 0; s < fields.size(); ++s) sweeps_[s]->back(in, fields[s], {}, parts[s], gradientIn);
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
