#include "barelattice/voxels/grid_case.hpp"

#include <set>

#include "barelattice/voxels/grid_ties.hpp"
#include "base/check.hpp"
#include "checks.hpp"

namespace barelattice {

template <int D>
void validate(const Grid<D>& grid, const GridCase<D>& c) {
  naming("case", c.name, [&] {
    checkStanding<D>(grid, c.supports, c.couplings);
    checkForces(c.force, D * grid.nodeCount());
    requireNotNegative("weight", c.weight);
    requireFinite("bodyForce", c.bodyForce.perMass);
    requireFinite("gradient of the bodyForce", c.bodyForce.gradient);
    requireFinite("temperature", c.temperature);
    for (const NodalVector& at : c.moved) {
      requireIndex("node that is moved", at.node, grid.nodeCount(), "nodes");
      requireFinite("what a node is moved by", at.value);
    }
    std::set<std::size_t> moved;
    for (const NodalVector& at : c.moved) moved.insert(at.node);
    for (const Coupling& coupling : c.couplings)
      for (const NodalVectors& motion : coupling.motions)
        for (const NodalVector& at : motion)
          if (moved.contains(at.node))
            throw InputError(fmt::format("node {} is moved, and a coupling acts on it", at.node),
                             "couple other nodes");
  });
}

template <int D>
std::vector<NodeSupport<D>> supportsOn(const Grounding& grounding) {
  std::vector<NodeSupport<D>> supports;
  for (const NodeSupport<3>& all : grounding.nodes())
    supports.push_back({all.node, all.free.topLeftCorner<D, D>(), all.spring.topLeftCorner<D, D>()});
  return supports;
}

namespace {

/// @param to the grid or the domain its faces are tied to.
template <int D, class On>
std::vector<GridCase<D>> casesTied(const Grid<D>& grid, const On& to, const Setup& setup) {
  validate(setup);
  std::vector<FaceTies> faces;
  for (const NamedFace& named : setup.faces) faces.push_back(tieToGrid(to, named.face));
  std::vector<GridCase<D>> cases;
  for (const LoadCase& c : setup.cases)
    naming("case", c.name, [&] {
      const Grounding grounding = grounded(setup, c, faces);
      GridCase<D>& on = cases.emplace_back(GridCase<D>{c.name,
                                                       c.weight,
                                                       {},
                                                       supportsOn<D>(grounding),
                                                       grounding.couplings(),
                                                       bodyForce(setup, c),
                                                       temperatureOf(setup, c),
                                                       grounding.moved()});
      for (const NodalVector& at : faceForces(setup, c, faces, grid.nodeCount())) {
        for (int i = 0; i < D; ++i) on.force[gridDof(grid, at.node, i)] += at.value[i];
      }
    });
  return cases;
}

}  // namespace

template <int D>
std::vector<GridCase<D>> casesOn(const Grid<D>& grid, const Setup& setup) {
  return casesTied<D>(grid, grid, setup);
}

template <int D>
std::vector<GridCase<D>> casesOn(const Domain<D>& domain, const Setup& setup) {
  return casesTied<D>(domain.grid, domain, setup);
}

template BARELATTICE_API void validate(const Grid<2>&, const GridCase<2>&);
template BARELATTICE_API void validate(const Grid<3>&, const GridCase<3>&);
template BARELATTICE_API std::vector<NodeSupport<2>> supportsOn(const Grounding&);
template BARELATTICE_API std::vector<NodeSupport<3>> supportsOn(const Grounding&);
template BARELATTICE_API std::vector<GridCase<2>> casesOn(const Grid<2>&, const Setup&);
template BARELATTICE_API std::vector<GridCase<3>> casesOn(const Grid<3>&, const Setup&);
template BARELATTICE_API std::vector<GridCase<2>> casesOn(const Domain<2>&, const Setup&);
template BARELATTICE_API std::vector<GridCase<3>> casesOn(const Domain<3>&, const Setup&);

}  // namespace barelattice
