/// @file
/// The proof of a solid: a fresh mesh, the loads and supports carried over face by face, stresses, verdict.
#pragma once

#include <array>
#include <cmath>
#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/progress.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/mechanics/reactions.hpp"
#include "barelattice/mechanics/setup.hpp"
#include "barelattice/meshes/sharp_tets.hpp"
#include "barelattice/solve/solution.hpp"
#include "barelattice/tets/quadratic_tets.hpp"

namespace barelattice BARELATTICE_API {

/// How a sheet in the x-y plane is held along z.
enum class AcrossSheet {
  body,  ///< it is no sheet
  free,  ///< plane stress: only from leaving its plane
  held,  ///< plane strain: every node
};

/// How far off a face (in spacings of the mesh's lattice) a mesh may lie and still be on it: chords of curved
/// faces, and what a part made elsewhere differs by.
inline constexpr double kFaceReach = 0.15;

struct ProofProblem {
  Setup setup;
  AcrossSheet across = AcrossSheet::body;
  double exclusion = 0;  ///< stresses closer than this to a support or load are judged apart, m
  /// Where materials other than the first are, see Regions; a tetrahedron is of the one its centre lies in.
  std::vector<MaterialRegion> regions = {};
  int frequencies = 0;  ///< how many natural frequencies are to be found under each set of supports; of
                        ///< bodies only
  /// Within which stresses are judged besides, as some requirements ask for.
  std::vector<ShapePtr> places = {};
};

/// The largest stresses at some nodes, further from supports and loads than the exclusion distance.
struct StressPeak {
  double stress = 0;       ///< von Mises, nearest to its material's strength, Pa
  double used = 0;         ///< share of that
  double spread = 0;       ///< see CaseProof::judgedSpread, Pa
  double tension = 0;      ///< largest principal stress, Pa
  double compression = 0;  ///< smallest principal stress, Pa; negative in compression
  std::size_t node = 0;    ///< of `stress`
};

/// The shares of the volume for which stresses are told.
inline constexpr std::array<double, 4> kPercentiles{0.5, 0.9, 0.99, 0.999};

struct CaseProof {
  std::string name;
  SolveReport solve;
  /// f^T u, the work of the loads, without what temperature and preloads do, which have no part in how stiff
  /// a body is, J. Where supports are moved, minus twice the potential energy, see GridAnalysis.
  double compliance = 0;
  double energy = 0;                     ///< twice the strain energy of the whole state, J
  std::vector<double> energyByMaterial;  ///< the same by number of the material, J
  double displacement = 0;               ///< largest displacement of any node, m
  std::vector<Vec3> faceDisplacement;    ///< mean over each face of the problem, m
  std::vector<Vec3> faceRotation;        ///< mean over each face, rad
  double peakStress = 0;                 ///< largest von Mises stress anywhere, Pa
  Vec3 peakAt = Vec3::Zero();            ///< where, m
  double judgedStress = 0;               ///< the one nearest to its material's strength outside the exclusion
                                         ///< distance, Pa; with one material, the largest there
  Vec3 judgedAt = Vec3::Zero();
  std::size_t judgedIn = 0;             ///< number of the material it is in
  double safetyFactor = 0;              ///< strength of that material over judged stress
  double tension = 0;                   ///< largest principal stress outside the exclusion distance, Pa
  double compression = 0;               ///< smallest principal stress there, Pa; negative in compression
  std::array<double, 4> percentiles{};  ///< von Mises stress that kPercentiles of the volume outside the
                                        ///< exclusion distance stay below, Pa
  double recoveryGap = 0;               ///< see QuadraticTets::Energies, J
  bool judgedEverywhere = false;        ///< the exclusion left nothing else to judge
  double judgedSpread = 0;  ///< how far the tetrahedra round judgedAt differ (MaterialStress::spread), or
                            ///< twice how far they do wherever the stress is within 5 % of it (root mean
                            ///< square): the larger, Pa
  std::vector<StressPeak> places;   ///< within those of the problem
  std::vector<Reaction> reactions;  ///< by support
  Resultant applied;                ///< of the loads as they act on the mesh, about the origin
  double growthForces = 0;  ///< sizes of the forces of growth on all nodes, summed up; they are in balance, N
  std::vector<double> vonMises;        ///< by corner node, Pa
  std::vector<double> principalMost;   ///< largest principal stress by corner node, Pa
  std::vector<double> principalLeast;  ///< smallest principal stress by corner node, Pa
  std::vector<double> displacements;   ///< three per node, m

  /// What loads and reactions leave over, N; next to nothing where the body is held.
  Vec3 unbalanced() const;
};

/// A natural frequency and its mode. Loads and their stress have no part in it.
struct ModeProof {
  double frequency = 0;       ///< Hz
  std::vector<double> shape;  ///< displacements, three per node, with a kinetic mass of 1 kg
};

/// The lowest natural frequencies under one set of supports.
struct ModesProof {
  std::vector<std::size_t> cases;  ///< that stand on these supports
  std::vector<ModeProof> modes;    ///< lowest first
  bool converged = false;
};

struct Proof {
  double volume = 0;  ///< of the mesh, m3
  double mass = 0;    ///< of the mesh without bonded parts, kg; who knows the body's exactly may put it here
  double bonded = 0;  ///< mass of the bonded parts, kg
  std::size_t tets = 0;
  std::size_t nodes = 0;
  double smallestAngle = 0;  ///< least dihedral angle, degrees; a regular tetrahedron has 70.5
  double largestAngle = 0;
  std::array<std::size_t, 8>
      angleHistogram{};            ///< tetrahedra by least dihedral angle, in steps of ten degrees
  std::vector<double> faceShare;   ///< of each face of the problem, how much of its area is on the mesh
  std::vector<double> faceOffset;  ///< of each, how far the mesh lies off it on average where it is on it, m
  std::vector<Vec3> worstAt;       ///< centres of up to five with the least angles, the worst first, m
  std::vector<CaseProof> cases;
  std::vector<ModesProof> modes;  ///< by set of supports; empty if none are asked for
};

/// Where the faces of a problem lie, for the rims of its mesh.
/// @param spacing of the mesh's lattice, m.
std::vector<SurfacePart> partsOf(const ProofProblem& problem, double spacing);

/// Analyses a mesh under every case with ten-node tetrahedra. A load goes to the surface triangles that lie
/// on its face, with their quadratic shape functions; a support holds every node of those on its own. Cases
/// with the same supports share one stiffness and its multigrid.
/// @param mesh with edges along the rims of the problem's faces (sharpenTets), or what lies across is left
/// out.
/// @param spacing of the lattice the mesh comes from, m.
/// @throws InputError if the mesh is empty, or less than half of a loaded face or nothing of a held one is on
///   it; RunError if the supports leave a motion free or a solve fails.
Proof prove(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
            const ProgressCallback& progress = {});

}  // namespace barelattice
