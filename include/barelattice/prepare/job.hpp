/// @file
/// From a brief to everything that can be computed, with every reason to refuse it found before any solve.
#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/brief/brief.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/proof/proof.hpp"

namespace barelattice BARELATTICE_API {

/// What acts in a case, summed up.
struct CaseSummary {
  std::string name;
  double weight = 1;
  Resultant resultant;  ///< about the centroid of the supports, without what acts on the mass of the part
  std::vector<std::string> onAll;  ///< loads that act on the whole part
};

/// What a run will take, from figures measured on two cores of a server of 2024 (docs/performance.md).
struct Estimate {
  double seconds = 0;
  double bytes = 0;
};

/// The most a part of the design space may weigh.
struct PartTarget {
  std::size_t shape = 0;  ///< of the brief
  double full = 0;        ///< what it weighs full, keeps included, kg
  double most = 0;        ///< kg, keeps included
};

/// A job ready to run.
struct Job {
  Brief brief;                ///< with the voxel size settled
  std::optional<Brief> open;  ///< the same as it was given, where a rule has several ways: `brief` has one of
                              ///< them for now
  Regions regions;
  std::variant<Domain<2>, Domain<3>> domain;  ///< squares of a sheet, cubes of a body
  Setup setup;                                ///< what acts; materials by number, as cells and regions name
                                              ///< them, the rest in the order of the brief
  std::vector<CaseSummary> summaries;
  Vec3 supportCentre = Vec3::Zero();    ///< moments are about this point, m
  double spaceMass = 0;                 ///< kg, full design space with keeps, without clears and bonded parts
  double keepMass = 0;                  ///< kg, likewise
  double bondedMass = 0;                ///< kg
  double targetMass = 0;                ///< kg, with the keeps; 0 where the lightest part is sought
  std::vector<PartTarget> partTargets;  ///< in the order of the brief
  /// Of the limits of the brief, in their order: what the layout's figures are multiplied by before they are
  /// held against their bounds (such that are to be at least something: divided). Empty for ones.
  std::vector<double> corrections;
  Estimate estimate;
  std::vector<std::string> warnings;
  std::vector<std::string> assumptions;  ///< material that is kept without being asked for, in sentences

  bool flat() const { return brief.sheet.has_value(); }
  std::size_t cellCount() const;
  double cellSize() const { return brief.voxel; }  ///< m
  double cellVolume() const;                       ///< m3
  /// Mass a full cell counts towards the target with, kg: without what bonded parts have of it.
  double designMass(std::size_t cell) const;
  /// True if a designed region has a material of its own.
  bool mixed() const;
  /// Mass of a part, bonded parts not counted, kg.
  /// @param part its signed function, for jobs of several designed materials only.
  double massOf(double volume, const Implicit& part, double spacing) const;
  const Face& face(const std::string& name) const;
  /// What the optimiser needs; D must fit the domain.
  template <int D>
  LayoutProblem<D> layoutProblem() const;
  ProofProblem proofProblem() const;
  /// Why no layout can be designed for what acts, in a sentence; empty if one can. A part may be analysed
  /// under it all the same.
  std::string whyNotDesigned() const;
};

/// @param coarser factor on the voxel size for a quick look, as far as the smallest member allows.
/// @throws BriefError with the line and the cure when the job cannot be done: a face that catches no surface,
///   a load or support on empty space, a keep inside a clear, a target outside what keeps and space allow, a
///   member thinner than two voxels, a motion left free, a load that hangs on nothing held, more memory than
///   the machine has.
Job prepare(Brief brief, double coarser = 1);

/// A figure of a limit as the optimiser tells it.
struct LimitColumn {
  std::string name;  ///< of OptimiseResult::columns
  std::size_t k;     ///< the case
  double scale = 1;
  bool inverse = false;
  /// In SI units.
  double figure(double value) const { return scale * (inverse ? 1 / value : value); }
};
/// Those of a limit, one for each case it holds in. Of cases that stand on the same supports a frequency is
/// told for the first one only.
std::vector<LimitColumn> columnsOf(const Job& job, const Requirement& limit);

/// The rule of an open job that has several ways. @throws InputError if it has none.
const BriefRule& openRule(const Job& job);
/// An open job settled on one of them. @param coarser as for `prepare`.
Job settledOn(const Job& job, std::size_t way, double coarser = 1);
/// A way of making as a brief states it: `up = "+z"`.
std::string wayText(const MakingRule& way);

}  // namespace barelattice
