/// @file
/// What a finished part must fulfil, and whether its proof shows that it does.
#pragma once

#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/proof/errors.hpp"

namespace barelattice BARELATTICE_API {

/// Something the finished part must fulfil.
struct Requirement {
  enum class Kind {
    displacement,
    mass,
    safetyFactor,
    wall,
    gap,
    frequency,
    rotation,
    compliance,
    vonMises,
    tension,      ///< the largest principal stress
    compression,  ///< the size of the smallest principal stress
  };
  Kind kind = Kind::mass;
  std::size_t face = 0;  ///< displacement, rotation: of which face of the setup
  double bound = 0;      ///< at most, m, kg, rad, J, Pa; at least: safety factor, wall and gap in m,
                         ///< frequency in Hz
  std::optional<std::size_t> over = {};  ///< the motion is what that of `face` is over that of this face
  std::optional<Vec3> along = {};        ///< the part of the motion along or about this, whichever way
  std::vector<std::size_t> cases = {};   ///< in which it holds; all if empty
  bool below = false;                    ///< of a frequency: it is to be at most the bound
  std::optional<std::size_t> within =
      {};                 ///< of a stress: in which of ProofProblem::places; anywhere if none
  std::string name = {};  ///< of a limit; empty for what is only judged
  /// Of a limit that is relative to another body: the bound over that body's figure; 0 for one in figures.
  /// The bound is zero until that is known.
  double share = 0;
  bool ofBaseline = false;  ///< relative to the baseline, else to the full design space

  bool least() const {
    return kind == Kind::safetyFactor || kind == Kind::wall || kind == Kind::gap ||
           (kind == Kind::frequency && !below);
  }
  bool ofStress() const {
    return kind == Kind::safetyFactor || kind == Kind::vonMises || kind == Kind::tension ||
           kind == Kind::compression;
  }
  bool in(std::size_t k) const {
    return cases.empty() || std::find(cases.begin(), cases.end(), k) != cases.end();
  }
};

/// The key a brief states it by: "safety_factor".
std::string keyOf(const Requirement& requirement);

enum class Verdict {
  met,           ///< the figure holds, and still does with its estimated error
  notMet,        ///< it does not, and would not with its error taken off
  inconclusive,  ///< the two meshes disagree too much to tell: the bound lies within the error
};

/// "met", "not met", "inconclusive".
std::string describe(Verdict verdict);

/// The safety factor from the share of the strength that is used. Its error is that of the stress: where
/// there is little stress a large difference between two meshes' factors says nothing.
Estimated factorFrom(const Estimated& used);

struct Judgement {
  Requirement requirement;
  Estimated value;        ///< in the case with the worst verdict, and the worst of those
  std::string worstCase;  ///< empty for mass
  Verdict verdict = Verdict::inconclusive;
  /// Where inconclusive: about how many tetrahedra would make the error smaller than the distance from the
  /// bound, if it falls as assumed. 0 elsewhere, and where more than 20 million would be needed.
  double decidingTets = 0;
};

/// All that requirements are held against: a body can be judged anew by others without another solve.
struct JudgedBody {
  struct Case {
    std::string name;
    CaseErrors errors;
  };
  double ratio = 1;  ///< spacing of the coarse mesh over that of the fine one
  std::size_t tets = 0, coarseTets = 0;
  double mass = 0, coarseMass = 0;  ///< kg
  std::vector<double> faceShare;    ///< how much of each face of the problem is on the body
  std::vector<Case> cases;
  std::optional<double> thinnestWall = {}, narrowestGap = {};  ///< m; nothing where they were not measured
  /// The lowest natural frequency under a set of supports, Hz; none where they were not sought.
  struct Frequency {
    std::string cases;  ///< that have those supports
    Estimated lowest;
  };
  std::vector<Frequency> frequencies = {};
};

/// @param coarse the same problem on a mesh whose spacing is `ratio` times as large.
JudgedBody judgedBody(const Proof& coarse, const Proof& proof, double ratio);

/// Holds the requirements against a body, each in every case; the worst verdict counts. Walls and gaps are
/// those of the surface, which has no error; where they were not measured nothing is told of them.
/// @param agreement relative difference between the meshes above which the estimated error is trebled.
std::vector<Judgement> judge(const JudgedBody& body, double agreement, const Setup& setup,
                             const std::vector<Requirement>& requirements);

/// What makes the figures of both meshes prove nothing, in sentences; none where they may be judged: forces
/// out of balance, or compliances ten to one apart, as of a body that hardly holds together or is free to
/// move.
std::vector<std::string> doubts(const Proof& coarse, const Proof& proof);

/// Not met if one is not; else inconclusive if one is; else met.
Verdict overall(const std::vector<Judgement>& judgements);

}  // namespace barelattice
