#include "barelattice/optimise/natural_periods.hpp"

#include <cmath>
#include <limits>
#include <numbers>

#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

constexpr double kPower = 24;  // p

std::vector<double> periodsOf(const ModeStates& modes) {
  std::vector<double> periods;
  for (const double squared : modes.squared) periods.push_back(2 * std::numbers::pi / std::sqrt(squared));
  return periods;
}

/// The powers are of shares of the longest: those of small numbers would vanish.
double meanOf(const std::vector<double>& periods) {
  if (periods.empty()) return std::numeric_limits<double>::infinity();
  double sum = 0;
  for (const double period : periods) sum += std::pow(period / periods.front(), kPower);
  return periods.front() * std::pow(sum, 1 / kPower);
}

}  // namespace

std::vector<std::string> NaturalPeriods::names(const Analysis& analysis) const {
  std::vector<std::string> names;
  for (const std::size_t k : analysis.supportSets())
    names.push_back(name_ + "_in_" + analysis.caseName(k) + "_s");
  return names;
}

std::vector<double> NaturalPeriods::values(const Analysed& at) const {
  std::vector<double> values(at.analysis.supportSets().size(), std::numeric_limits<double>::infinity());
  for (std::size_t set = 0; set < values.size() && set < at.states.modes.size(); ++set)
    values[set] = meanOf(periodsOf(at.states.modes[set]));
  return values;
}

void NaturalPeriods::gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const {
  requireIndex("set of supports", which, at.states.modes.size(), "sets whose modes were found");
  const ModeStates& modes = at.states.modes[which];
  const std::vector<double> periods = periodsOf(modes);
  const double mean = meanOf(periods);
  std::fill(gradient.begin(), gradient.end(), 0.0);
  std::vector<double> own(gradient.size());
  for (std::size_t i = 0; i < periods.size(); ++i) {
    const double factor = -std::pow(periods[i] / mean, kPower - 1) * periods[i] / (2 * modes.squared[i]);
    at.analysis.modeGradient(at.states, which, i, own);
    forEach(own.size(), [&](std::size_t c) { gradient[c] += factor * own[c]; });
  }
}

}  // namespace barelattice
