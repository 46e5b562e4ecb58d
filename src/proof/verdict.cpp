#include "barelattice/proof/verdict.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"

namespace barelattice {

std::string keyOf(const Requirement& requirement) {
  switch (requirement.kind) {
    case Requirement::Kind::displacement:
      return "displacement";
    case Requirement::Kind::mass:
      return "mass";
    case Requirement::Kind::safetyFactor:
      return "safety_factor";
    case Requirement::Kind::wall:
      return "wall";
    case Requirement::Kind::gap:
      return "gap";
    case Requirement::Kind::frequency:
      return requirement.below ? "frequency_below" : "frequency";
    case Requirement::Kind::rotation:
      return "rotation";
    case Requirement::Kind::compliance:
      return "compliance";
    case Requirement::Kind::vonMises:
      return "von_mises";
    case Requirement::Kind::tension:
      return "tension";
    case Requirement::Kind::compression:
      return "compression";
  }
  return {};
}

std::string describe(Verdict verdict) {
  switch (verdict) {
    case Verdict::met:
      return "met";
    case Verdict::notMet:
      return "not met";
    case Verdict::inconclusive:
      return "inconclusive";
  }
  return {};
}

Estimated factorFrom(const Estimated& used) {
  const double factor = 1 / used.value;
  return {factor, 1 / used.coarse, used.error == 0 ? 0 : factor - 1 / (used.value + used.error)};
}

namespace {

int rank(Verdict verdict) {
  return verdict == Verdict::met ? 0 : verdict == Verdict::inconclusive ? 1 : 2;
}

/// About how many tetrahedra bring an error of an order below a margin.
/// @param perRatio their number on the fine mesh over that on the coarse one, `ratio` the same for spacings.
double tetsFor(double margin, double error, double order, double tets, double perRatio, double ratio) {
  constexpr double kMost = 20e6;
  const double dimension = std::clamp(std::log(perRatio) / std::log(ratio), 2.0, 3.0);
  const double needed = tets * std::pow(error / margin, dimension / order);
  return needed < kMost ? needed : 0;
}

/// One figure, which is to be at most `bound`.
Judgement judged(const Requirement& requirement, const Estimated& value, double bound, double agreement) {
  Judgement j{requirement, value, {}, Verdict::inconclusive};
  const double over = j.value.value - bound;
  // Meshes that disagree are too coarse for any order: the customary factor of three for studies of two
  // meshes (Roache 1994) then keeps the estimate on the safe side.
  if (j.value.difference() > agreement) j.value.error *= 3;
  if (over + j.value.error <= 0) j.verdict = Verdict::met;
  if (over - j.value.error > 0) j.verdict = Verdict::notMet;
  return j;
}

/// One figure, which is to be at least the bound.
Judgement judgedLeast(const Requirement& requirement, const Estimated& value, double agreement) {
  Judgement j =
      judged(requirement, {-value.value, -value.coarse, value.error}, -requirement.bound, agreement);
  j.value = {value.value, value.coarse, j.value.error};
  return j;
}

void requireOnBody(std::size_t number, const Setup& setup, const JudgedBody& body) {
  if (number >= setup.faces.size())
    throw InputError(fmt::format("a requirement is about face {} of {}", number, setup.faces.size()));
  if (number < body.faceShare.size() && body.faceShare[number] == 0)
    throw RunError("a requirement is about face " + setup.faces[number].name + ", which is not on the solid",
                   "give the part material there with a keep under the face");
}

/// A figure of a case, which is to be at most a bound, and the order its error falls with.
struct CaseFigure {
  Estimated value;
  double bound = 0;
  double order = kStressOrder;
};

CaseFigure motionOf(const Requirement& requirement, const CaseErrors& errors, const Setup& setup,
                    const JudgedBody& body) {
  const auto& all = requirement.kind == Requirement::Kind::rotation ? errors.faceTurn : errors.faceShift;
  const auto of = [&](std::size_t face) {
    requireOnBody(face, setup, body);
    requireIndex("face", face, all.size(), "faces whose motion is known");
    return all[face];
  };
  EstimatedVector moved = of(requirement.face);
  if (requirement.over) moved = moved.over(of(*requirement.over));
  return {requirement.along ? moved.along(*requirement.along) : moved.size(), requirement.bound,
          errors.order};
}

/// Of a safety factor the share of the strength that is used is judged, of the von Mises stress that of the
/// only material too.
CaseFigure stressOf(const Requirement& requirement, const CaseErrors& errors, const Setup& setup) {
  CaseErrors::Place at{errors.used, errors.tension, errors.compression};
  if (requirement.within) {
    requireIndex("place", *requirement.within, errors.places.size(), "places that were judged");
    at = errors.places[*requirement.within];
  }
  switch (requirement.kind) {
    case Requirement::Kind::safetyFactor:
      return {at.used, 1 / requirement.bound};
    case Requirement::Kind::tension:
      return {at.tension, requirement.bound};
    case Requirement::Kind::compression:
      return {at.compression, requirement.bound};
    default:
      break;
  }
  if (setup.materials.size() != 1)
    throw InputError("a bound of the von Mises stress is stated of several materials",
                     "require a safety factor, which holds each against its own strength");
  const double strength = setup.materials.front().strength;
  return {{at.used.value * strength, at.used.coarse * strength, at.used.error * strength}, requirement.bound};
}

CaseFigure figureOf(const Requirement& requirement, const CaseErrors& errors, const Setup& setup,
                    const JudgedBody& body) {
  if (requirement.ofStress()) return stressOf(requirement, errors, setup);
  if (requirement.kind == Requirement::Kind::compliance)
    return {errors.compliance, requirement.bound, errors.order};
  return motionOf(requirement, errors, setup, body);
}

}  // namespace

Verdict overall(const std::vector<Judgement>& judgements) {
  Verdict worst = Verdict::met;
  for (const Judgement& j : judgements)
    if (rank(j.verdict) > rank(worst)) worst = j.verdict;
  return worst;
}

JudgedBody judgedBody(const Proof& coarse, const Proof& proof, double ratio) {
  requireCount("coarse proof", coarse.cases.size(), proof.cases.size(), "cases in the fine one");
  JudgedBody body{ratio, proof.tets, coarse.tets, proof.mass, coarse.mass, proof.faceShare, {}};
  for (std::size_t k = 0; k < proof.cases.size(); ++k)
    body.cases.push_back({proof.cases[k].name, errorsOf(coarse, proof, k, ratio)});
  return body;
}

std::vector<Judgement> judge(const JudgedBody& body, double agreement, const Setup& setup,
                             const std::vector<Requirement>& requirements) {
  requireNotNegative("agreement", agreement);
  if (!(body.ratio > 1))
    throw InputError(fmt::format("the ratio of the spacings is {}", body.ratio), "give above 1");
  constexpr double kEdgeOrder = 2;  // what straight edges cut off goes with the square of the spacing
  std::vector<Judgement> judgements;
  for (const Requirement& requirement : requirements) {
    requirePositive("bound of a requirement", requirement.bound);
    if (requirement.kind == Requirement::Kind::wall || requirement.kind == Requirement::Kind::gap) {
      const std::optional<double>& found =
          requirement.kind == Requirement::Kind::wall ? body.thinnestWall : body.narrowestGap;
      if (!found) continue;
      const Verdict verdict = *found >= requirement.bound ? Verdict::met : Verdict::notMet;
      judgements.push_back({requirement, {*found, *found, 0}, {}, verdict});
      continue;
    }
    if (requirement.kind == Requirement::Kind::frequency) {
      std::optional<Judgement> worst;
      for (const JudgedBody::Frequency& each : body.frequencies) {
        Judgement j = requirement.below ? judged(requirement, each.lowest, requirement.bound, agreement)
                                        : judgedLeast(requirement, each.lowest, agreement);
        j.worstCase = each.cases;
        if (!worst || rank(j.verdict) > rank(worst->verdict) ||
            (j.verdict == worst->verdict && (j.value.value < worst->value.value) != requirement.below))
          worst = std::move(j);
      }
      if (worst) judgements.push_back(std::move(*worst));
      continue;
    }
    const bool least = requirement.kind == Requirement::Kind::safetyFactor;
    double bound = requirement.bound;
    double order = kEdgeOrder;
    std::optional<Judgement> worst;
    const auto account = [&](const CaseFigure& figure, const std::string& name) {
      Judgement j = judged(requirement, figure.value, figure.bound, agreement);
      j.worstCase = name;
      const bool worse = !worst || rank(j.verdict) > rank(worst->verdict) ||
                         (j.verdict == worst->verdict && j.value.value > worst->value.value);
      if (!worse) return;
      worst = std::move(j);
      bound = figure.bound;
      order = figure.order;
    };
    if (requirement.kind == Requirement::Kind::mass) {
      account(
          {extrapolated(body.coarseMass, body.mass, body.ratio, kEdgeOrder), requirement.bound, kEdgeOrder},
          {});
    } else {
      for (std::size_t k = 0; k < body.cases.size(); ++k)
        if (requirement.in(k))
          account(figureOf(requirement, body.cases[k].errors, setup, body), body.cases[k].name);
    }
    if (!worst) continue;
    if (worst->verdict == Verdict::inconclusive && body.coarseTets > 0)
      worst->decidingTets = tetsFor(
          std::abs(worst->value.value - bound), worst->value.error, order, static_cast<double>(body.tets),
          static_cast<double>(body.tets) / static_cast<double>(body.coarseTets), body.ratio);
    if (least) worst->value = factorFrom(worst->value);
    judgements.push_back(std::move(*worst));
  }
  return judgements;
}

std::vector<std::string> doubts(const Proof& coarse, const Proof& proof) {
  constexpr double kUnbalanced = 0.01;  // of the load; a solve at its tolerance leaves far less
  constexpr double kApart = 10;
  std::vector<std::string> sentences;
  for (std::size_t k = 0; k < proof.cases.size(); ++k) {
    const CaseProof& c = proof.cases[k];
    // Loads in balance with each other have no resultant: then the force that the work done stands for.
    double force = std::max(c.applied.force.norm(), c.displacement > 0 ? c.compliance / c.displacement : 0);
    for (const Reaction& reaction : c.reactions) force = std::max(force, reaction.force.norm());
    force = std::max(force, c.growthForces);
    const double left = c.unbalanced().norm();
    if (left > kUnbalanced * force)
      sentences.push_back(
          fmt::format("in case {} {:.3g} of {:.3g} N are not balanced: the body may be free to move", c.name,
                      left, force));
    const double ratio = c.compliance / coarse.cases[k].compliance;
    if (ratio > kApart || ratio < 1 / kApart)
      sentences.push_back(fmt::format(
          "in case {} the compliances of both meshes are {:.2g} to 1: the body hardly holds together, or is "
          "free to move",
          c.name, std::max(ratio, 1 / ratio)));
  }
  return sentences;
}

}  // namespace barelattice
