/// @file
/// What is to be designed.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/layout/making.hpp"
#include "barelattice/optimise/black_and_white.hpp"
#include "barelattice/optimise/goal.hpp"
#include "barelattice/voxels/mirror_piece.hpp"

namespace barelattice BARELATTICE_API {

/// A layout problem on a grid: the layout of a given mass whose goal is smallest, under the making rules; or
/// the lightest layout whose goal is one.
///
/// Both are the same for the optimum: of all layouts of the mass of the lightest one none has a smaller goal.
/// So the lightest is sought by changing the mass, a little with each step, until the smallest goal is one.
/// Every layout on the way has a mass that is met exactly, and none is without any hold, as such that only
/// have to get lighter until a limit stops them would be.
template <int D>
struct LayoutProblem {
  Grid<D> grid;
  Material material;               ///< in two dimensions that of a sheet, see sheetMaterial
  std::vector<double> fill;        ///< share of each cell that exists
  std::vector<std::uint8_t> keep;  ///< cells that stay solid
  std::vector<double> modulus;     ///< of each cell relative to the material's, above 0 up to 1; empty for 1
  std::vector<double> mass;  ///< of each full cell in any unit, 0 where it does not count towards the target;
                             ///< empty if all count alike
  std::vector<double> cellMass;  ///< of each full cell, kg; only where a case has a force on all mass, or
                                 ///< goal or limits look at natural modes
  std::vector<MassOnFace> carried = {};    ///< masses that take part in natural modes
  std::vector<double> cellExpansion = {};  ///< of each cell, 1/K; the material's if empty
  std::vector<GridCase<D>> cases;          ///< one or more, with weights that are not all zero
  Goal goal;
  double massFraction = 0.5;  ///< of the full domain, above the share of the keeps, below 1; met exactly.
                              ///< Where the lightest is sought, what the search begins with
  /// The least mass is sought at which the goal is at most one: values over their bounds, of which the worst
  /// counts, say. A goal that no mass up to the full one can meet is told.
  bool lightest = false;
  std::vector<Limit> limits;       ///< besides the mass
  std::vector<MakingRule> making;  ///< one rule on walls among them
  std::vector<std::uint8_t>
      attached;  ///< cells next to held or loaded faces, which see a reflecting boundary; empty for none
  /// Layers of nodes in which all of the problem is its own image, what acts included: only a piece is
  /// solved. A making rule has to mirror the layout in the same planes.
  MirrorLayers<D> mirrors = {};
  std::vector<double> start;  ///< density the design starts from, 0 to 1; empty for a uniform one

  double filterRadius() const { return filterRadiusFor(wallsOf(making).smallestMember, D); }  ///< m
};

/// @throws InputError naming the field that contradicts the others or is out of range, with both sizes or the
/// value: fields that are not of the grid, cases that do not fit it, weights all zero.
template <int D>
void validate(const LayoutProblem<D>& problem);

/// The limits besides the mass: the problem's own, then those of its making rules. O(cells).
template <int D>
std::vector<Limit> limitsOf(const LayoutProblem<D>& problem);

/// A hash of all a problem states in numbers: problems of which one's states cannot be continued as the
/// other's differ in it. O(cells).
template <int D>
std::string fingerprintOf(const LayoutProblem<D>& problem);

/// The loads from which no way leads to a support on which a member of the smallest size finds room: with all
/// of the space full, no such way is left at the threshold 0.5 + erosion. One entry per case at most.
template <int D>
std::vector<LooseLoad<D>> loadsInNarrows(const LayoutProblem<D>& problem, double erosion);

/// One sentence for people, and what helps.
template <int D>
std::string narrowText(const LayoutProblem<D>& problem, const LooseLoad<D>& load);
inline constexpr const char* kNarrowCure =
    "take a smaller smallest_member, widen the space there, or let the filter reflect at its walls";

}  // namespace barelattice
