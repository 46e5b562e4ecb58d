// What steps found, as records. Internal to the room.
#pragma once

#include <string>
#include <vector>

#include "barelattice/prepare/job.hpp"
#include "barelattice/proof/verdict.hpp"
#include "barelattice/steps/records.hpp"

namespace barelattice {

/// What a layout was designed to hold, each in its worst case.
/// @param columns heads of the values, see OptimiseResult.
std::vector<DesignedRecord> designedLimits(const Job& job, const std::vector<std::string>& columns,
                                           const std::vector<double>& values);

/// What a figure comes to over its bound: above one where it is not held.
double overBound(const DesignedRecord& designed, double value);
/// The same of what was designed, as it was corrected.
double designedOver(const DesignedRecord& designed);

/// What the layout of a job is designed for, for people.
std::string goalText(const Job& job);

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

/// The making rules of the brief, measured on a surface in its coordinates.
std::vector<MakingRecord> makingRecords(const Job& job, const TriangleMesh& surface);

/// Holds requirements against what a record tells of a body. Doubts take "met" back.
/// @return about how many tetrahedra would decide an open verdict; 0 if it is not open, or meshes do not
/// decide it.
double judgeBody(BodyRecord& body, const Setup& setup, const std::vector<Requirement>& requirements,
                 double agreement);

}  // namespace barelattice
