// From design variables to the layouts that are analysed.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "barelattice/layout/cell_maps.hpp"
#include "barelattice/optimise/continuation.hpp"
#include "barelattice/optimise/layout_problem.hpp"

namespace barelattice {

/// The chains of maps for one place of a path:
///   variables -> making rules, filter -> level -> projection, making rules, keeps -> layout.
template <int D>
class Readings {
 public:
  /// @param problem must outlive the object.
  explicit Readings(const LayoutProblem<D>& problem);

  /// Sets the maps up. The chains are to go forward anew.
  void set(const Reading& reading);
  const Reading& reading() const { return reading_; }

  /// The layout that would be the result of the variables.
  const std::vector<double>& forward(std::span<const double> variables) {
    return nominal_.forward(level_.forward(variables));
  }
  /// What the last forward returned.
  const std::vector<double>& nominal() const { return nominal_.result(); }
  /// The thinner layout of the same variables.
  const std::vector<double>& eroded() { return eroded_.forward(level_.result()); }
  /// The same, as thin as `erosion` makes it.
  std::vector<double> thinner(double erosion) const { return chain(0.5 + erosion).forward(level_.result()); }
  /// The level of the last forward: it crosses 0.5 where the layout does. Keeps are one.
  std::vector<double> level() const { return chain(0.5, 0).forward(level_.result()); }
  /// The level of other variables, without anything done to it after the filter.
  const std::vector<double>& levelOf(std::span<const double> variables) { return level_.forward(variables); }

  /// Derivatives by the variables from those by the density of a reading, at the last forward.
  std::vector<double> fromNominal(std::span<const double> byDensity) const {
    return level_.backward(nominal_.backward(byDensity));
  }
  std::vector<double> fromEroded(std::span<const double> byDensity) const {
    return level_.backward(eroded_.backward(byDensity));
  }

 private:
  LayoutChain chain(double threshold) const { return chain(threshold, reading_.sharpness); }
  LayoutChain chain(double threshold, double sharpness) const;

  const LayoutProblem<D>& problem_;
  std::shared_ptr<const LayoutMap> keep_;
  std::vector<std::shared_ptr<const LayoutMap>> projected_;  // making rules after the projection
  Reading reading_;
  double widening_ = 0;  // of the filter in level_
  LayoutChain level_;    // from the variables to the level
  LayoutChain nominal_;  // from there to the layouts
  LayoutChain eroded_;
};

}  // namespace barelattice
