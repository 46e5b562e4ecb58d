#include "barelattice/optimise/layout_problem.hpp"

#include <algorithm>
#include <cmath>

#include "barelattice/base/hash.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

void validateWeights(const std::vector<double>& weights) {
  double sum = 0;
  for (const double weight : weights) {
    requireNotNegative("weight", weight);
    sum += weight;
  }
  if (!(sum > 0)) throw InputError("all weights are zero", "give one above zero");
}

class FieldHasher {
 public:
  template <class T>
  void add(const T* values, std::size_t count) {
    const std::size_t bytes = count * sizeof(T);
    hasher_.add({reinterpret_cast<const char*>(&bytes), sizeof bytes});
    hasher_.add({reinterpret_cast<const char*>(values), bytes});
  }
  template <class T>
  void add(const std::vector<T>& values) {
    add(values.data(), values.size());
  }
  void add(double value) { add(&value, 1); }
  void add(const std::string& text) { add(text.data(), text.size()); }
  std::string text() const { return hasher_.text(); }

 private:
  Hasher hasher_;
};

}  // namespace

/// Where one side stands for both the layout has to be mirrored there.
template <int D>
void requireMirrored(const LayoutProblem<D>& problem) {
  const GridFrame<D>& frame = problem.grid.frame();
  for (int axis = 0; axis < D; ++axis) {
    const std::optional<int>& layer = problem.mirrors[static_cast<std::size_t>(axis)];
    if (!layer) continue;
    const double at = frame.origin[axis] + *layer * frame.size;
    const auto mirrors = [&](const MakingRule& rule) {
      const auto* plane = std::get_if<MirrorPlane>(&rule);
      constexpr double kSame = 1e-6;  // of a cell
      return plane && std::abs(plane->normal[axis]) > 1 - kSame &&
             std::abs(plane->at * plane->normal[axis] - at) < kSame * frame.size;
    };
    if (std::none_of(problem.making.begin(), problem.making.end(), mirrors))
      throw InputError(
          fmt::format("mirrors names layer {} of nodes across axis {}, and no making rule mirrors the "
                      "layout there",
                      *layer, axis),
          "add the mirror to making, or leave it out of mirrors");
  }
}

template <int D>
void validate(const LayoutProblem<D>& problem) {
  requireMirrored(problem);
  const std::size_t cells = problem.grid.cellCount();
  if (cells == 0) throw InputError("the grid has no cells", "give one with cells");
  requireCount("fill", problem.fill.size(), cells, "cells");
  requireShares("fill", problem.fill);
  requireCount("keep", problem.keep.size(), cells, "cells");
  requireCountOrNone("modulus", problem.modulus.size(), cells, "cells");
  requireShares("modulus", problem.modulus);
  requireCountOrNone("mass", problem.mass.size(), cells, "cells");
  for (const double mass : problem.mass) requireNotNegative("mass of a cell", mass);
  requireCountOrNone("cellMass", problem.cellMass.size(), cells, "cells");
  for (const double mass : problem.cellMass) requireNotNegative("cellMass of a cell", mass);
  requireCountOrNone("cellExpansion", problem.cellExpansion.size(), cells, "cells");
  for (const double expansion : problem.cellExpansion) requireFinite("cellExpansion of a cell", expansion);
  for (const MassOnFace& each : problem.carried) requireNotNegative("a carried mass", each.mass);
  requireCountOrNone("attached", problem.attached.size(), cells, "cells");
  requireCountOrNone("start", problem.start.size(), cells, "cells");
  requireEach("start", problem.start, 0, 1);
  requireFinite("massFraction", problem.massFraction);
  wallsOf(problem.making);
  if (problem.cases.empty()) throw InputError("there is no load case");
  std::vector<double> weights;
  for (const GridCase<D>& c : problem.cases) {
    validate(problem.grid, c);
    weights.push_back(c.weight);
  }
  if (problem.lightest && !problem.goal.response)
    throw InputError("the lightest layout is sought, but its goal has no response",
                     "give it one, with weights that make its values one at their bounds");
  if (problem.lightest) validateWeights(weights);
  if (!problem.goal.weights.empty())
    validateWeights(problem.goal.weights);
  else if (!problem.goal.response)
    validateWeights(weights);
  for (const Limit& limit : problem.limits) {
    requireGiven("response of a limit", limit.response);
    requireFinite("bound of a limit", limit.bound);
  }
}

template <int D>
std::string fingerprintOf(const LayoutProblem<D>& problem) {
  FieldHasher hasher;
  const GridFrame<D>& frame = problem.grid.frame();
  hasher.add(frame.origin.data(), D);
  hasher.add(frame.size);
  hasher.add(frame.cells.data(), D);
  hasher.add(problem.material.modulus);
  hasher.add(problem.material.poisson);
  hasher.add(problem.fill);
  hasher.add(problem.keep);
  hasher.add(problem.modulus);
  hasher.add(problem.mass);
  hasher.add(problem.cellMass);
  hasher.add(problem.cellExpansion);
  hasher.add(problem.attached);
  for (std::size_t i = 0; i < D; ++i)
    if (problem.mirrors[i]) hasher.add(static_cast<double>(*problem.mirrors[i]) + static_cast<double>(i) / D);
  hasher.add(problem.massFraction);
  if (problem.lightest) hasher.add(std::string("lightest"));
  hasher.add(problem.goal.form == GoalForm::worst ? 1.0 : 0.0);
  hasher.add(problem.goal.weights);
  if (problem.goal.perFull) hasher.add(std::string("per full"));
  for (const MassOnFace& each : problem.carried) {
    hasher.add(each.at.data(), 3);
    hasher.add(each.mass);
  }
  for (const Limit& limit : problem.limits) {
    hasher.add(static_cast<double>(limit.which));
    hasher.add(limit.sense == LimitSense::atMost ? 1.0 : -1.0);
    hasher.add(limit.bound);
    if (limit.perFull) hasher.add(std::string("per full"));
  }
  for (const MakingRule& rule : problem.making) {
    hasher.add(nameOf(rule));
    hasher.add(textOf(rule));
  }
  for (const GridCase<D>& c : problem.cases) {
    hasher.add(c.weight);
    hasher.add(c.bodyForce.perMass.data(), 3);
    hasher.add(c.bodyForce.gradient.data(), 9);
    hasher.add(c.temperature);
    for (const NodalVector& at : c.moved) {
      hasher.add(static_cast<double>(at.node));
      hasher.add(at.value.data(), 3);
    }
    for (const auto& [dof, force] : c.force) {
      hasher.add(static_cast<double>(dof));
      hasher.add(force);
    }
    for (const NodeSupport<D>& support : c.supports) {
      hasher.add(static_cast<double>(support.node));
      hasher.add(support.free.data(), D * D);
      hasher.add(support.spring.data(), D * D);
    }
    for (const Coupling& coupling : c.couplings)
      hasher.add(coupling.stiffness.data(), static_cast<std::size_t>(coupling.stiffness.size()));
  }
  return hasher.text();
}

template BARELATTICE_API void validate(const LayoutProblem<2>&);
template BARELATTICE_API void validate(const LayoutProblem<3>&);
template BARELATTICE_API std::string fingerprintOf(const LayoutProblem<2>&);
template BARELATTICE_API std::string fingerprintOf(const LayoutProblem<3>&);

}  // namespace barelattice
