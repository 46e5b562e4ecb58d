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
  double goal = 0;             ///< of the layout as it may be made
  double nominal = 0;          ///< how well that holds, see Assessment::holdOf
  double eroded = 0;           ///< how well the thinner one does; infinite where it does not hold
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

  /// Where the lightest is sought: the mass that is met for now.
  void boundMass(double massFraction) { formulation_.boundMass(massFraction); }
  /// Goal and limits of the full domain, to which weights and bounds may be relative. They are from then on
  /// settled. @param states of the full domain afterwards.
  Appraisal measureFull(CaseStates& states);
  /// The sum of the cases' compliances by their weights, J.
  double complianceOf(const CaseStates& states) const;
  /// Whether layouts are compared by their compliance as to how well they hold, and not by the goal: where
  /// the lightest is sought, or the goal is of places or modes, see Response::heldByCompliance.
  bool byHold() const { return byHold_; }
  double holdOf(const CaseStates& states) { return byHold_ ? complianceOf(states) : goalAt(states); }
  /// Analyses a layout from the states and returns that. The states move on.
  double holdOf(std::vector<double> density, CaseStates& states);

  double massOf(std::span<const double> variables) { return mass_->value(readings_.forward(variables)); }
  /// The goal of a reading that has been analysed.
  double goalAt(const CaseStates& states) { return formulation_.goalAt({analysis_, states}); }
  /// Analyses a layout from the states with all that goal and limits look at. The states move on.
  void analyse(std::vector<double> density, CaseStates& states) {
    analysis_.attempt(std::move(density), states, modes_);
  }

  /// The goal's terms and the limits of a layout that has been analysed as it is drawn.
  std::vector<double> valuesAt(const CaseStates& states);

  /// Analyses the readings of the variables that went forward last.
  /// @param layout what they gave.
  Assessed assess(std::vector<double> layout, ReadingStates& states);
  /// The derivatives of what was assessed last.
  /// @param leastShare of a worst that is held by compliance: terms under this share of it are left out, as
  ///   no derivative at all. They do not govern, and each costs a solve. So are limits far from their bounds,
  ///   unless it is zero.
  /// Adjoint states start from those of the states, and are left in them.
  DesignGradients differentiate(ReadingStates& states, double leastShare = 0);

 private:
  double share() const { return readings_.reading().erosion > 0 ? erodedShare_ : 0; }
  void solve(std::vector<double> density, CaseStates& states, int modes, Assessed& assessed);
  /// What limits on the density look at: what is drawn of the states that were analysed.
  const CaseStates& drawnOf(const CaseStates& states) const {
    return readings_.madeThinner() ? drawn_ : states;
  }
  void addGoal(bool eroded, const CaseStates& states, std::vector<std::vector<double>>& gradients);
  /// A value with a derivative: of a term of the goal, or, behind those, of a limit.
  std::pair<const Response*, std::size_t> valueAt(std::size_t number) const;
  /// The numbers of those whose derivatives are asked for.
  std::vector<std::size_t> governing(const CaseStates& states, double leastShare);
  void findAdjoints(const std::vector<std::size_t>& numbers, ReadingStates& states);
  void addGoalByHold(const ReadingStates& states, const std::vector<std::size_t>& numbers,
                     std::vector<std::vector<double>>& gradients);
  std::vector<double> complianceGradient(const CaseStates& states, bool eroded);
  double steering() const;
  double heldFactor(const ReadingStates& states) const;

  std::size_t cells_;
  double erodedShare_;
  bool lightest_;
  bool byHold_ = false;
  int modes_ = 0;              // that goal and limits look at
  double fullCompliance_ = 1;  // J, once it is measured
  std::vector<double> caseWeights_;
  CaseStates drawn_;  // the density alone of what was assessed last, where it was analysed as it may be made
  Readings<D> readings_;
  GridAnalysis<D> analysis_;
  std::shared_ptr<const MassFraction> mass_;
  Formulation formulation_;
};

}  // namespace barelattice
