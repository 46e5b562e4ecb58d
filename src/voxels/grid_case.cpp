#include "barelattice/voxels/grid_case.hpp"

#include <map>

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
    requireFinite("bodyForce", c.bodyForce);
  });
}

template <int D>
std::vector<NodeSupport<D>> supportsOn(const Grounding& grounding) {
  std::vector<NodeSupport<D>> supports;
  for (const NodeSupport<3>& all : grounding.nodes())
    supports.push_back({all.node, all.free.topLeftCorner<D, D>(), all.spring.topLeftCorner<D, D>()});
  return supports;
}

template <int D>
std::vector<GridCase<D>> casesOn(const Grid<D>& grid, const Setup& setup) {
  validate(setup);
  std::vector<FaceTies> faces;
  for (const NamedFace& named : setup.faces) faces.push_back(tieToGrid(grid, named.face));
  std::map<std::size_t, NodalVectors> unit;  // of the loads that some case uses
  for (const LoadCase& c : setup.cases)
    for (const LoadCase::Factor& f : c.loads)
      if (setup.actsOnFace(f.load) && !unit.contains(f.load))
        unit[f.load] = faceForces(setup.loads[f.load], faces[setup.loads[f.load].face]);
  std::vector<GridCase<D>> cases;
  for (const LoadCase& c : setup.cases) {
    const Grounding grounding = grounded(setup, c, faces);
    GridCase<D>& on = cases.emplace_back(GridCase<D>{
        c.name, c.weight, {}, supportsOn<D>(grounding), grounding.couplings(), bodyForce(setup, c)});
    for (const LoadCase::Factor& f : c.loads)
      for (const NodalVector& at : unit[f.load]) {
        requireIndex("node of load " + setup.loads[f.load].name, at.node, grid.nodeCount(), "nodes");
        for (int i = 0; i < D; ++i) on.force[gridDof(grid, at.node, i)] += f.factor * at.value[i];
      }
  }
  return cases;
}

template BARELATTICE_API void validate(const Grid<2>&, const GridCase<2>&);
template BARELATTICE_API void validate(const Grid<3>&, const GridCase<3>&);
template BARELATTICE_API std::vector<NodeSupport<2>> supportsOn(const Grounding&);
template BARELATTICE_API std::vector<NodeSupport<3>> supportsOn(const Grounding&);
template BARELATTICE_API std::vector<GridCase<2>> casesOn(const Grid<2>&, const Setup&);
template BARELATTICE_API std::vector<GridCase<3>> casesOn(const Grid<3>&, const Setup&);

}  // namespace barelattice
