// The figures of results.json. Internal to the room.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/proof/verdict.hpp"

namespace barelattice {

nlohmann::json vectorJson(const Vec3& v, double scale = 1);

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

/// Everything found about a body, lengths in mm, stresses in MPa.
/// @param weights of the cases in the goal.
nlohmann::json bodyJson(const BodyProof& body, const ProofProblem& problem,
                        const std::vector<double>& weights);

nlohmann::json judgementJson(const Judgement& judgement);

}  // namespace barelattice
