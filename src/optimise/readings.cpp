#include "readings.hpp"

namespace barelattice {

template <int D>
Readings<D>::Readings(const LayoutProblem<D>& problem)
    : problem_(problem), keep_(std::make_shared<KeepSolid>(problem.keep)) {}

template <int D>
void Readings<D>::set(const Reading& reading) {
  reading_ = reading;
  if (reading_.widening != widening_) {
    widening_ = reading_.widening;
    MakingMaps maps = mapsOf(problem_.making, problem_.grid, HeldField::lent(problem_.fill), problem_.keep,
                             problem_.attached, widening_);
    toLevel_ = std::move(maps.level);
    projected_ = std::move(maps.projected);
  }
  nominal_ = chain(0.5);
  eroded_ = chain(0.5 + reading_.erosion);
  // Gaps come in as erosion does.
  constexpr double kFull = 0.25;
  const double gap = wallsOf(problem_.making).smallestGap;
  const double most = gap > 0 ? dilationFor(gap, problem_.filterRadius(), D) : 0;
  dilation_ = most * std::min(1.0, reading_.erosion / kFull);
  if (dilation_ > 0) dilated_ = chain(0.5 - dilation_);
}

template <int D>
std::vector<double> Readings<D>::forward(std::span<const double> variables) {
  if (toLevel_.readsInput()) variables_.assign(variables.begin(), variables.end());
  level_ = {};  // before the next one is there
  level_ = toLevel_.forward(variables);
  return nominal_.forward(level_);
}

/// From the level to the layout read at a threshold.
template <int D>
LayoutChain Readings<D>::chain(double threshold, double sharpness) const {
  LayoutChain maps;
  if (sharpness > 0) maps.append(std::make_shared<Projection>(sharpness, threshold));
  for (const auto& map : projected_) maps.append(map);
  maps.append(keep_);
  return maps;
}

template class Readings<2>;
template class Readings<3>;

}  // namespace barelattice
