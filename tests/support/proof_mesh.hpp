// Meshes as a run makes them for its proofs.
#pragma once

#include "barelattice/proof/proof.hpp"

namespace barelattice {

inline QuadraticTets proofMesh(const ShapePtr& shape, double spacing, const ProofProblem& problem) {
  const Implicit f = [&](const Vec3& p) { return shape->distance(p); };
  TetMesh mesh = stuff(f, shape->bounds(), spacing, FeatherEdges::trimmed);
  sharpenTets(mesh, f, spacing, partsOf(problem, spacing));
  return QuadraticTets(mesh);
}

}  // namespace barelattice
