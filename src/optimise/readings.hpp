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
/// The nominal layout is the result; `made` is what is analysed of it: the same, or, where a process leaves
/// something, as thin as it may turn out.
template <int D>
class Readings {
 public:
  /// @param problem must outlive the object.
  explicit Readings(const LayoutProblem<D>& problem);

  /// Sets the maps up. The chains are to go forward anew.
  void set(const Reading& reading);
  const Reading& reading() const { return reading_; }

  /// The layout that would be the result of the variables, to which what follows belongs.
  std::vector<double> forward(std::span<const double> variables);
  /// Whether what is made may be thinner than the nominal layout.
  bool madeThinner() const { return offset_ > 0; }
  std::vector<double> made() const { return made_.forward(level_); }
  std::vector<double> madeThick() const { return chain(0.5 - offset_).forward(level_); }
  /// The thinner layout of the same variables.
  std::vector<double> eroded() const { return eroded_.forward(level_); }
  /// The same, as thin as `erosion` makes it.
  std::vector<double> thinner(double erosion) const { return chain(0.5 + erosion).forward(level_); }
  /// It crosses 0.5 where the layout does. Keeps are one.
  std::vector<double> level() const { return chain(0.5, 0).forward(level_); }
  /// The level of other variables, without anything done to it after the filter.
  std::vector<double> levelOf(std::span<const double> variables) const { return toLevel_.forward(variables); }

  /// Derivatives by the variables from those by the density of a reading.
  std::vector<double> fromNominal(std::span<const double> byDensity) const {
    return toLevel_.backward(variables_, nominal_.backward(level_, byDensity));
  }
  std::vector<double> fromMade(std::span<const double> byDensity) const {
    return toLevel_.backward(variables_, made_.backward(level_, byDensity));
  }
  std::vector<double> fromEroded(std::span<const double> byDensity) const {
    return toLevel_.backward(variables_, eroded_.backward(level_, byDensity));
  }
  /// Whether there is a thicker layout: where gaps have a least width.
  bool hasDilated() const { return dilation_ > 0; }
  std::vector<double> fromDilated(std::span<const double> byDensity) const {
    return toLevel_.backward(variables_, dilated_.backward(level_, byDensity));
  }

 private:
  LayoutChain chain(double threshold) const { return chain(threshold, reading_.sharpness); }
  LayoutChain chain(double threshold, double sharpness) const;

  const LayoutProblem<D>& problem_;
  std::shared_ptr<const LayoutMap> keep_;
  std::vector<std::shared_ptr<const LayoutMap>> projected_;  // making rules after the projection
  Reading reading_;
  double widening_ = 0;  // of the filter in toLevel_
  LayoutChain toLevel_;
  LayoutChain nominal_;  // from there to the layouts
  LayoutChain made_;
  LayoutChain eroded_;
  LayoutChain dilated_;
  double offset_ = 0;    // of the reading's threshold for what is made
  double dilation_ = 0;  // the same for the thicker layout
  std::vector<double> level_;
  std::vector<double> variables_;  // empty where the way back does not depend on them
};

}  // namespace barelattice
