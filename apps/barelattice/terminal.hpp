// What people see in the terminal: aligned lines, one live line while something runs.
#pragma once

#include <string>

#include "barelattice/run/run.hpp"

/// Writes lines to standard output, and on a terminal keeps one live line below them.
class Terminal {
 public:
  /// @param quiet write nothing but errors (a script reads `--json`).
  /// @param plain plain lines even on a terminal.
  Terminal(bool quiet, bool plain);
  ~Terminal();

  bool plain() const { return plain_; }
  void line(const std::string& text);
  /// Replaces the live line; without a terminal it is written as a plain line only if `log` is set.
  void live(const std::string& text, bool log);
  /// An error with its cure, to standard error.
  void error(const std::string& what, const std::string& cure);

 private:
  void clearLive();
  bool quiet_;
  bool plain_;
  bool interactive_;
  bool colours_;
  bool liveShown_ = false;
};

/// The masses, sizes, cases and warnings of a job as a short table.
std::string describeJob(const barelattice::Job& job);
/// One design iteration, with the time the remaining ones take at most.
/// @param lightest whether the mass is what is sought. @param spaceMass of the full design space, kg.
std::string describeIteration(const barelattice::IterationRecord& record, bool lightest, double spaceMass);
/// The cases and requirements of all analysed bodies as a short table.
std::string describeBodies(const barelattice::RunRecord& record);
