#include "body_tables.hpp"

#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "angle_drawing.hpp"
#include "html.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;
constexpr double kMPa = 1e-6;
constexpr double kDegrees = 180 / std::numbers::pi;

using Rows = std::vector<std::vector<std::string>>;

/// What the supports of a case do to a body: each piece of a face about its own centre, and where there are
/// several, their sum.
void addReactions(const BodyCaseRecord& c, const std::string& which, const std::string& body, Rows& rows) {
  const std::string unbalanced = fmt::format("{:.1g}", c.unbalanced);
  for (const auto& [support, r] : c.reactions) {
    const bool one = r.pieces.size() == 1;
    for (std::size_t p = 0; p < r.pieces.size(); ++p) {
      const PieceRecord& piece = r.pieces[p];
      rows.push_back({which, body,
                      escaped(support) + (one ? "" : fmt::format(", {} of {}", p + 1, r.pieces.size())),
                      placeInMm(piece.centre), coordinatesText(piece.force), coordinatesText(piece.moment),
                      piece.axial ? text(*piece.axial) : "", piece.shear ? text(*piece.shear) : "",
                      one ? unbalanced : ""});
    }
    if (!one)
      rows.push_back({which, body, escaped(support) + ", in all", placeInMm(r.centre),
                      coordinatesText(r.force), coordinatesText(r.ownMoment), "", "", unbalanced});
  }
}

/// What a case comes to in a body.
/// @param predicted the same case of the layout; null for other bodies than the part.
std::vector<std::string> caseRow(const BodyCaseRecord& c, const std::string& which, const std::string& body,
                                 const LayoutCaseRecord* predicted, bool severalMaterials) {
  const bool known = predicted && std::isfinite(predicted->compliance);
  const double off = known ? c.compliance / predicted->compliance - 1 : 0;
  return {which,
          body,
          predicted ? figureText(predicted->compliance) : "",
          predicted ? figureText(predicted->blackAndWhite) : "",
          withError(c.compliance, c.complianceError),
          known ? fmt::format("{:+.1f} %", std::round(1000 * off) / 10 + 0.0) : "",
          text(c.largestDisplacement * kMm),
          withError(c.judged * kMPa, c.judgedError * kMPa),
          text(c.peak * kMPa),
          text(c.tension * kMPa),
          text(c.compression * kMPa),
          withError(c.safetyFactor, c.safetyFactorError) +
              (severalMaterials ? " in " + escaped(c.judgedIn) : "")};
}

std::vector<std::string> percentilesRow(const BodyCaseRecord& c, const std::string& which,
                                        const std::string& body) {
  std::vector<std::string> row{which, body};
  for (const char* p : {"50", "90", "99", "99.9"}) row.push_back(text(c.percentiles.at(p) * kMPa));
  row.push_back(placeInMm(c.judgedAt));
  row.push_back(placeInMm(c.peakAt));
  return row;
}

void addMotions(const BodyCaseRecord& c, const std::string& which, const std::string& body, Rows& rows) {
  // Of a held face only nodes beyond its edge move, by next to nothing.
  const double held = 2e-3 * c.largestDisplacement;
  for (const auto& [face, u] : c.faceDisplacement)
    if (u.norm() > held)
      rows.push_back({which, body, escaped(face), placeInMm(u),
                      withError(u.norm() * kMm, c.faceDisplacementError.at(face) * kMm),
                      coordinatesText(c.faceRotation.at(face) * kDegrees)});
}

std::vector<std::string> meshRow(const BodyRecord& b, const std::string& body) {
  std::string places;
  for (const Vec3& at : b.worstElements) places += (places.empty() ? "" : "<br>") + placeInMm(at);
  return {body,
          text(b.mass),
          fmt::format("{}", b.tetrahedra),
          fmt::format("{}", b.coarseTetrahedra),
          fmt::format("{:.1f} to {:.1f}", b.smallestAngle, b.largestAngle),
          angleDrawing(b.angles, b.tetrahedra),
          places,
          b.surfaceGap ? fmt::format("mean {:.3f}, largest {:.3f} at ({})", b.surfaceGap->mean * kMm,
                                     b.surfaceGap->largest * kMm, placeInMm(b.surfaceGap->largestAt))
                       : "",
          b.volumeDifference ? fmt::format("{:+.2f} %", 100 * *b.volumeDifference) : ""};
}

