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
  // Gaps and what the process leaves come in as erosion does.
  constexpr double kFull = 0.25;
  const double share = std::min(1.0, reading_.erosion / kFull);
  const Walls& walls = wallsOf(problem_.making);
  const double radius = problem_.filterRadius();
  offset_ = walls.madeWithin > 0 ? share * erosionFor(walls.madeWithin, radius, D) : 0;
  made_ = chain(0.5 + offset_);
  dilation_ = walls.smallestGap > 0 ? share * dilationFor(walls.smallestGap, radius, D) : 0;
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
