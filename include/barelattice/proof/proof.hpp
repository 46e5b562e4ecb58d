/// @file
/// The proof of a solid: a fresh mesh, the loads and supports carried over face by face, stresses, verdict.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/progress.hpp"
#include "barelattice/elasticity/attachment.hpp"
#include "barelattice/elasticity/conjugate_gradients.hpp"
#include "barelattice/elasticity/material.hpp"
#include "barelattice/geometry/face.hpp"
#include "barelattice/proof/quadratic_tets.hpp"

namespace barelattice {

/// A force spread evenly over a face.
struct FaceLoad {
  std::string name;
  std::size_t face = 0;       ///< index into ProofProblem::faces
  Vec3 force = Vec3::Zero();  ///< N
};

struct ProofCase {
  std::string name;
  std::vector<FaceLoad> loads;
};

struct NamedFace {
  std::string name;
  Face face;
};

struct ProofProblem {
  Material material;
  std::vector<NamedFace> faces;
  std::vector<std::size_t> supports;  ///< faces that are held in all directions
  std::vector<ProofCase> cases;
  double exclusion = 0;  ///< stresses closer than this to a support or load are judged apart, m
};

struct CaseProof {
  std::string name;
  SolveReport solve;
  double compliance = 0;               ///< sum over loads of force times mean displacement of their face, J
  double displacement = 0;             ///< largest displacement of any node, m
  std::vector<Vec3> faceDisplacement;  ///< mean over each face of the problem, m
  double peakStress = 0;               ///< largest von Mises stress anywhere, Pa
  Vec3 peakAt = Vec3::Zero();          ///< where, m
  double judgedStress = 0;             ///< the same outside the exclusion distance, Pa
  Vec3 judgedAt = Vec3::Zero();
  double safetyFactor = 0;            ///< strength over judged stress
  std::vector<Resultant> reactions;   ///< by support: force on the part, moment about the origin
  Resultant applied;                  ///< of the loads as they act on the mesh, about the origin
  std::vector<double> vonMises;       ///< by corner node, Pa
  std::vector<double> displacements;  ///< three per node, m
};

struct Proof {
  double volume = 0;  ///< of the mesh, m3
  double mass = 0;    ///< kg
  std::size_t tets = 0;
  std::size_t nodes = 0;
  double smallestAngle = 0;  ///< least dihedral angle, degrees; a regular tetrahedron has 70.5
  double largestAngle = 0;
  Vec3 worstAt = Vec3::Zero();  ///< where the least angle is, m
  std::vector<CaseProof> cases;
};

/// Analyses a mesh under every case with ten-node tetrahedra. A load goes to the surface triangles nearest to
/// the face's points, with their quadratic shape functions; a support holds the surface nodes nearest to its
/// points.
/// @param spacing of the lattice the mesh comes from, m.
/// @throws InputError if a face lies further than one spacing from the mesh; RunError if a solve fails.
Proof prove(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
            const ProgressCallback& progress = {});

/// How far two surfaces lie apart: distances from the vertices of each to the other, m.
struct SurfaceGap {
  double mean = 0;
  double largest = 0;
};
SurfaceGap surfaceGap(const TriangleMesh& a, const TriangleMesh& b);

/// Diameter of the circle through the vertices of `surface` that lie within `tolerance` (m) of the cylinder
/// patch, twice their mean distance from its axis, m; nothing if there are fewer than eight.
std::optional<double> measuredDiameter(const TriangleMesh& surface, const Patch& cylinder, double tolerance);

/// Something the finished part must fulfil.
struct Requirement {
  enum class Kind { displacement, mass };
  Kind kind = Kind::mass;
  std::string face;  ///< displacement: of which face, by name
  double most = 0;   ///< m or kg
};

enum class Verdict { met, notMet };

struct Judgement {
  Requirement requirement;
  double value = 0;       ///< the worst over the cases
  std::string worstCase;  ///< empty for mass
  Verdict verdict = Verdict::notMet;
};

/// Holds the requirements against the proof.
std::vector<Judgement> judge(const Proof& proof, const ProofProblem& problem,
                             const std::vector<Requirement>& requirements);

}  // namespace barelattice
