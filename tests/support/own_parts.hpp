// Parts a user of the library might bring along: a response and a making rule.
#pragma once

#include <cmath>
#include <map>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "barelattice/layout/making.hpp"
#include "barelattice/layout/orbit_average.hpp"
#include "barelattice/optimise/response.hpp"
#include "barelattice/voxels/node_support.hpp"

namespace barelattice::testing {

/// The mean displacement of some nodes along an axis in one case, m.
class MeanDisplacement final : public Response {
 public:
  /// @param nodeCount degrees of freedom are those of gridDof.
  /// @param sign of the value.
  MeanDisplacement(std::vector<std::size_t> nodes, int axis, std::size_t k, std::size_t nodeCount,
                   double sign = 1)
      : nodes_(std::move(nodes)), axis_(axis), case_(k), nodeCount_(nodeCount), sign_(sign) {}

  std::vector<std::string> names(const Analysis& /*analysis*/) const override { return {"mean_m"}; }
  std::vector<double> values(const Analysed& at) const override {
    if (!std::isfinite(at.states.compliances[case_])) return {at.states.compliances[case_]};
    double sum = 0;
    for (const std::size_t node : nodes_) sum += at.states.displacements[case_][dof(node)];
    return {sign_ * sum / static_cast<double>(nodes_.size())};
  }
  void gradient(const Analysed& at, std::size_t /*which*/, std::span<double> gradient) const override {
    std::vector<double> byDisplacement(at.states.displacements[case_].size(), 0.0);
    for (const std::size_t node : nodes_)
      byDisplacement[dof(node)] = sign_ / static_cast<double>(nodes_.size());
    at.analysis.adjointGradient(at.states, case_, at.analysis.adjoint(at.states, case_, byDisplacement),
                                gradient);
  }

 private:
  std::size_t dof(std::size_t node) const { return static_cast<std::size_t>(axis_) * nodeCount_ + node; }

  std::vector<std::size_t> nodes_;
  int axis_;
  std::size_t case_;
  std::size_t nodeCount_;
  double sign_;
};

template <int D>
std::vector<std::size_t> nodesAt(const Grid<D>& grid, std::size_t axis, int index) {
  std::vector<std::size_t> nodes;
  for (std::size_t n = 0; n < grid.nodeCount(); ++n)
    if (grid.nodeIndex(n)[axis] == index) nodes.push_back(n);
  return nodes;
}

/// The same density all along an axis.
template <int D>
OwnMaking constantAlong(const Grid<D>& grid, std::size_t axis) {
  std::map<Index<D>, int> numbers;
  std::vector<int> orbit;
  for (std::size_t c = 0; c < grid.cellCount(); ++c) {
    Index<D> column = grid.cellIndex(c);
    column[axis] = 0;
    orbit.push_back(numbers.try_emplace(column, static_cast<int>(numbers.size())).first->second);
  }
  return {"constant", nullptr, std::make_shared<OrbitAverage>(orbit)};
}

}  // namespace barelattice::testing
