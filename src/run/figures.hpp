// What steps found, as records. Internal to the room.
#pragma once

#include <string>
#include <vector>

#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/proof/verdict.hpp"
#include "barelattice/run/records.hpp"

namespace barelattice {

/// Iterations as a table.
/// @param columns heads of the records' values.
std::string historyCsv(const std::vector<IterationRecord>& history, const std::vector<std::string>& columns);

/// A body analysed on two meshes.
struct BodyProof {
  Proof fine;
  Proof coarse;
  double spacing = 0;  ///< of the fine mesh, m
  double ratio = 1;    ///< coarse spacing over fine
  std::size_t pieces = 1;
};

/// Everything found about a body, not yet judged.
/// @param weights of the cases in the goal.
BodyRecord bodyRecord(const BodyProof& body, const ProofProblem& problem, const std::vector<double>& weights);

/// Holds requirements against what a record tells of a body. Doubts take "met" back.
void judgeBody(BodyRecord& body, const Setup& setup, const std::vector<Requirement>& requirements,
               double agreement);

}  // namespace barelattice
