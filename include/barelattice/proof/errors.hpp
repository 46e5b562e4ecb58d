/// @file
/// What two meshes and their recovered stresses say about the errors of a proof.
#pragma once

#include <cmath>
#include <vector>

#include "barelattice/proof/proof.hpp"

namespace barelattice {

/// The errors of one case's figures, each with the value on the fine mesh.
struct CaseErrors {
  double order = 0;  ///< with which the energy's error falls, as seen
  Estimated compliance;
  Estimated judgedStress;
  std::vector<Estimated> faceDisplacement;  ///< size of the mean motion, by face of the problem
};

/// @param coarse the same problem on a mesh whose spacing is `ratio` times as large.
CaseErrors errorsOf(const Proof& coarse, const Proof& fine, std::size_t k, double ratio);

}  // namespace barelattice
