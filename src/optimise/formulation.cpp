#include "formulation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "asked.hpp"

namespace barelattice {

std::vector<std::string> Formulation::columns(const Analysis& analysis) const {
  std::vector<std::string> columns = goal_.response->names(analysis);
  for (const Limit& limit : limits_) columns.push_back(limit.response->names(analysis)[limit.which]);
  return columns;
}

bool Formulation::perFull() const {
  return goal_.perFull ||
         std::any_of(limits_.begin(), limits_.end(), [](const Limit& limit) { return limit.perFull; });
}

void Formulation::settle(const Appraisal& full) {
  for (std::size_t k = 0; k < full.terms.size() && goal_.perFull; ++k)
    if (full.terms[k] > 0) goal_.weights[k] /= full.terms[k];
  goal_.perFull = false;
  for (std::size_t i = 0; i < limits_.size(); ++i)
    if (std::exchange(limits_[i].perFull, false)) limits_[i].bound *= full.limits[i];
}

double Formulation::goalOf(const std::vector<double>& terms) const {
  double sum = 0;
  double worst = 0;
  for (std::size_t k = 0; k < terms.size(); ++k) {
    sum += goal_.weights[k] * terms[k];
    worst = std::max(worst, goal_.weights[k] * terms[k]);
  }
  return goal_.form == GoalForm::worst ? worst : sum;
}

double Formulation::goalAt(const Analysed& at) const {
  return goalOf(valuesOf(*goal_.response, at));
}

std::vector<double> Formulation::limitsAt(const Analysed& at, const Analysed& drawn) const {
  std::vector<double> values;
  for (const Limit& limit : limits_)
    values.push_back(valuesOf(*limit.response, limit.response->ofDensityAlone() ? drawn : at)[limit.which]);
  return values;
}

double Formulation::missed(std::size_t limit, double value) const {
  const double unit = unitOf(limit);
  return value / unit - limits_[limit].bound / unit;
}

double Formulation::unitOf(std::size_t limit) const {
  const double size = std::abs(limits_[limit].bound);
  return limits_[limit].sense == LimitSense::atMost ? size : -size;
}

std::vector<double> Formulation::overBounds(const std::vector<double>& values) const {
  std::vector<double> over;
  for (std::size_t k = 0; k < goal_.weights.size() && lightest_; ++k)
    over.push_back(goal_.weights[k] * values[k]);
  for (std::size_t i = 1; i < limits_.size(); ++i) {
    const double value = values[goal_.weights.size() + i];
    over.push_back(limits_[i].sense == LimitSense::atMost ? value / limits_[i].bound
                                                          : limits_[i].bound / value);
  }
  return over;
}

std::optional<std::size_t> Formulation::outOfReach(const std::vector<double>& full,
                                                   const Analysis& analysis) const {
  constexpr double kSlack = 1.02;  // what voxels may be off by
  const std::vector<double> over = overBounds(full);
  const std::size_t terms = lightest_ ? goal_.weights.size() : 0;
  std::optional<std::size_t> worst;
  for (std::size_t n = 0; n < over.size(); ++n) {
    double gain = 0;
    if (n < terms) {
      gain = goal_.response->mostGain(analysis, n);
    } else {
      const Limit& limit = limits_[n - terms + 1];
      if (limit.sense == LimitSense::atLeast) continue;  // of such nothing is known
      gain = limit.response->mostGain(analysis, limit.which);
    }
    if (over[n] > kSlack * gain && (!worst || over[n] > over[*worst])) worst = n;
  }
  return worst;
}

std::string Formulation::boundText(std::size_t number, const std::vector<double>& values,
                                   const std::vector<std::string>& columns) const {
  const std::size_t terms = lightest_ ? goal_.weights.size() : 0;
  const bool term = number < terms;
  const std::size_t limit = term ? 0 : number - terms + 1;
  const std::size_t column = term ? number : goal_.weights.size() + limit;
  return fmt::format("{} is {:.4g}, and was to be {} {:.4g}", columns[column], values[column],
                     term || limits_[limit].sense == LimitSense::atMost ? "at most" : "at least",
                     term ? 1 / goal_.weights[number] : limits_[limit].bound);
}

double Formulation::shareMissed(const Appraisal& appraisal) const {
  // An exact penalty (Nocedal & Wright 2006, section 15.4). A tenth of a bound weighs as much as the goal
  // itself: more than limits that can be met at all tend to cost.
  constexpr double kPenalty = 10;
  double share = 1;
  for (std::size_t i = 1; i < limits_.size(); ++i)
    share += kPenalty * std::max(0.0, missed(i, appraisal.limits[i]));
  return share;
}

double Formulation::merit(const Appraisal& appraisal) const {
  return shareMissed(appraisal) * goalOf(appraisal.terms);
}

/// A goal falls with the mass m, as m^-q: q is 1 for a rod or a plate in its plane, 3 for a plate that is
/// bent or a grey layout, and more where members are about to break. With a power a of the goal below 1 / q
/// lighter layouts are better as long as it is under one, with b above 1 / q heavier ones where it is over,
/// so that the best is where it is one: a tenth serves below, one and a half above. With a quarter below,
/// layouts of slim members stood at half their bounds; but where limits ask for next to nothing it takes that
/// to keep members from breaking.
double Formulation::meritOfLightest(const Appraisal& appraisal, double goal, double softer) const {
  constexpr double kBelow = 0.1;
  constexpr double kFarBelow = 0.25;
  constexpr double kAbove = 1.5;
  constexpr double kThinner = 0.1;  // the thinner layout must hold, and may be softer for less mass
  constexpr double kSofter = 0.5;
  const double far = std::min(goal / kNextToNothing, 1.0);
  return appraisal.limits.front() * std::pow(goal, goal > 1 ? kAbove : kBelow) *
         std::pow(far, kFarBelow - kBelow) *
         (goal > 0 ? std::pow(goalOf(appraisal.terms) / goal, kThinner) : 1) *
         std::pow(std::max(1.0, softer / kThin), kSofter) * shareMissed(appraisal);
}

}  // namespace barelattice
