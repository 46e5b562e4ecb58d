// A design's variables, read, analysed, judged and differentiated: the function that is made small.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "barelattice/optimise/analysis.hpp"
#include "formulation.hpp"
#include "readings.hpp"

namespace barelattice {

/// What the readings of a design are worth.
struct Assessed {
  Appraisal appraisal;
  std::vector<double> values;  ///< of the layout as it may be made: terms of the goal, limits
  double merit = 0;            ///< what is minimised
  double nominal = 0;          ///< the goal of the layout as it may be made
  double eroded = 0;           ///< of the thinner one; infinite where that does not hold
  int solverIterations = 0;    ///< over all cases
  bool strengthened = false;   ///< a solve went over to W-cycles
};

template <int D>
class Assessment {
 public:
  /// @param problem must outlive the object.
  /// @param erodedShare of the goal where the reading has a thinner layout.
  /// @throws InputError if goal and limits contradict the cases.
  Assessment(const LayoutProblem<D>& problem, const StiffnessLaw& law, double erodedShare);

  Readings<D>& readings() { return readings_; }
  GridAnalysis<D>& analysis() { return analysis_; }
  const Formulation& formulation() const { return formulation_; }
  const MassFraction& mass() const { return *mass_; }

  double massOf(std::span<const double> variables) { return mass_->value(readings_.forward(variables)); }
  /// The goal of a reading that has been analysed.
  double goalAt(const CaseStates& states) { return formulation_.goalAt({analysis_, states}); }
  /// Analyses a layout from the states and returns its goal. The states move on.
  double goalOf(std::vector<double> density, CaseStates& states);

  /// The goal's terms and the limits of a layout that has been analysed as it is drawn.
  std::vector<double> valuesAt(const CaseStates& states);

  /// Analyses the readings of the variables that went forward last.
  /// @param layout what they gave.
  Assessed assess(std::vector<double> layout, ReadingStates& states);
  /// The derivatives of what was assessed last.
  DesignGradients differentiate(const ReadingStates& states);

 private:
  double share() const { return readings_.reading().erosion > 0 ? erodedShare_ : 0; }
  void solve(std::vector<double> density, CaseStates& states, Assessed& assessed);
  /// What limits on the density look at: what is drawn of the states that were analysed.
  const CaseStates& drawnOf(const CaseStates& states) const {
    return readings_.madeThinner() ? drawn_ : states;
  }
  void addGoal(bool eroded, const CaseStates& states, std::vector<std::vector<double>>& gradients);

  double erodedShare_;
  CaseStates drawn_;  // the density alone of what was assessed last, where it was analysed as it may be made
  Readings<D> readings_;
  GridAnalysis<D> analysis_;
  std::shared_ptr<const MassFraction> mass_;
  Formulation formulation_;
};

}  // namespace barelattice
