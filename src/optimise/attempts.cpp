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

// Measured on the problems of bench/convergence, each begun with filters 1 to 8 times as wide
// (docs/method.md). Up to a bound its widening gave the best layout or one within a few per cent of it;
// beyond, one a tenth softer than the next, or none. Bodies mostly stand in spaces a few members thick, which
// a wide filter cannot fill.
constexpr std::array kSheetStarts{Start{2, 1.48}, Start{4, 1.6}, Start{8, kNoBound}};
constexpr std::array kBodyStarts{Start{1, 1.4}, Start{2, kNoBound}};

}  // namespace

template <int D>
std::vector<Attempt> attemptsFor(const LayoutProblem<D>& problem, const OptimiseOptions& options) {
  if (!options.path.empty()) return {{options.path}};
  constexpr double kWidest = 0.5;  // filter over the least extent of the space
  constexpr double kWider = 1.2;   // than the one before, or it would find the same
  const Index<D>& cells = problem.grid->frame().cells;
  const double extent = problem.grid->frame().size * *std::min_element(cells.begin(), cells.end());
  const double widest = std::max(1.0, kWidest * extent / problem.filterRadius());
  std::vector<Start> starts;
  if (!problem.start.empty()) starts.push_back({1, kNoBound});  // it has a form already
  if (D == 2) starts.insert(starts.end(), kSheetStarts.begin(), kSheetStarts.end());
  if (D == 3) starts.insert(starts.end(), kBodyStarts.begin(), kBodyStarts.end());
  std::vector<Attempt> attempts;
  double last = 0;
  for (const Start& start : starts) {
    const double widening = std::min(start.widening, widest);
    if (widening <= kWider * last) continue;
    attempts.push_back({usualPath(widening, options.erosion), start.mostRatio});
    last = widening;
  }
  return attempts;
}

template std::vector<Attempt> attemptsFor<2>(const LayoutProblem<2>&, const OptimiseOptions&);
template std::vector<Attempt> attemptsFor<3>(const LayoutProblem<3>&, const OptimiseOptions&);

}  // namespace barelattice
