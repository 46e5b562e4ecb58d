// Goal and limits of a problem, as functions of analysed readings.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "barelattice/optimise/optimiser.hpp"

namespace barelattice {

/// Where the lightest is sought: a thinner layout that is this much softer gets no softer. A few times more,
/// and members break.
inline constexpr double kThin = 15;
inline constexpr double kLeastThin = 10;  // where limits ask for next to nothing

/// Where the lightest is sought: limits at less than this share of their bounds do not decide on the mass,
/// and are no reason for members that hardly hold.
inline constexpr double kNextToNothing = 0.5;

class Formulation {
 public:
  /// @param goal with a response, and a weight for each of its values.
  /// @param limits the first one is that on the mass, which is met exactly.
  /// @param lightest whether the goal's terms have a bound, each by its weight.
  Formulation(Goal goal, std::vector<Limit> limits, bool lightest)
      : goal_(std::move(goal)), limits_(std::move(limits)), lightest_(lightest) {}

  const Goal& goal() const { return goal_; }
  /// Whether weights or bounds wait for the values of the full domain.
  bool perFull() const;
  /// Settles them.
  void settle(const Appraisal& full);
  /// Moves the bound on the mass, where the lightest is sought.
  void boundMass(double massFraction) { limits_.front().bound = massFraction; }
  const std::vector<Limit>& limits() const { return limits_; }
  /// Heads of the goal's terms and of the limits.
  std::vector<std::string> columns(const Analysis& analysis) const;

  /// The goal's terms as one number.
  double goalOf(const std::vector<double>& terms) const;
  double goalAt(const Analysed& at) const;
  /// @param drawn the layout itself, where `at` is what may be made of it; only its density is looked at.
  std::vector<double> limitsAt(const Analysed& at, const Analysed& drawn) const;

  /// What a limit is missed by in units of its bound: above zero where it does not hold.
  double missed(std::size_t limit, double value) const;
  /// The unit that counts in: the bound's size, with the sign of the sense.
  double unitOf(std::size_t limit) const;
  /// What values, in the order of the columns, come to over their bounds: see IterationRecord::overBounds.
  std::vector<double> overBounds(const std::vector<double>& values) const;
  /// The worst of those that no layout brings to its bound; nothing if there is none.
  /// @param full values of the full domain.
  std::optional<std::size_t> outOfReach(const std::vector<double>& full, const Analysis& analysis) const;
  /// A figure and its bound, by its number among those.
  std::string boundText(std::size_t number, const std::vector<double>& values,
                        const std::vector<std::string>& columns) const;

  /// What steps are judged by: the goal, and a share of it for what limits other than the mass are missed by.
  /// Without any, the goal.
  double merit(const Appraisal& appraisal) const;
  /// The same where the lightest is sought: about the mass at which the goal is one, times that share, and
  /// more where the thinner layout is about to break.
  /// @param goal of the layout alone. @param softer compliance of the thinner layout over its own.
  double meritOfLightest(const Appraisal& appraisal, double goal, double softer) const;

 private:
  double shareMissed(const Appraisal& appraisal) const;

  Goal goal_;
  std::vector<Limit> limits_;
  bool lightest_;
};

}  // namespace barelattice
