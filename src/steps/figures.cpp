#include "figures.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "barelattice/base/quantity.hpp"
#include "barelattice/proof/making_check.hpp"

namespace barelattice {
namespace {

FigureRecord figureRecord(const Estimated& estimated) {
  return {estimated.value, estimated.coarse, estimated.error};
}
Estimated estimatedFrom(const FigureRecord& figure) {
  return {figure.value, figure.coarse, figure.error};
}

VectorFigureRecord vectorRecord(const EstimatedVector& estimated) {
  return {estimated.value, estimated.coarse, estimated.error};
}
EstimatedVector vectorFrom(const VectorFigureRecord& figure) {
  return {figure.value, figure.coarse, figure.error};
}

BodyCaseRecord caseRecord(const BodyProof& body, std::size_t k, const ProofProblem& problem) {
  const CaseProof& c = body.fine.cases[k];
  const CaseErrors errors = errorsOf(body.coarse, body.fine, k, body.ratio);
  BodyCaseRecord record;
  record.name = c.name;
  record.compliance = c.compliance;
  record.complianceError = errors.compliance.error;
  record.energy = 0.5 * c.energy;
  for (std::size_t m = 0; m < c.energyByMaterial.size(); ++m)
    record.energyByMaterial[problem.setup.materials[m].name] += 0.5 * c.energyByMaterial[m];
  record.largestDisplacement = c.displacement;
  for (std::size_t f = 0; f < problem.setup.faces.size(); ++f) {
    if (body.fine.faceShare[f] == 0) continue;
    const std::string& face = problem.setup.faces[f].name;
    record.faceDisplacement[face] = c.faceDisplacement[f];
    record.faceRotation[face] = c.faceRotation[f];
    record.faceDisplacementError[face] = errors.faceDisplacement[f].error;
    record.faceMotion[face] = figureRecord(errors.faceDisplacement[f]);
    record.faceShift[face] = vectorRecord(errors.faceShift[f]);
    record.faceTurn[face] = vectorRecord(errors.faceTurn[f]);
  }
  for (const std::size_t s : problem.setup.cases[k].supports) {
    ReactionRecord& reaction = record.reactions[problem.setup.supports[s].name];
    reaction.force = c.reactions[s].force;
    reaction.moment = c.reactions[s].moment;
    reaction.centre = c.reactions[s].centre;
    reaction.ownMoment = c.reactions[s].ownMoment();
    for (const PieceReaction& piece : c.reactions[s].pieces) {
      PieceRecord& own = reaction.pieces.emplace_back(
          PieceRecord{piece.centre, piece.own.force, piece.own.moment, piece.axis, {}, {}});
      if (!piece.axis) continue;
      own.axial = piece.axial();
      own.shear = piece.shear();
    }
  }
  for (std::size_t p = 0; p < kPercentiles.size(); ++p)
    record.percentiles[fmt::format("{:g}", 100 * kPercentiles[p])] = c.percentiles[p];
  record.peak = c.peakStress;
  record.peakAt = c.peakAt;
  record.judgedEverywhere = c.judgedEverywhere;
  record.judged = c.judgedStress;
  record.judgedError = errors.judgedStress.error;
  record.judgedAt = c.judgedAt;
  record.tension = c.tension;
  record.compression = c.compression;
  record.judgedIn = problem.setup.materials[c.judgedIn].name;
  record.safetyFactor = c.safetyFactor;
  record.safetyFactorError = factorFrom(errors.used).error;
  record.used = figureRecord(errors.used);
  record.tensionFigure = figureRecord(errors.tension);
  record.compressionFigure = figureRecord(errors.compression);
  record.complianceFigure = figureRecord(errors.compliance);
  for (const CaseErrors::Place& place : errors.places)
    record.places.push_back(
        {figureRecord(place.used), figureRecord(place.tension), figureRecord(place.compression)});
  record.errorOrder = errors.order;
  record.appliedForce = c.applied.force;
  record.appliedMoment = c.applied.moment;
  record.unbalanced = c.unbalanced().norm();
  record.solverIterations = static_cast<std::size_t>(c.solve.iterations);
  record.solverEnergyError = c.solve.energyError;
  return record;
}

/// Frequencies fall towards the true ones as meshes get finer, at least as fast as the spacing. Two meshes
/// may agree on one by accident, above all on one of two that should be the same; no mode is known better
/// than a lower one.
FrequenciesRecord frequenciesRecord(const BodyProof& body, std::size_t set, const ProofProblem& problem) {
  const ModesProof& fine = body.fine.modes[set];
  const ModesProof& coarse = body.coarse.modes[set];
  FrequenciesRecord record;
  for (const std::size_t k : fine.cases) record.cases.push_back(problem.setup.cases[k].name);
  double relative = 0;
  for (std::size_t i = 0; i < fine.modes.size(); ++i) {
    const double found = fine.modes[i].frequency;
    Estimated each = extrapolated(coarse.modes[i].frequency, found, body.ratio, 1);
    if (found > 0) relative = std::max(relative, each.error / found);
    each.error = std::max(each.error, relative * found);
    record.lowest.push_back(figureRecord(each));
  }
  record.converged = fine.converged && coarse.converged;
  return record;
}

MakingMeasure measureOf(Requirement::Kind kind) {
  return kind == Requirement::Kind::wall ? MakingMeasure::thinnestWall : MakingMeasure::narrowestGap;
}

/// What a requirement is called, its unit, and the factor from SI.
struct Told {
  std::string what, unit;
  double scale = 1;
};
Told toldPlainly(const Requirement& requirement, const Setup& setup) {
  constexpr double kMPa = 1e-6;
  switch (requirement.kind) {
    case Requirement::Kind::displacement:
      return {"displacement at " + setup.faces[requirement.face].name, "mm", kMillimetresPerMetre};
    case Requirement::Kind::rotation:
      return {"rotation at " + setup.faces[requirement.face].name, "deg", 180 / std::numbers::pi};
    case Requirement::Kind::wall:
    case Requirement::Kind::gap:
      return {describe(measureOf(requirement.kind)), "mm", kMillimetresPerMetre};
    case Requirement::Kind::safetyFactor:
      return {"safety factor", "", 1};
    case Requirement::Kind::frequency:
      return {"lowest natural frequency", "Hz", 1};
    case Requirement::Kind::compliance:
      return {"compliance", "J", 1};
    case Requirement::Kind::vonMises:
      return {"von Mises stress", "MPa", kMPa};
    case Requirement::Kind::tension:
      return {"largest principal stress", "MPa", kMPa};
    case Requirement::Kind::compression:
      return {"smallest principal stress", "MPa", kMPa};
    case Requirement::Kind::mass:
      break;
  }
  return {"mass", "kg", 1};
}

/// With all that tells a limit from others of its kind.
Told told(const Requirement& requirement, const Setup& setup) {
  Told as = toldPlainly(requirement, setup);
  if (requirement.over) as.what += " over " + setup.faces[*requirement.over].name;
  if (requirement.along) {
    const Vec3& d = *requirement.along;
    as.what +=
        fmt::format(" {} ({:.3g}, {:.3g}, {:.3g})",
                    requirement.kind == Requirement::Kind::rotation ? "about" : "along", d.x(), d.y(), d.z());
  }
  if (!requirement.name.empty() && requirement.name != keyOf(requirement))
    as.what = requirement.name + ": " + as.what;
  return as;
}

const char* senseOf(const Requirement& requirement) {
  return requirement.least() ? "at least" : "at most";
}

RequirementRecord requirementRecord(const Judgement& j, const Setup& setup) {
  RequirementRecord record;
  const auto [what, unit, scale] = told(j.requirement, setup);
  record.what = what;
  record.unit = unit;
  record.value = j.value.value * scale;
  record.error = j.value.error * scale;
  record.coarse = j.value.coarse * scale;
  record.bound = j.requirement.bound * scale;
  record.sense = senseOf(j.requirement);
  record.worstCase = j.worstCase;
  record.verdict = describe(j.verdict);
  if (j.verdict == Verdict::inconclusive)
    record.toDecide = j.decidingTets > 0
                          ? fmt::format("about {:.2g} million tetrahedra would decide", 1e-6 * j.decidingTets)
                          : "no mesh of up to 20 million tetrahedra would decide";
  return record;
}

/// What the record of a body holds of its errors.
JudgedBody judgedFrom(const BodyRecord& record, const Setup& setup) {
  JudgedBody body{
      record.meshRatio, record.tetrahedra, record.coarseTetrahedra, record.mass, record.coarseMass, {}, {}};
  for (const NamedFace& face : setup.faces) {
    const auto share = record.faceShare.find(face.name);
    body.faceShare.push_back(share == record.faceShare.end() ? 0 : share->second);
  }
  for (const BodyCaseRecord& c : record.cases) {
    CaseErrors errors;
    errors.order = c.errorOrder;
    errors.used = estimatedFrom(c.used);
    errors.compliance = estimatedFrom(c.complianceFigure);
    errors.tension = estimatedFrom(c.tensionFigure);
    errors.compression = estimatedFrom(c.compressionFigure);
    for (const PlaceRecord& place : c.places)
      errors.places.push_back(
          {estimatedFrom(place.used), estimatedFrom(place.tension), estimatedFrom(place.compression)});
    const auto vectorOf = [](const std::map<std::string, VectorFigureRecord>& all, const std::string& face) {
      const auto found = all.find(face);
      return found == all.end() ? EstimatedVector{} : vectorFrom(found->second);
    };
    for (const NamedFace& face : setup.faces) {
      errors.faceShift.push_back(vectorOf(c.faceShift, face.name));
      errors.faceDisplacement.push_back(errors.faceShift.back().size());
      errors.faceTurn.push_back(vectorOf(c.faceTurn, face.name));
    }
    body.cases.push_back({c.name, errors});
  }
  for (const FrequenciesRecord& set : record.frequencies)
    if (!set.lowest.empty()) {
      Estimated lowest = estimatedFrom(set.lowest.front());
      if (!set.converged) lowest.error = lowest.value;
      body.frequencies.push_back({fmt::format("{}", fmt::join(set.cases, ", ")), lowest});
    }
  for (const auto& [kind, found] : {std::pair{Requirement::Kind::wall, &body.thinnestWall},
                                    std::pair{Requirement::Kind::gap, &body.narrowestGap}})
    for (const MakingRecord& m : record.making)
      if (m.what == describe(measureOf(kind))) *found = m.value.value_or(m.lookedUpTo) / kMillimetresPerMetre;
  return body;
}

/// The unit a measure is told in, and the factor from SI.
std::pair<const char*, double> unitOf(MakingMeasure measure) {
  constexpr double kMm = kMillimetresPerMetre;
  switch (measure) {
    case MakingMeasure::thinnestWall:
    case MakingMeasure::narrowestGap:
    case MakingMeasure::asymmetry:
      return {"mm", kMm};
    case MakingMeasure::localShare:
      return {"%", 100};
    case MakingMeasure::unreachable:
    case MakingMeasure::withoutDraft:
    case MakingMeasure::unsupported:
      return {"mm2", kMm * kMm};
    case MakingMeasure::supports:
    case MakingMeasure::enclosedVoid:
      return {"mm3", kMm * kMm * kMm};
  }
  return {"", 1};
}

/// What a measure leaves out, for people.
const char* leftOutBy(MakingMeasure measure) {
  switch (measure) {
    case MakingMeasure::thinnestWall:
      return "walls within keeps, and tips where faces meet";
    case MakingMeasure::narrowestGap:
      return "grooves where faces meet";
    case MakingMeasure::localShare:
      return "keeps, and places with little to design round them";
    case MakingMeasure::asymmetry:
      return "keeps, clears, and what the space has no like of";
    case MakingMeasure::unreachable:
      return "keeps and clears; cores";
    case MakingMeasure::withoutDraft:
      return "keeps, clears and walls of the space";
    case MakingMeasure::unsupported:
      return "keeps and clears; bridges up to four tolerances wide; warping";
    case MakingMeasure::supports:
      return "what holds up narrow strips and warping parts";
    case MakingMeasure::enclosedVoid:
      return "holes too narrow for powder to leave by";
  }
  return "";
}

}  // namespace

std::vector<DesignedRecord> designedLimits(const Job& job, const std::vector<std::string>& columns,
                                           const std::vector<double>& values) {
  std::vector<DesignedRecord> records;
  for (std::size_t r = 0; r < job.brief.limits.size(); ++r) {
    const Requirement& limit = job.brief.limits[r];
    const Told as = told(limit, job.setup);
    DesignedRecord& record = records.emplace_back();
    record.what = as.what;
    record.unit = as.unit;
    record.sense = senseOf(limit);
    record.bound = limit.bound * as.scale;
    record.correction = job.corrections.empty() ? 1 : job.corrections[r];
    std::optional<double> worst;
    for (const LimitColumn& each : columnsOf(job, limit)) {
      const auto column = std::find(columns.begin(), columns.end(), each.name);
      if (column == columns.end()) continue;  // of supports that another case stands on, too
      record.columns.push_back(each.name);
      const double value = each.figure(values.at(static_cast<std::size_t>(column - columns.begin())));
      if (worst && (limit.least() ? value >= *worst : value <= *worst)) continue;
      worst = value;
      record.worstCase = job.setup.cases[each.k].name;
    }
    if (!worst) throw RunError("the layout tells nothing of " + as.what);
    record.value = as.scale * *worst;
  }
  return records;
}

double overBound(const DesignedRecord& designed, double value) {
  return designed.sense == "at least" ? designed.bound / value : value / designed.bound;
}

double designedOver(const DesignedRecord& designed) {
  return designed.correction * overBound(designed, designed.value);
}

std::vector<std::string> wantedTexts(const Job& job) {
  std::vector<std::string> texts;
  if (!job.brief.designs || job.brief.layout) return texts;
  if (job.brief.lightest || job.brief.blend)
    texts.push_back(goalText(job));
  else
    texts.emplace_back(job.brief.goal == GoalForm::worst ? "stiffest in the worst case" : "stiffest");
  if (job.brief.target.limit) {
    const auto mass = std::find_if(job.brief.requirements.rbegin(), job.brief.requirements.rend(),
                                   [](const Requirement& r) { return r.kind == Requirement::Kind::mass; });
    texts.push_back(fmt::format("mass at most {:.4g} kg", mass->bound));
  }
  for (const BriefLimit& limit : job.brief.limits) {
    const Told as = told(limit, job.setup);
    std::vector<std::string> cases;
    for (const std::size_t k : limit.cases) cases.push_back(job.setup.cases[k].name);
    const std::string bound =
        limit.bound > 0
            ? fmt::format("{:.4g}{}{}", limit.bound * as.scale, as.unit.empty() ? "" : " ", as.unit)
            : fmt::format("{:.4g} % of what the {} has", 100 * limit.share,
                          limit.ofBaseline ? "baseline" : "full design space");
    texts.push_back(fmt::format(
        "{} {} {}{}{}", as.what, senseOf(limit), bound,
        cases.empty() ? "" : fmt::format(" in {}", fmt::join(cases, ", ")),
        limit.within ? " within " + job.brief.shapes[job.brief.judgedPlaces[*limit.within]].name : ""));
  }
  return texts;
}

BodyRecord bodyRecord(const BodyProof& body, const ProofProblem& problem,
                      const std::vector<double>& weights) {
  BodyRecord record;
  for (std::size_t set = 0; set < body.fine.modes.size(); ++set)
    record.frequencies.push_back(frequenciesRecord(body, set, problem));
  for (std::size_t k = 0; k < body.fine.cases.size(); ++k) {
    record.cases.push_back(caseRecord(body, k, problem));
    record.compliance += weights[k] * record.cases.back().compliance;
    record.complianceError += weights[k] * record.cases.back().complianceError;
  }
  for (std::size_t f = 0; f < problem.setup.faces.size(); ++f) {
    record.faceShare[problem.setup.faces[f].name] = body.fine.faceShare[f];
    if (body.fine.faceShare[f] > 0) record.faceOffset[problem.setup.faces[f].name] = body.fine.faceOffset[f];
  }
  record.tetrahedra = body.fine.tets;
  record.coarseTetrahedra = body.coarse.tets;
  record.meshRatio = body.ratio;
  record.nodes = body.fine.nodes;
  record.spacing = body.spacing;
  record.mass = body.fine.mass;
  record.coarseMass = body.coarse.mass;
  record.bondedMass = body.fine.bonded;
  record.smallestAngle = body.fine.smallestAngle;
  record.largestAngle = body.fine.largestAngle;
  record.angles.assign(body.fine.angleHistogram.begin(), body.fine.angleHistogram.end());
  record.worstElements.assign(body.fine.worstAt.begin(), body.fine.worstAt.end());
  record.pieces = body.pieces;
  record.exclusion = problem.exclusion;
  return record;
}

std::vector<MakingRecord> makingRecords(const Job& job, const TriangleMesh& surface) {
  std::vector<MakingRule> rules;
  if (!job.brief.designs) return {};
  for (const BriefRule& each : job.brief.making) rules.push_back(each.rule);
  const MakingCheckOptions options{job.cellSize(), job.brief.tolerance, job.brief.widestMeasured()};
  std::vector<MakingRecord> records;
  for (const MakingFinding& found : measureMaking(surface, rules, job.regions, options)) {
    const auto [unit, scale] = unitOf(found.measure);
    MakingRecord& record = records.emplace_back();
    record.rule = nameOf(rules[found.rule]);
    record.what = describe(found.measure);
    record.unit = unit;
    if (found.value) record.value = *found.value * scale;
    if (found.bound) record.bound = *found.bound * scale;
    const bool width =
        found.measure == MakingMeasure::thinnestWall || found.measure == MakingMeasure::narrowestGap;
    record.sense = width ? "at least" : "at most";
    if (width) record.lookedUpTo = options.largest * scale;
    record.share = found.share;
    record.at = found.at;
    record.imposed = job.brief.making[found.rule].imposed;
    record.verdict = !found.bound ? "measured" : describe(found.holds ? Verdict::met : Verdict::notMet);
    record.note = std::string("without ") + leftOutBy(found.measure);
  }
  return records;
}

namespace {

/// The tetrahedra that would decide an open verdict; 0 if it is not open, or none would.
double decidingTetsOf(const std::vector<Judgement>& judged) {
  double most = 0;
  for (const Judgement& j : judged) {
    if (j.verdict == Verdict::notMet) return 0;
    if (j.verdict != Verdict::inconclusive) continue;
    if (!(j.decidingTets > 0)) return 0;
    most = std::max(most, j.decidingTets);
  }
  return most;
}

}  // namespace

double judgeBody(BodyRecord& body, const Setup& setup, const std::vector<Requirement>& requirements,
                 double agreement) {
  const std::vector<Judgement> judged = judge(judgedFrom(body, setup), agreement, setup, requirements);
  body.requirements.clear();
  for (const Judgement& j : judged) body.requirements.push_back(requirementRecord(j, setup));
  body.meshDifference = agreement;
  body.verdict = judged.empty() ? "nothing required" : describe(overall(judged));
  const std::string notMet = describe(Verdict::notMet);
  if (std::any_of(body.making.begin(), body.making.end(),
                  [&](const MakingRecord& m) { return m.verdict == notMet; }))
    body.verdict = notMet;
  if (body.doubts.empty()) return decidingTetsOf(judged);
  const std::string open = describe(Verdict::inconclusive);
  if (body.verdict == describe(Verdict::met)) body.verdict = open;
  for (RequirementRecord& r : body.requirements)
    if (r.verdict == describe(Verdict::met)) {
      r.verdict = open;
      r.toDecide = "nothing is shown while the body is in doubt";
    }
  return 0;
}

}  // namespace barelattice
