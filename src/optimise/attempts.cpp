#include "attempts.hpp"

#include <algorithm>
#include <array>

namespace barelattice {
namespace {

struct Start {
  double widening;
  double mostRatio;
};
constexpr double kNoBound = std::numeric_limits<double>::infinity();

// The filter starts wider than the members need and narrows while the projection is soft: smoother problems
// have fewer poor optima, and a wider filter finds fewer and stouter members. How wide it must be follows
// from the mass: when the design has come to rest at the first reading it is read once as thin as it will be
// at the end, and the ratio of the two goals grows as the mass gets leaner. Tried with filters 1, 2, 3, 4, 6
// and 8 times as wide, sheets with a ratio up to 1.48 came out best, or within a few per cent of it, with 2;
// up to 1.6 with 4 (2 gave up to a tenth softer ones, or broke); beyond that 6 to 8 (less broke, or came out
// a third softer). Bodies start with 1 up to a ratio of 1.4, with 2 beyond.
//
// The problems are those of bench/convergence. Bodies mostly stand in spaces a few members thick, which a
// wide filter cannot fill.
//
// The lightest. The same sheet is five to ten times as soft while it is grey and widely filtered as it is in
// the end. Were it to hold its limits then already, its mass would be two or three times too large, and the
// members that form would be those of a heavier part: too many and too slim for what is left later. So the
// first way only finds a mass, by holding the limits up to the last reading without erosion, and the next one
// begins with a little less of it and keeps to it until it is there. A sluice plate with a bound on its
// compliance became 20 % lighter by it, with bounds on displacements 2 % heavier. Bodies, whose filters begin
// narrower, got no lighter; under a bound on stress alone a plate got 8 % lighter, and a pulled tie 5 %
// heavier.
constexpr std::array kSheetStarts{Start{2, 1.48}, Start{4, 1.6}, Start{8, kNoBound}};
constexpr std::array kBodyStarts{Start{1, 1.4}, Start{2, kNoBound}};

}  // namespace

template <int D>
std::vector<Attempt> attemptsFor(const LayoutProblem<D>& problem, const OptimiseOptions& options) {
  if (!options.path.empty()) return {{options.path, kNoBound, false}};
  constexpr double kWidest = 0.5;  // filter over the least extent of the space
  constexpr double kWider = 1.2;   // than the one before, or it would find the same
  const Index<D>& cells = problem.grid.frame().cells;
  const double extent = problem.grid.frame().size * *std::min_element(cells.begin(), cells.end());
  const double widest = std::max(1.0, kWidest * extent / problem.filterRadius());
  std::vector<Start> starts;
  if (!problem.start.empty()) starts.push_back({1, kNoBound});  // it has a form already
  if (D == 2) starts.insert(starts.end(), kSheetStarts.begin(), kSheetStarts.end());
  if (D == 3) starts.insert(starts.end(), kBodyStarts.begin(), kBodyStarts.end());
  std::vector<Attempt> attempts;
  const bool led = problem.goal.response && problem.goal.response->ledByStiffness();
  if (D == 2 && problem.lightest && !led && problem.start.empty())
    attempts.push_back(
        {usualPath(std::min(starts.front().widening, widest), options.erosion), kNoBound, true});
  double last = 0;
  for (const Start& start : starts) {
    const double widening = std::min(start.widening, widest);
    if (widening <= kWider * last) continue;
    attempts.push_back({usualPath(widening, options.erosion), start.mostRatio, false});
    last = widening;
  }
  return attempts;
}

template std::vector<Attempt> attemptsFor<2>(const LayoutProblem<2>&, const OptimiseOptions&);
template std::vector<Attempt> attemptsFor<3>(const LayoutProblem<3>&, const OptimiseOptions&);

}  // namespace barelattice
