/// @file
/// Where a growing function crosses zero.
#pragma once

#include <algorithm>
#include <cmath>

namespace barelattice {

/// A search interval with a first guess and the first step away from it.
struct RootSearch {
  double guess = 0;
  double step = 1;   ///< the longest, above 0; doubled until the root lies between two values
  double low = 0;    ///< the search goes no lower,
  double high = 1;   ///< nor higher
  double width = 0;  ///< accepted uncertainty of the root
  double slope = 0;  ///< of the function at the guess, roughly; 0 if unknown. The first step is then Newton's
};

/// Finds x with value(x) = 0 for a function that does not fall, in a handful of evaluations: by secants, no
/// longer than the step, until the root lies between two values, then by the Illinois form of false position
/// (Dowell & Jarratt 1971).
/// @param value the function; not called again once it returned less than `accuracy` in size.
/// @return the last x given to `value`: the root, or the end of the interval if there is none.
template <class Value>
double growingRoot(const Value& value, const RootSearch& search, double accuracy) {
  double x = std::clamp(search.guess, search.low, search.high);
  double f = value(x);
  double low = search.low;
  double high = search.high;
  double fLow = 0;  // 0 while unknown
  double fHigh = 0;
  double step = search.step;
  double slope = search.slope;
  bool roundOnLow = false;
  bool roundOnHigh = false;
  for (int round = 0; round < 200 && std::abs(f) > accuracy; ++round) {
    if (f > 0) {
      if (x <= search.low) break;
      high = x;
      fHigh = f;
      if (roundOnHigh && fLow < 0) fLow *= 0.5;  // the same end moved twice: lean the other way
      roundOnHigh = true;
      roundOnLow = false;
    } else {
      if (x >= search.high) break;
      low = x;
      fLow = f;
      if (roundOnLow && fHigh > 0) fHigh *= 0.5;
      roundOnLow = true;
      roundOnHigh = false;
    }
    if (high - low <= search.width) break;
    const double from = x;
    const double fFrom = f;
    if (fLow == 0 || fHigh == 0) {
      const double secant = slope > 0 ? std::min(std::abs(f) / slope, step) : step;
      x = std::clamp(f > 0 ? x - secant : x + secant, search.low, search.high);
      step *= 2;
    } else {
      x = high - fHigh * (high - low) / (fHigh - fLow);
      if (!(x > low && x < high)) x = 0.5 * (low + high);
      if (x == low || x == high) x = from;  // no number lies between
    }
    if (x == from) break;
    f = value(x);
    slope = (f - fFrom) / (x - from);
  }
  return x;
}

}  // namespace barelattice
