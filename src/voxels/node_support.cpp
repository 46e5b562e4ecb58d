#include "barelattice/voxels/node_support.hpp"

#include <map>

#include "base/check.hpp"

namespace barelattice {

template <int D>
std::vector<NodeSupport<D>> supportsOf(const Grid<D>& grid, std::span<const std::size_t> held) {
  std::map<std::size_t, NodeSupport<D>> byNode;
  for (const std::size_t dof : held) {
    requireIndex("held degree of freedom", dof, D * grid.nodeCount(), "degrees of freedom");
    NodeSupport<D>& support = byNode[dof % grid.nodeCount()];
    support.node = dof % grid.nodeCount();
    const auto component = static_cast<Eigen::Index>(dof / grid.nodeCount());
    support.free(component, component) = 0;
  }
  std::vector<NodeSupport<D>> supports;
  supports.reserve(byNode.size());
  for (const auto& entry : byNode) supports.push_back(entry.second);
  return supports;
}

template BARELATTICE_API std::vector<NodeSupport<2>> supportsOf<2>(const Grid<2>&,
                                                                   std::span<const std::size_t>);
template BARELATTICE_API std::vector<NodeSupport<3>> supportsOf<3>(const Grid<3>&,
                                                                   std::span<const std::size_t>);

}  // namespace barelattice
