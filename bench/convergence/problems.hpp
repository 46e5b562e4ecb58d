// Layout problems the optimiser is tried on: what is held, what is pushed, how much mass, how thin a member.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "barelattice/optimise/optimiser.hpp"

namespace barelattice::bench {

/// A layout problem with the grid it stands on. Lengths in cells: edge one, modulus one, so that figures of
/// one problem compare with those of another.
template <int D>
struct Posed {
  std::string name;
  std::unique_ptr<Grid<D>> grid;
  LayoutProblem<D> problem;
  double legal = 0;  ///< compliance of a hand-drawn layout of the same mass with members that are thick
                     ///< enough, by theory of bars; 0 where none was drawn
};

/// Problems by name, made when asked for.
template <int D>
struct Named {
  std::string name;
  std::function<Posed<D>()> make;
};

/// The forty problems of the suite, by dimension.
std::vector<Named<2>> suiteOfSheets();
std::vector<Named<3>> suiteOfBodies();

/// Twenty-four: a sheet 208 x 100 on three pads at its lower edge, held at the outer two, pushed down at the
/// middle one; mirrored.
std::vector<Named<2>> wheels();
/// Twenty-five: a block 60 x 18 x 30 mm with solid ends, clamped at one, pushed down at the other; members of
/// 9 mm.
std::vector<Named<3>> shortCantilevers();

}  // namespace barelattice::bench