/// Empty if none were asked for.
std::string frequencyTable(const std::vector<std::pair<std::string, const BodyRecord*>>& bodies) {
  Rows rows;
  for (const auto& [name, body] : bodies)
    for (const FrequenciesRecord& f : body->frequencies) {
      std::string all;
      for (const FigureRecord& each : f.lowest)
        all += (all.empty() ? "" : "<br>") + withError(each.value, each.error);
      rows.push_back({name, escaped(fmt::format("{}", fmt::join(f.cases, ", "))), all,
                      f.converged ? "" : "not found to the last digit"});
    }
  if (rows.empty()) return {};
  return "<h2>Natural frequencies</h2>" + table({"body", "supports of the cases", "lowest, Hz", ""}, rows) +
         "<p class=\"note\">Of the part as it stands, with what it carries. The stress of the loads changes "
         "frequencies, too: that is not included.</p>";
}

}  // namespace

std::vector<std::pair<std::string, const BodyRecord*>> bodiesOf(const RunRecord& record) {
  std::vector<std::pair<std::string, const BodyRecord*>> bodies;
  for (const auto& [body, name] :
       {std::pair{&record.proof, "the part"}, std::pair{&record.outside, "imported solid"},
        std::pair{&record.block, "full block"}, std::pair{&record.baseline, "baseline"}})
    if (*body) bodies.emplace_back(name, &**body);
  return bodies;
}

std::string bodyTables(const Job& job, const RunRecord& record) {
  const auto bodies = bodiesOf(record);
  if (bodies.empty()) return {};
  Rows found, moved, reactions, meshes, percentiles;
  for (std::size_t k = 0; k < job.setup.cases.size(); ++k)
    for (const auto& [name, body] : bodies) {
      const BodyCaseRecord& c = body->cases[k];
      const std::string which = escaped(c.name);
      const bool designed = record.layout && record.layout->design && name == "the part";
      const LayoutCaseRecord* predicted = designed ? &record.layout->design->cases[k] : nullptr;
      found.push_back(caseRow(c, which, name, predicted, !job.brief.regions.empty()));
      percentiles.push_back(percentilesRow(c, which, name));
      addMotions(c, which, name, moved);
      addReactions(c, which, name, reactions);
    }
  for (const auto& [name, body] : bodies) meshes.push_back(meshRow(*body, name));
  std::string html =
      "<h2>Cases</h2>" + table({"case", "body", "compliance predicted, J", "read black and white, J",
                                "found, J", "difference", "largest displacement, mm", "von Mises, MPa",
                                "peak anywhere, MPa", "tension, MPa", "compression, MPa", "safety factor"},
                               found);
  html += fmt::format(
      "<p class=\"note\">Predicted: by the optimiser, on the voxel layout. Found: on ten-node tetrahedra, "
      "fine mesh. &plusmn;: estimated error, the larger of what two meshes differ by and what their "
      "recovered stress says. Stress within {:.3g} mm of a support or load depends on how they are modelled: "
      "it is shown as peak anywhere and left out elsewhere; the safety factor is {} over the von Mises "
      "stress. Tension and compression: largest and smallest principal stress.</p>",
      bodies.front().second->exclusion * kMm,
      job.brief.regions.empty() ? fmt::format("the strength of {:.4g} MPa", record.material.strength * kMPa)
                                : "the strength of the material named beside it");
  html += "<h2>How the stress is spread</h2>" +
          table({"case", "body", "not exceeded in 50 % of the volume, MPa", "in 90 %", "in 99 %", "in 99.9 %",
                 "largest at, mm", "peak anywhere at, mm"},
                percentiles);
  html += "<h2>Displacement of the faces</h2>" + table({"case", "body", "face", "mean, mm (x, y, z)",
                                                        "magnitude, mm", "mean rotation, degrees (x, y, z)"},
                                                       moved);
  html += "<h2>Reactions</h2>" +
          table({"case", "body", "support", "centre of the face, mm (x, y, z)", "force on the part, N",
                 "moment about that centre, N m", "along its axis, N", "across it, N",
                 "loads and reactions add up to, N"},
                reactions) +
          "<p class=\"note\">Axis: of a round face, or the normal of a flat one; what is along it is counted "
          "in the direction results.json names.</p>";
  html += frequencyTable(bodies);
  html += "<h2>Meshes</h2>" +
          table({"body", "mass, kg", "tetrahedra", "in the coarse mesh", "dihedral angles, degrees",
                 "tetrahedra by their least angle, degrees", "worst elements at, mm (x, y, z)",
                 "distance to the surface, mm", "volume against it"},
                meshes);
  return html;
}

}  // namespace barelattice
