#include "figures.hpp"

#include <fmt/format.h>

#include "barelattice/base/quantity.hpp"
#include "barelattice/optimise/optimiser.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

constexpr double kMm = kMillimetresPerMetre;
constexpr double kMPa = 1e-6;

json caseJson(const BodyProof& body, std::size_t k, const ProofProblem& problem) {
  const CaseProof& c = body.fine.cases[k];
  const CaseErrors errors = errorsOf(body.coarse, body.fine, k, body.ratio);
  json faces = json::object();
  json faceErrors = json::object();
  for (std::size_t f = 0; f < problem.setup.faces.size(); ++f) {
    if (body.fine.faceShare[f] == 0) continue;
    faces[problem.setup.faces[f].name] = vectorJson(c.faceDisplacement[f], kMm);
    faceErrors[problem.setup.faces[f].name] = kMm * errors.faceDisplacement[f].error;
  }
  json reactions = json::object();
  for (const std::size_t s : problem.setup.cases[k].supports) {
    json pieces = json::array();
    for (const PieceReaction& piece : c.reactions[s].pieces)
      pieces.push_back({{"centre_mm", vectorJson(piece.centre, kMm)},
                        {"force_N", vectorJson(piece.own.force)},
                        {"moment_Nm", vectorJson(piece.own.moment)}});
    reactions[problem.setup.supports[s].name] = {{"force_N", vectorJson(c.reactions[s].force)},
                                                 {"moment_Nm", vectorJson(c.reactions[s].moment)},
                                                 {"pieces", pieces}};
  }
  json percentiles = json::object();
  for (std::size_t p = 0; p < kPercentiles.size(); ++p)
    percentiles[fmt::format("{:g}", 100 * kPercentiles[p])] = c.percentiles[p] * kMPa;
  return {{"name", c.name},
          {"compliance_J", c.compliance},
          {"compliance_error_J", errors.compliance.error},
          {"largest_displacement_mm", c.displacement * kMm},
          {"face_displacement_mm", faces},
          {"face_displacement_error_mm", faceErrors},
          {"peak_von_mises_MPa", c.peakStress * kMPa},
          {"peak_at_mm", vectorJson(c.peakAt, kMm)},
          {"judged_everywhere", c.judgedEverywhere},
          {"judged_von_mises_MPa", c.judgedStress * kMPa},
          {"judged_von_mises_error_MPa", kMPa * errors.judgedStress.error},
          {"judged_at_mm", vectorJson(c.judgedAt, kMm)},
          {"percentiles_MPa", percentiles},
          {"tension_MPa", c.tension * kMPa},
          {"compression_MPa", c.compression * kMPa},
          {"judged_in", problem.setup.materials[c.judgedIn].name},
          {"safety_factor", c.safetyFactor},
          {"safety_factor_error", factorFrom(errors.used).error},
          {"error_order", errors.order},
          {"applied_force_N", vectorJson(c.applied.force)},
          {"applied_moment_Nm", vectorJson(c.applied.moment)},
          {"reactions", reactions},
          {"unbalanced_N", c.unbalanced().norm()},
          {"solver_iterations", c.solve.iterations},
          {"solver_energy_error", c.solve.energyError}};
}

}  // namespace

json vectorJson(const Vec3& v, double scale) {
  return {v.x() * scale, v.y() * scale, v.z() * scale};
}

std::string historyCsv(const std::vector<IterationRecord>& history, const std::vector<std::string>& columns) {
  std::string csv =
      "iteration,goal_J,compliance_J,eroded_J,change,grey,sharpness,erosion,taken_back,solver_iterations,"
      "seconds,solve_seconds";
  // Names may be any text: quoted as RFC 4180 has it.
  for (const std::string& column : columns) {
    csv += ',';
    if (column.find_first_of(",\"\n\r") == std::string::npos) {
      csv += column;
      continue;
    }
    csv += '"';
    for (const char c : column) csv += c == '"' ? std::string("\"\"") : std::string(1, c);
    csv += '"';
  }
  csv += '\n';
  for (const IterationRecord& r : history) {
    csv += fmt::format("{},{:.9g},{:.9g},{:.9g},{:.6f},{:.4f},{:.5g},{:.4f},{:d},{},{:.2f},{:.2f}",
                       r.iteration, r.goal, r.nominal, r.eroded, r.change, r.grey, r.sharpness, r.erosion,
                       r.takenBack, r.solverIterations, r.seconds, r.solveSeconds);
    for (const double value : r.values) csv += fmt::format(",{:.9g}", value);
    csv += '\n';
  }
  return csv;
}

json bodyJson(const BodyProof& body, const ProofProblem& problem, const std::vector<double>& weights) {
  json cases = json::array();
  double compliance = 0;
  double error = 0;
  for (std::size_t k = 0; k < body.fine.cases.size(); ++k) {
    cases.push_back(caseJson(body, k, problem));
    compliance += weights[k] * body.fine.cases[k].compliance;
    error += weights[k] * errorsOf(body.coarse, body.fine, k, body.ratio).compliance.error;
  }
  json shares = json::object();
  json offsets = json::object();
  for (std::size_t f = 0; f < problem.setup.faces.size(); ++f) {
    shares[problem.setup.faces[f].name] = body.fine.faceShare[f];
    if (body.fine.faceShare[f] > 0) offsets[problem.setup.faces[f].name] = body.fine.faceOffset[f] * kMm;
  }
  json worst = json::array();
  for (const Vec3& at : body.fine.worstAt) worst.push_back(vectorJson(at, kMm));
  return {{"tetrahedra", body.fine.tets},
          {"coarse_tetrahedra", body.coarse.tets},
          {"mesh_ratio", body.ratio},
          {"nodes", body.fine.nodes},
          {"spacing_mm", body.spacing * kMm},
          {"mass_kg", body.fine.mass},
          {"bonded_mass_kg", body.fine.bonded},
          {"smallest_angle_deg", body.fine.smallestAngle},
          {"largest_angle_deg", body.fine.largestAngle},
          {"least_angles_by_ten_degrees", body.fine.angleHistogram},
          {"worst_elements_at_mm", worst},
          {"pieces", body.pieces},
          {"face_share", shares},
          {"face_offset_mm", offsets},
          {"exclude_within_mm", problem.exclusion * kMm},
          {"compliance_J", compliance},
          {"compliance_error_J", error},
          {"cases", cases}};
}

json judgementJson(const Judgement& j) {
  std::string what = "mass";
  std::string unit = "kg";
  double scale = 1;
  if (j.requirement.kind == Requirement::Kind::displacement) {
    what = "displacement at " + j.requirement.face;
    unit = "mm";
    scale = kMm;
  } else if (j.requirement.kind == Requirement::Kind::safetyFactor) {
    what = "safety factor";
    unit = "";
  }
  const bool least = j.requirement.kind == Requirement::Kind::safetyFactor;
  json decides;
  if (j.verdict == Verdict::inconclusive)
    decides = j.decidingTets > 0
                  ? fmt::format("about {:.2g} million tetrahedra would decide", 1e-6 * j.decidingTets)
                  : "no mesh of up to 20 million tetrahedra would decide";
  return {{"what", what},
          {"unit", unit},
          {"value", j.value.value * scale},
          {"error", j.value.error * scale},
          {"coarse_mesh", j.value.coarse * scale},
          {"bound", j.requirement.bound * scale},
          {"sense", least ? "at least" : "at most"},
          {"worst_case", j.worstCase},
          {"verdict", describe(j.verdict)},
          {"to_decide", decides}};
}

}  // namespace barelattice
