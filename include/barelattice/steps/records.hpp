/// @file
/// What the steps of a job found, as plain structs in SI units. docs/results.md says what each figure means;
/// it and the JSON of results.json follow from one description, src/run/record_fields.hpp.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

/// What a step depended on when it was done in a run folder; empty in memory.
struct StepStamp {
  std::string fingerprint;
  std::map<std::string, std::string> inputs;  ///< values by keys for people
  std::map<std::string, std::string> files;   ///< hash of each file it wrote
};

struct FailureRecord {
  std::string what;
  std::string cure;
  std::string fingerprint;  ///< of a failed proof: what it depended on
};

struct MaterialRecord {
  std::string name;
  bool bonded = false;
  double strength = 0;  ///< Pa
};

struct MassesRecord {
  double space = 0, keep = 0, target = 0, bonded = 0;  ///< kg
};

struct LayoutCaseRecord {
  std::string name;
  double compliance = 0;     ///< J; infinite where the layout does not hold, as all its figures
  double blackAndWhite = 0;  ///< J
  std::map<std::string, Vec3> faceDisplacement;  ///< m
};

/// Where the layout came from a file.
struct ImportedRecord {
  std::size_t samples = 0;
  double spacing = 0;                   ///< m
  double massGiven = 0, massTaken = 0;  ///< kg
  double shareOutside = 0;
};

/// Where it was designed.
/// A way of making that was tried on a coarser grid.
struct TriedRecord {
  std::string way;        ///< as a brief states it
  double compliance = 0;  ///< the goal, without thinner layouts, J; infinite where it failed
  std::string failure;    ///< why; else empty
};

/// The best of several ways.
struct ChoiceRecord {
  std::string fingerprint;
  std::vector<TriedRecord> tried;
  std::size_t taken = 0;  ///< its number among those
};

/// What a layout becomes where surfaces lie as far off as they may.
struct MadeWithinRecord {
  double offset = 0;           ///< of the surface, m
  double compliance = 0;       ///< the goal, of the thinner one, J
  double thin = 0, thick = 0;  ///< kg
};

/// What a layout was designed to hold, in the unit it names.
struct DesignedRecord {
  std::string what, unit;
  double value = 0;       ///< as designed, corrected by what proofs of designs before found
  double correction = 1;  ///< of what the voxels say: proved over designed, from rounds before
  double bound = 0;
  std::string sense, worstCase;
  std::vector<std::string> columns;  ///< of the history that are its figures
};

struct DesignRecord {
  std::optional<FailureRecord> failure;
  std::string goal;
  std::size_t iterations = 0;
  double compliance = 0, eroded = 0, blackAndWhite = 0;  ///< J
  double threshold = 0;
  double greyOverSpace = 0, greyOverMass = 0;
  double neededMass = 0;  ///< kg
  std::optional<MadeWithinRecord> made;
  std::vector<LayoutCaseRecord> cases;
  std::string steps;  ///< how it was bettered and why so
  std::vector<DesignedRecord> limits;
  std::map<std::string, double> overFull;  ///< terms of a blended goal, over those of the full design space
  double seconds = 0;
};

struct LayoutRecord {
  StepStamp stamp;
  std::string faces;      ///< hash of all faces, of which displacements are told
  bool finished = false;  ///< false: it was stopped, or is at work
  bool settled = false;
  std::string stop;
  double mass = 0;  ///< kg
  std::optional<ImportedRecord> imported;
  std::optional<DesignRecord> design;
};

struct BoreRecord {
  std::string face;
  double diameter = 0;  ///< m
  bool hole = false;
  std::optional<double> fits;  ///< m
};

struct ExactFacesRecord {
  std::size_t triangles = 0;
  double largestDistance = 0;  ///< m
  Vec3 largestAt = Vec3::Zero();
  double missing = 0;  ///< m2
};

struct SolidRecord {
  StepStamp stamp;
  double threshold = 0;
  double spacing = 0;  ///< m
  double volume = 0;   ///< m3
  std::size_t trianglesBefore = 0, triangles = 0;
  double deviation = 0;  ///< m
  std::string surface;
  std::size_t pieces = 0, droppedPieces = 0;
  double droppedVolume = 0;  ///< m3
  std::size_t filledVoids = 0;
  double filledVolume = 0;  ///< m3
  ExactFacesRecord exactFaces;
  std::vector<BoreRecord> bores;
  std::optional<std::size_t> outlineCorners;
  std::optional<Vec3> filesCountFrom;  ///< m
  std::vector<std::string> formats;
  double mass = 0, wantedMass = 0;  ///< kg
  bool volumeKept = false;
  double massAboveThreshold = 0;  ///< kg
  std::vector<std::string> warnings;
  double seconds = 0;
};

struct PieceRecord {
  Vec3 centre = Vec3::Zero(), force = Vec3::Zero(), moment = Vec3::Zero();  ///< m, N, N m
  std::optional<Vec3> axis;
  std::optional<double> axial, shear;  ///< N
};

struct ReactionRecord {
  Vec3 force = Vec3::Zero(), moment = Vec3::Zero();      ///< N, N m
  Vec3 centre = Vec3::Zero(), ownMoment = Vec3::Zero();  ///< m, N m
  std::vector<PieceRecord> pieces;
};

/// A figure of the fine mesh, what the coarse one gave, and the estimated error.
struct FigureRecord {
  double value = 0, coarse = 0, error = 0;
};

