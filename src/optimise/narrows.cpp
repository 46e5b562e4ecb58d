// Where the space leaves no room for a member.

#include <fmt/format.h>

#include "barelattice/layout/density_filter.hpp"
#include "barelattice/optimise/layout_problem.hpp"
#include "base/check.hpp"
#include "places.hpp"

namespace barelattice {

template <int D>
std::vector<LooseLoad<D>> loadsInNarrows(const LayoutProblem<D>& problem, double erosion) {
  validate(problem);
  requireWithin("erosion", erosion, 0, 0.5);
  const DensityFilter<D> filter(problem.grid, problem.fill, problem.filterRadius(),
                                wallsOf(problem.making).boundary, problem.attached);
  std::vector<double> level(problem.fill.size());
  filter.forward(std::vector<double>(level.size(), 1.0),
                 level);  // nothing can be thicker
  return looseLoads(problem.grid, thickEnough(problem.keep, level, erosion), problem.cases);
}

template <int D>
std::string narrowText(const LayoutProblem<D>& problem, const LooseLoad<D>& load) {
  requireIndex("load", load.load, problem.cases.size(), "cases");
  return fmt::format(
      "case {}: on every way from the load at {} to a support the design space is too narrow for a "
      "member of the smallest size",
      problem.cases[load.load].name, placeText<D>(load.at));
}

template BARELATTICE_API std::vector<LooseLoad<2>> loadsInNarrows(const LayoutProblem<2>&, double);
template BARELATTICE_API std::vector<LooseLoad<3>> loadsInNarrows(const LayoutProblem<3>&, double);
template BARELATTICE_API std::string narrowText(const LayoutProblem<2>&, const LooseLoad<2>&);
template BARELATTICE_API std::string narrowText(const LayoutProblem<3>&, const LooseLoad<3>&);

}  // namespace barelattice
