/// @file
/// The steps of a job in memory: layout, solid, proof, each from plain objects to plain objects. Nothing is
/// read but what the brief names, and nothing is written; `JobRun` does the same in a folder.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/prepare/job.hpp"
#include "barelattice/proof/proof.hpp"
#include "barelattice/solid/reinterpret.hpp"
#include "barelattice/steps/records.hpp"

namespace barelattice BARELATTICE_API {
/// Tries the ways of an open job on voxels twice as large, or half a smallest member, without thinner
/// layouts, and takes the stiffest: the first of equals. One that cannot be designed is none.
/// @throws RunError if all fail; Cancelled if the progress callback says so.
ChoiceRecord choiceOf(const Job& job, const ProgressCallback& progress = {});

/// The bounds of all limits of a job in SI units: of those relative to the full design space or the baseline
/// by what that body's worst figure is on the voxels.
/// @throws RunError if that body does not bear the loads; Cancelled if the progress callback says so.
std::vector<double> boundsOf(const Job& job, const ProgressCallback& progress = {});
/// A job with these bounds.
Job withBounds(Job job, const std::vector<double>& bounds);

/// A layout: designed, or taken over from elsewhere. Fields have one entry per cell of the job's domain, in
/// the single precision that layout.vti has.
struct FoundLayout {
  std::vector<double> density;
  std::vector<double> level;  ///< what the solid's contours are taken from, see OptimiseResult::level
  LayoutRecord record;        ///< with the failure, if it is one
  std::vector<IterationRecord> history = {};  ///< of the design
  std::vector<std::string> columns = {};      ///< heads of the values in the history
};

/// Designs the layout of a job.
/// @param callback see optimiseLayout. @param resume a state of the same job.
/// @param progress asked within solves as well.
/// @throws as optimiseLayout. A design that fails is an answer: see DesignRecord::failure.
FoundLayout designLayout(const Job& job, const IterationCallback& callback = {},
                         const OptimiseState* resume = nullptr, const ProgressCallback& progress = {});

/// The state a design of the same job has come to, gone on with under the corrections the job has now;
/// nothing where the layout misses them by so much that one of another form may be due.
/// @param last what came of that state.
std::optional<OptimiseState> nextStart(const Job& job, const RoundRecord& last, OptimiseState state);

/// What a brief wants of the part, for people: its goal, then each limit with its bound.
std::vector<std::string> wantedTexts(const Job& job);

/// What a layout and its proof say of each other.
RoundRecord roundOf(const Job& job, const LayoutRecord& layout, const BodyRecord& proof);

/// The corrections a part with limits is to be designed with in the next round, so that what was proved comes
/// to lie within its bound, and, of a lightest part, close to it. Nothing where the last round is good: all
/// is met, and what governs is within 15 % of its bound for stress, 5 % for others; or as many rounds are
/// done as the brief allows; or the last made no difference that could be seen.
std::optional<std::vector<double>> nextCorrections(const Job& job, const std::vector<RoundRecord>& done);

/// Number of the round whose part is the best of those done, at least one: the lightest of those that hold
/// all limits, the last of those where the mass is given; where none does, that which misses its worst limit
/// by least. A proof that is met goes before one that is in doubt.
std::size_t bestRound(const Job& job, const std::vector<RoundRecord>& done);

/// Takes over the layout a brief names.
/// @throws InputError if it names none, or the file cannot be read.
FoundLayout importedLayout(const Job& job);

/// The layout as the solid reads it.
SmoothLayout smoothLayout(const Job& job, const std::vector<double>& level);

struct MadeSolid {
  Solid solid;
  SolidRecord record;
};

/// Reads a layout as a solid of the wanted mass, on a lattice that suits the voxels.
/// @throws RunError if nothing is left or the surface has defects; what reinterpret throws.
MadeSolid makeSolid(const Job& job, const FoundLayout& layout, const ProgressCallback& progress = {});

/// A body analysed on two meshes and held against the requirements of the brief.
struct ProvedBody {
  BodyRecord record;                          ///< with the verdict
  std::shared_ptr<const QuadraticTets> mesh;  ///< the fine one
  Proof proof;                                ///< on it
  std::vector<std::string> warnings = {};     ///< in sentences
};

/// Proves a solid on two meshes of the tool's own choice.
/// @param solid what is told of it. @param surface as its files have it, in the coordinates of the brief.
/// @throws RunError if members are thinner than a mesh of that size can hold, or an analysis fails.
ProvedBody proveSolid(const Job& job, const std::vector<double>& level, const SolidRecord& solid,
                      const TriangleMesh& surface, const ProgressCallback& progress = {});

/// The full block under every case.
ProvedBody proveBlock(const Job& job, const ProgressCallback& progress = {});
/// The baseline of the brief. @throws InputError if it names none.
ProvedBody proveBaseline(const Job& job, const ProgressCallback& progress = {});
/// A solid from elsewhere under the same brief: the host's own signed function, with its closed surface.
/// @param surface in the coordinates of the brief, m.
ProvedBody proveOutside(const Job& job, const Implicit& body, const TriangleMesh& surface,
                        const ProgressCallback& progress = {});

/// A job from its layout to the verdict, `proof.record.verdict`.
struct JobResult {
  FoundLayout layout;
  MadeSolid solid;
  ProvedBody proof;
  std::vector<RoundRecord> rounds = {};  ///< of a lightest part
};

/// All steps one after another, of an open job for its best way.
/// @throws RunError if the design fails, with what to change; what the steps throw.
JobResult carryOut(const Job& given, const IterationCallback& callback = {},
                   const ProgressCallback& progress = {});

}  // namespace barelattice
