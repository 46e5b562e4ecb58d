/// @file
/// The two ways a call can fail: the caller's input is wrong, or the work could not be done.
#pragma once

#include <stdexcept>
#include <string>
#include <utility>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// Root of every exception thrown by the library. `what()` says what is wrong; `cure()`, when not empty,
/// says in one sentence how to mend it.
class Error : public std::runtime_error {
 public:
  explicit Error(const std::string& what, std::string cure = {})
      : std::runtime_error(what), cure_(std::move(cure)) {}

  const std::string& cure() const noexcept { return cure_; }

 private:
  std::string cure_;
};

/// What the caller asked for is wrong or impossible (a brief, an argument, a missing file).
class InputError : public Error {
 public:
  using Error::Error;
};

/// The input was good, yet the work failed (no convergence, disk full).
class RunError : public Error {
 public:
  using Error::Error;
};

/// The caller's progress callback asked to stop.
class Cancelled : public Error {
 public:
  Cancelled() : Error("stopped on request") {}
};

}  // namespace barelattice