/// A vector of the fine mesh, what the coarse one gave, and the estimated error of any component.
struct VectorFigureRecord {
  Vec3 value = Vec3::Zero(), coarse = Vec3::Zero();
  double error = 0;
};

/// The largest stresses within a place.
struct PlaceRecord {
  FigureRecord used;                  ///< share of the strength
  FigureRecord tension, compression;  ///< sizes, Pa
};

struct BodyCaseRecord {
  std::string name;
  double compliance = 0, complianceError = 0;           ///< J
  double energy = 0;                                    ///< J
  std::map<std::string, double> energyByMaterial;       ///< J
  double largestDisplacement = 0;                       ///< m
  std::map<std::string, Vec3> faceDisplacement;         ///< m
  std::map<std::string, double> faceDisplacementError;  ///< m
  std::map<std::string, Vec3> faceRotation;             ///< rad
  std::map<std::string, FigureRecord> faceMotion;       ///< size of the displacement, m
  std::map<std::string, VectorFigureRecord> faceShift;  ///< the displacement, m
  std::map<std::string, VectorFigureRecord> faceTurn;   ///< rad
  double peak = 0;                                      ///< Pa
  Vec3 peakAt = Vec3::Zero();
  bool judgedEverywhere = false;
  double judged = 0, judgedError = 0;  ///< Pa
  Vec3 judgedAt = Vec3::Zero();
  std::map<std::string, double> percentiles;  ///< Pa
  double tension = 0, compression = 0;        ///< Pa
  std::string judgedIn;
  double safetyFactor = 0, safetyFactorError = 0;
  FigureRecord used;                              ///< share of the strength
  FigureRecord tensionFigure, compressionFigure;  ///< sizes, Pa
  FigureRecord complianceFigure;                  ///< J
  std::vector<PlaceRecord> places;                ///< within which limits hold, in the order of the brief
  double errorOrder = 0;
  Vec3 appliedForce = Vec3::Zero(), appliedMoment = Vec3::Zero();  ///< N, N m
  std::map<std::string, ReactionRecord> reactions;
  double unbalanced = 0;  ///< N
  std::size_t solverIterations = 0;
  double solverEnergyError = 0;
};

/// Natural frequencies under the supports of some cases.
struct FrequenciesRecord {
  std::vector<std::string> cases;
  std::vector<FigureRecord> lowest;  ///< Hz
  bool converged = false;
};

/// A requirement against what was found, in the unit it names.
struct RequirementRecord {
  std::string what, unit;
  double value = 0, error = 0, coarse = 0, bound = 0;
  std::string sense, worstCase, verdict;
  std::optional<std::string> toDecide;
};

/// What one making rule comes to on the finished body, in the unit it names.
struct MakingRecord {
  std::string rule, what, unit;
  std::optional<double> value, bound;
  std::string sense;
  double lookedUpTo = 0;  ///< walls and gaps; 0 for others
  double share = 0;
  Vec3 at = Vec3::Zero();  ///< m
  bool imposed = true;
  std::string verdict, note;
};

/// A round of a part with limits: what was designed, and what the proof found.
struct RoundLimitRecord {
  DesignedRecord designed;
  double proved = 0, error = 0;
  std::string verdict;
};
struct RoundRecord {
  double mass = 0;             ///< of the layout, kg
  std::size_t iterations = 0;  ///< since the first round began
  std::vector<RoundLimitRecord> limits;
  std::string verdict;  ///< of the whole proof
};
/// Bounds of limits that are relative to another body, once its figures are known.
struct BoundsRecord {
  std::string fingerprint;     ///< of what they depend on
  std::vector<double> values;  ///< of all limits, SI
};
/// Rounds of a part with limits.
struct RoundsRecord {
  std::string fingerprint;  ///< of what they depend on
  std::vector<RoundRecord> done;
  std::vector<double> corrections;  ///< of the layout as it is, or is to become, by limit
  std::size_t taken = 0;            ///< number of the round whose part stands, from 1; 0 before the first
  bool finished = false;
  std::string ended = {};  ///< why another round failed; else empty
};

struct GapRecord {
  double mean = 0, largest = 0;  ///< m
  Vec3 largestAt = Vec3::Zero();
};

/// A body that was analysed: the part, the block, the baseline, a solid from outside.
struct BodyRecord {
  StepStamp stamp;
  std::map<std::string, std::string> required;  ///< what it was judged by
  std::size_t tetrahedra = 0, coarseTetrahedra = 0, nodes = 0, pieces = 0;
  double meshRatio = 0;
  double spacing = 0;                               ///< m
  double mass = 0, coarseMass = 0, bondedMass = 0;  ///< kg
  double smallestAngle = 0, largestAngle = 0;       ///< degrees
  std::vector<std::size_t> angles;
  std::vector<Vec3> worstElements;  ///< m
  std::map<std::string, double> faceShare;
  std::map<std::string, double> faceOffset;    ///< m
  double exclusion = 0;                        ///< m
  double compliance = 0, complianceError = 0;  ///< J
  std::vector<BodyCaseRecord> cases;
  std::vector<FrequenciesRecord> frequencies;
  std::optional<GapRecord> surfaceGap;
  std::optional<double> volumeDifference;
  std::vector<RequirementRecord> requirements;
  std::vector<MakingRecord> making;
  double meshDifference = 0;
  std::string verdict;
  std::vector<std::string> doubts;
  double seconds = 0;
  std::optional<std::string> file, fileHash, surface;  ///< of a solid from outside
};

}  // namespace barelattice
