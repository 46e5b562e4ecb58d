/// @file
/// What public calls check at their door. Each throws InputError with the name of what is wrong, its value
/// and what would be right.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <cstddef>
#include <string_view>

#include "barelattice/base/error.hpp"

namespace barelattice {

/// @param of what there is one entry for each, e.g. "cells".
inline void requireCount(std::string_view name, std::size_t given, std::size_t wanted, std::string_view of) {
  if (given != wanted)
    throw InputError(fmt::format("{} has {} entries, and there are {} {}", name, given, wanted, of));
}

/// For what may be left out.
inline void requireCountOrNone(std::string_view name, std::size_t given, std::size_t wanted,
                               std::string_view of) {
  if (given != 0) requireCount(name, given, wanted, of);
}

/// Of a number that names one of `count` things.
inline void requireIndex(std::string_view name, std::size_t index, std::size_t count, std::string_view of) {
  if (index >= count) throw InputError(fmt::format("{} is {}, and there are {} {}", name, index, count, of));
}

inline void requireFinite(std::string_view name, double value) {
  if (!std::isfinite(value)) throw InputError(fmt::format("{} is {}", name, value), "give a finite number");
}

/// Of a vector or matrix.
template <class Values>
requires requires(const Values& values) {
  values.allFinite();
}
void requireFinite(std::string_view name, const Values& values) {
  if (!values.allFinite()) throw InputError(fmt::format("{} is not finite", name), "give finite numbers");
}

inline void requirePositive(std::string_view name, double value) {
  if (!(value > 0) || !std::isfinite(value))
    throw InputError(fmt::format("{} is {}", name, value), "give a finite number above zero");
}

inline void requireNotNegative(std::string_view name, double value) {
  if (!(value >= 0) || !std::isfinite(value))
    throw InputError(fmt::format("{} is {}", name, value), "give a finite number, zero or more");
}

inline void requireWithin(std::string_view name, double value, double low, double high) {
  if (!(value >= low && value <= high))
    throw InputError(fmt::format("{} is {}", name, value), fmt::format("give {} to {}", low, high));
}

/// Of every entry of a field.
template <class Field>
void requireEach(std::string_view name, const Field& field, double low, double high) {
  for (std::size_t i = 0; i < field.size(); ++i)
    if (const auto value = static_cast<double>(field[i]); !(value >= low && value <= high))
      throw InputError(fmt::format("{}[{}] is {}", name, i, value), fmt::format("give {} to {}", low, high));
}

/// Of every entry of a field of shares, of which none may be nothing.
template <class Field>
void requireShares(std::string_view name, const Field& field) {
  constexpr double kRounding = 1e-9;
  for (std::size_t i = 0; i < field.size(); ++i)
    if (const double value = field[i]; !(value > 0 && value <= 1 + kRounding))
      throw InputError(fmt::format("{}[{}] is {}", name, i, value), "give above 0, up to 1");
}

/// Does checks of one thing of several, and says of what was thrown which it was: "case push: weight is -1".
template <class Check>
void naming(std::string_view what, std::string_view name, const Check& check) {
  try {
    check();
  } catch (const InputError& error) {
    throw InputError(fmt::format("{} {}: {}", what, name, error.what()), error.cure());
  }
}

/// Of a pointer or a function.
template <class Handle>
void requireGiven(std::string_view name, const Handle& handle) {
  if (!handle) throw InputError(fmt::format("{} is empty", name), "give one");
}

}  // namespace barelattice
