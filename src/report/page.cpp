#include "barelattice/report/page.hpp"

#include <fmt/format.h>

#include <cmath>

#include "barelattice/base/file.hpp"
#include "barelattice/base/json_text.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/stl.hpp"
#include "base/markup.hpp"
#include "page_data.hpp"
#include "palette.hpp"

namespace barelattice {

namespace assets {
std::string_view viewerScript();
std::string_view inspectScript();
std::string_view pageStyle();
std::string_view chartStyle();
}  // namespace assets

namespace {

using nlohmann::json;
constexpr double kMm = kMillimetresPerMetre;

std::string row(const std::string& name, const std::string& value) {
  return fmt::format("<dt>{}</dt><dd>{}</dd>", escaped(name), value);
}

std::string table(const std::vector<std::string>& head, const std::vector<std::vector<std::string>>& rows) {
  std::string html = "<div class=\"scroll\"><table><thead><tr>";
  for (const std::string& cell : head) html += "<th>" + escaped(cell) + "</th>";
  html += "</tr></thead><tbody>";
  for (const auto& cells : rows) {
    html += "<tr>";
    for (const std::string& cell : cells) html += "<td>" + cell + "</td>";
    html += "</tr>";
  }
  return html + "</tbody></table></div>";
}

std::string text(const json& value, const char* format = "{:.4g}") {
  return fmt::format(fmt::runtime(format), value.get<double>());
}

/// How many triangles there are, and how many there were where reducing or rounding changed that.
std::string trianglesText(const json& solid) {
  const int now = solid["triangles"].get<int>();
  const int before = solid["triangles_before"].get<int>();
  if (now == before) return fmt::format("{}", now);
  return now < before ? fmt::format("{} of {}", now, before)
                      : fmt::format("{}, {} of them to make faces round", now, now - before);
}

/// "1.23 &plusmn; 0.02": a figure with its estimated error.
std::string withError(const json& value, const json& error) {
  return text(value) +
         fmt::format(" <span class=\"error\">&plusmn; {}</span>", errorText(error.get<double>()));
}

std::string vectorText(const json& v) {
  return coordinatesText(Vec3(v[0].get<double>(), v[1].get<double>(), v[2].get<double>()));
}

std::string warningList(const std::vector<std::string>& warnings) {
  if (warnings.empty()) return {};
  std::string html = "<ul class=\"warnings\">";
  for (const std::string& warning : warnings) html += "<li>" + escaped(warning) + "</li>";
  return html + "</ul>";
}

std::string caseTable(const Job& job) {
  std::vector<std::vector<std::string>> rows;
  for (std::size_t k = 0; k < job.summaries.size(); ++k) {
    const CaseSummary& c = job.summaries[k];
    std::string held;
    for (const std::size_t s : job.setup.cases[k].supports)
      held += (held.empty() ? "" : ", ") + job.setup.supports[s].name;
    rows.push_back({escaped(c.name), fmt::format("{:g}", c.weight), escaped(held),
                    vectorText(c.resultant.force), vectorText(c.resultant.moment)});
  }
  return table({"case", "weight", "held", "force, N (x, y, z)", "moment about the supports' centre, N m"},
               rows);
}

std::string otherMaterials(const Job& job) {
  std::string rows;
  for (const BriefRegion& region : job.brief.regions)
    rows += row(region.name + (region.bonded ? " (bonded)" : ""), escaped(region.material.name));
  return rows;
}

std::string massList(const Job& job) {
  const std::string sheet =
      job.flat()
          ? row("sheet", fmt::format("{:.3g} mm, {}", job.brief.sheet->thickness * kMm,
                                     job.brief.sheet->state == SheetState::planeStrain ? "plane strain"
                                                                                       : "plane stress"))
          : "";
  return "<dl>" + row("design space", fmt::format("{:.4g} kg", job.spaceMass)) +
         row("keep regions", fmt::format("{:.4g} kg", job.keepMass)) +
         row("target",
             fmt::format("{:.4g} kg ({:.3g} %)", job.targetMass, 100 * job.targetMass / job.spaceMass)) +
         (job.bondedMass > 0 ? row("bonded parts", fmt::format("{:.4g} kg", job.bondedMass)) : "") +
         row("material", escaped(job.brief.material.name)) + otherMaterials(job) + sheet +
         row("voxels", fmt::format("{} of {:.3g} mm", job.cellCount(), job.cellSize() * kMm)) +
         row("smallest member", fmt::format("{:.3g} mm", job.brief.walls().smallestMember * kMm)) + "</dl>";
}

std::string caseOptions(const Job& job) {
  std::string html;
  for (std::size_t k = 0; k < job.setup.cases.size(); ++k)
    html += fmt::format("<option value=\"{}\">{}</option>", k, escaped(job.setup.cases[k].name));
  return html;
}

std::string setupPanel(const Job& job) {
  const auto key = [](std::string_view colour, const char* form, const char* text) {
    return fmt::format("<li><i class=\"{}\" style=\"background:{};color:{}\"></i>{}</li>", form, colour,
                       colour, text);
  };
  return "<div data-panel=\"setup\"><h2>Set-up as understood</h2><label>case <select id=\"setup-case\">" +
         caseOptions(job) + "</select></label><ul class=\"key\">" +
         key(palette::kSpace, "glass", "design space, see-through") +
         key(palette::kKeep, "", "keep: stays solid") +
         key(palette::kClear, "glass", "clear: stays empty, see-through") +
         (job.brief.regions.empty()
              ? ""
              : key(palette::kPart, "", "bonded part, or (see-through) a region of another material")) +
         key(palette::kSupport, "dots", "held face, named in the view") +
         key(palette::kLoad, "dots", "loaded face; arrows end where they act") + "</ul><h2>Masses</h2>" +
         massList(job) + "</div>";
}

std::string modeButton(const char* value, const char* text, const char* key, bool enabled) {
  return fmt::format(
      "<label title=\"key {2}\"><input type=\"radio\" name=\"mode\" "
      "value=\"{0}\"{3}><span>{1}</span></label>",
      value, text, key, enabled ? "" : " disabled");
}

std::string layoutPanel(const json& data) {
  std::string html = R"(<div data-panel="layout" hidden><h2>Layout read at a threshold</h2>
<label for="threshold">threshold <b id="threshold-value"></b></label>
<input id="threshold" type="range" min="0.05" max="0.95" step="0.01">
<dl><dt>mass of the voxels denser than this</dt><dd id="threshold-mass"></dd><dt></dt><dd id="threshold-share"></dd>
<dt>pieces</dt><dd id="threshold-pieces"></dd></dl>
<p id="threshold-loose" class="note"></p><ol id="piece-list" class="pieces"></ol>
<p class="note">The slider starts at the threshold of the solid. Red pieces have lost their connection.</p>)";
  if (data.contains("iterations") && data["iterations"].size() > 1)
    html += R"(<h2>Iterations</h2><div class="play"><button id="play" type="button">play</button>
<input id="frame" type="range" min="0" step="1" aria-label="iteration"><span id="frame-number"></span></div>)";
  return html + "</div>";
}

std::string solidPanel(const json& results) {
  if (!results.contains("solid")) return {};
  const json& s = results["solid"];
  std::string html =
      "<div data-panel=\"solid\" hidden><h2>Solid</h2><dl>" + row("mass", text(s["mass_kg"]) + " kg") +
      row(s["volume_kept"].get<bool>() ? "target" : "target (not enforced)",
          text(s["wanted_mass_kg"]) + " kg") +
      row("threshold", text(s["threshold"], "{:.3f}")) +
      row("mass of the voxels in the level set", text(s["mass_of_voxels_above_threshold_kg"]) + " kg") +
      row("surface", escaped(s["surface"].get<std::string>())) + row("triangles", trianglesText(s));
  if (s["reduction_deviation_mm"].get<double>() > 0)
    html += row("moved by reduction", "at most " + text(s["reduction_deviation_mm"], "{:.3f}") + " mm");
  html += row("pieces", fmt::format("{}", s["pieces"].get<int>())) +
          row("loose pieces dropped", fmt::format("{} ({:.3g} mm&sup3;)", s["dropped_pieces"].get<int>(),
                                                  s["dropped_volume_mm3"].get<double>())) +
          row("voids filled", fmt::format("{} ({:.3g} mm&sup3;)", s["filled_voids"].get<int>(),
                                          s["filled_volume_mm3"].get<double>())) +
          row("largest deviation from the specified faces",
              fmt::format("{:.4f} mm at ({})", s["exact_faces"]["largest_distance_mm"].get<double>(),
                          vectorText(s["exact_faces"]["largest_at_mm"]))) +
          (s.contains("files_count_from_mm") ? row("coordinates in its files are relative to",
                                                   fmt::format("({})", vectorText(s["files_count_from_mm"])))
                                             : "") +
          "</dl>";
  if (!s["bores"].empty()) {
    html += "<h2>Bores and bosses</h2><dl>";
    for (const json& b : s["bores"])
      html +=
          row(b["face"].get<std::string>() + fmt::format(", {:.4g} mm", b["diameter_mm"].get<double>()),
              b["fits_mm"].is_null() ? "not found"
                                     : fmt::format("{} of {:.3f} mm", b["hole"].get<bool>() ? "pin" : "ring",
                                                   b["fits_mm"].get<double>()));
    html +=
        "</dl><p class=\"note\">The largest pin that enters the bore of solid.stl, the smallest ring that "
        "passes over the boss.</p>";
  }
  return html + "</div>";
}

/// Bars of how the least dihedral angles of the tetrahedra spread, by ten degrees.
std::string angleDrawing(const json& counts, double tetrahedra) {
  constexpr double kBar = 22;
  constexpr double kHeight = 54;
  double most = 0;
  for (const json& count : counts) most = std::max(most, count.get<double>());
  std::string bars, spoken;
  for (std::size_t bin = 0; bin < counts.size(); ++bin) {
    const double count = counts[bin].get<double>();
    // A bin that is not empty shows at least as a line.
    const double height = count > 0 ? std::max(1.0, kHeight * count / most) : 0;
    const double left = kBar * static_cast<double>(bin);
    const std::string range = bin + 1 < counts.size()
                                  ? fmt::format("{} to {} degrees", 10 * bin, 10 * (bin + 1))
                                  : fmt::format("{} degrees and more", 10 * bin);
    const std::string share = fmt::format("{}: {:.2f} %", range, 100 * count / tetrahedra);
    spoken += (bin ? "; " : "") + share;
    bars += fmt::format(
        "<rect x=\"{:.0f}\" y=\"{:.1f}\" width=\"{:.0f}\" height=\"{:.1f}\"><title>{}</title></rect>"
        "<text x=\"{:.0f}\" y=\"{:.0f}\">{}</text>",
        left + 1, kHeight - height, kBar - 2, height, share, left, kHeight + 13, 10 * bin);
  }
  return fmt::format(
      "<svg class=\"bars\" role=\"img\" aria-label=\"least dihedral angles: {}\" width=\"{:.0f}\" "
      "height=\"{:.0f}\">{}</svg>",
      spoken, kBar * static_cast<double>(counts.size()) + 6, kHeight + 16, bars);
}

/// The analysed bodies the results hold, with the names the viewer uses, the part first.
std::vector<std::pair<std::string, const json*>> bodiesOf(const json& results) {
  std::vector<std::pair<std::string, const json*>> bodies;
  for (const auto& [key, name] : {std::pair{"proof", "the part"}, std::pair{"outside", "imported solid"},
                                  std::pair{"block", "full block"}, std::pair{"baseline", "baseline"}})
    if (results.contains(key)) bodies.emplace_back(name, &results[key]);
  return bodies;
}

std::string verdictClass(const std::string& verdict) {
  return verdict == "met" ? "good" : verdict == "not met" ? "bad" : verdict == "inconclusive" ? "warn" : "";
}

std::string requiredText(const json& r) {
  const std::string verdict = r["verdict"].get<std::string>();
  const std::string unit = r["unit"].get<std::string>();
  const std::string decides = r["to_decide"].is_string() ? ", " + r["to_decide"].get<std::string>() : "";
  return fmt::format("<span class=\"{}\">{}{}, {} {}: {}{}</span>", verdictClass(verdict),
                     r["error"].get<double>() > 0 ? withError(r["value"], r["error"]) : text(r["value"]),
                     unit.empty() ? "" : " " + unit, r["sense"].get<std::string>(), text(r["bound"]), verdict,
                     decides);
}

std::string stressPanel(const Job& job, const json& results) {
  const auto bodies = bodiesOf(results);
  if (bodies.empty()) return {};
  std::string html = "<div data-panel=\"stress\" hidden><h2>Stress</h2><div class=\"choices\">";
  if (bodies.size() > 1) {
    html += "<label>body <select id=\"stress-body\">";
    for (std::size_t b = 0; b < bodies.size(); ++b)
      html += fmt::format("<option value=\"{}\">{}</option>", b, bodies[b].first);
    html += "</select></label>";
  }
  html += "<label>case <select id=\"stress-case\">" + caseOptions(job) +
          "</select></label><label>stress <select id=\"stress-field\"><option value=\"vonMises\">von "
          "Mises</option>"
          "<option value=\"tension\">largest principal</option><option value=\"compression\">smallest "
          "principal</option></select></label><label><input type=\"checkbox\" id=\"deform\"> "
          "deformed</label></div>"
          "<div class=\"note\" id=\"deform-scale\"></div>"
          "<div class=\"legend\" id=\"legend-bar\"></div><div class=\"scale\"><span "
          "id=\"legend-low\">0</span><span "
          "id=\"legend-middle\"></span>"
          "<span id=\"legend-top\"></span></div><p class=\"note\">one scale for all cases and bodies</p>";
  const json& p = *bodies.front().second;
  const json* worst = &p["cases"][0];
  for (const json& c : p["cases"])
    if (c["safety_factor"] < (*worst)["safety_factor"]) worst = &c;
  html += "<dl>" + row("mass", text(p["mass_kg"]) + " kg") +
          row("least safety factor", withError((*worst)["safety_factor"], (*worst)["safety_factor_error"]) +
                                         " (" + escaped((*worst)["name"].get<std::string>()) + ")") +
          "</dl>";
  if (!p["requirements"].empty()) {
    html += "<h2>Required</h2><dl class=\"wide\">";
    for (const json& r : p["requirements"]) html += row(r["what"].get<std::string>(), requiredText(r));
    html += "</dl>";
  }
  return html + "</div>";
}

std::string viewPanel(const Job& job) {
  std::string html = "<details class=\"view\"><summary>Sections and overlays</summary>";
  for (const char* axis : {"x", "y", "z"})
    html += fmt::format(
        "<div class=\"section\"><label><input type=\"checkbox\" id=\"cut-{0}\"> cut across {0}</label>"
        "<input type=\"range\" id=\"cut-{0}-at\" min=\"0\" max=\"1\" step=\"0.005\" value=\"0.5\" "
        "aria-label=\"where to cut across {0}\"></div>",
        axis);
  html += "<label><input type=\"checkbox\" id=\"over-space\" checked> design space</label>";
  if (!job.brief.baseline.empty())
    html += " <label><input type=\"checkbox\" id=\"over-baseline\"> baseline</label>";
  return html +
         "<p class=\"note\">Keys: 1 to 4 view, arrows turn, + and - zoom, C next case, X Y Z cut, 0 from the "
         "start.</p></details>";
}

/// A figure that may be missing, where a layout did not hold.
std::string figureText(const json& of, const char* key) {
  return of.contains(key) && of[key].is_number() ? fmt::format("{:.4g}", of[key].get<double>()) : "none";
}

/// What the supports of a case do to a body: each piece of a face about its own centre, and where there are
/// several, their sum.
void addReactions(const json& c, const std::string& which, const std::string& body,
                  std::vector<std::vector<std::string>>& rows) {
  const std::string unbalanced = fmt::format("{:.1g}", c["unbalanced_N"].get<double>());
  for (const auto& [support, r] : c["reactions"].items()) {
    const json& pieces = r["pieces"];
    const bool one = pieces.size() == 1;
    for (std::size_t p = 0; p < pieces.size(); ++p)
      rows.push_back(
          {which, body, escaped(support) + (one ? "" : fmt::format(", {} of {}", p + 1, pieces.size())),
           vectorText(pieces[p]["centre_mm"]), vectorText(pieces[p]["force_N"]),
           vectorText(pieces[p]["moment_Nm"]), one ? vectorText(r["moment_Nm"]) : "", one ? unbalanced : ""});
    if (!one)
      rows.push_back({which, body, escaped(support) + ", in all", "", vectorText(r["force_N"]), "",
                      vectorText(r["moment_Nm"]), unbalanced});
  }
}

using Rows = std::vector<std::vector<std::string>>;

/// What a case comes to in a body.
/// @param predicted the same case of the layout; null for other bodies than the part.
std::vector<std::string> caseRow(const json& c, const std::string& which, const std::string& body,
                                 const json* predicted, bool severalMaterials) {
  const double found = c["compliance_J"].get<double>();
  const bool known = predicted && (*predicted)["compliance_J"].is_number();
  const double expected = known ? (*predicted)["compliance_J"].get<double>() : found;
  return {which,
          body,
          predicted ? figureText(*predicted, "compliance_J") : "",
          predicted ? figureText(*predicted, "black_and_white_J") : "",
          withError(c["compliance_J"], c["compliance_error_J"]),
          known ? fmt::format("{:+.1f} %", std::round(1000 * (found / expected - 1)) / 10 + 0.0) : "",
          text(c["largest_displacement_mm"]),
          withError(c["judged_von_mises_MPa"], c["judged_von_mises_error_MPa"]),
          text(c["peak_von_mises_MPa"]),
          text(c["tension_MPa"]),
          text(c["compression_MPa"]),
          withError(c["safety_factor"], c["safety_factor_error"]) +
              (severalMaterials ? " in " + escaped(c["judged_in"].get<std::string>()) : "")};
}

std::vector<std::string> percentilesRow(const json& c, const std::string& which, const std::string& body) {
  std::vector<std::string> row{which, body};
  for (const char* p : {"50", "90", "99", "99.9"}) row.push_back(text(c["percentiles_MPa"][p]));
  row.push_back(vectorText(c["judged_at_mm"]));
  row.push_back(vectorText(c["peak_at_mm"]));
  return row;
}

void addMotions(const json& c, const std::string& which, const std::string& body, Rows& rows) {
  // Of a held face only nodes beyond its edge move, by next to nothing.
  const double held = 2e-3 * c["largest_displacement_mm"].get<double>();
  for (const auto& [face, u] : c["face_displacement_mm"].items()) {
    const Vec3 v(u[0].get<double>(), u[1].get<double>(), u[2].get<double>());
    if (v.norm() > held)
      rows.push_back({which, body, escaped(face), vectorText(v),
                      withError(v.norm(), c["face_displacement_error_mm"][face])});
  }
}

std::vector<std::string> meshRow(const json& b, const std::string& body) {
  std::string places;
  for (const json& at : b["worst_elements_at_mm"]) places += (places.empty() ? "" : "<br>") + vectorText(at);
  return {body,
          text(b["mass_kg"]),
          fmt::format("{}", b["tetrahedra"].get<int>()),
          fmt::format("{}", b["coarse_tetrahedra"].get<int>()),
          fmt::format("{:.1f} to {:.1f}", b["smallest_angle_deg"].get<double>(),
                      b["largest_angle_deg"].get<double>()),
          angleDrawing(b["least_angles_by_ten_degrees"], b["tetrahedra"].get<double>()),
          places,
          b.contains("surface_gap_mm")
              ? fmt::format("mean {:.3f}, largest {:.3f} at ({})", b["surface_gap_mm"]["mean"].get<double>(),
                            b["surface_gap_mm"]["largest"].get<double>(),
                            vectorText(b["surface_gap_mm"]["largest_at_mm"]))
              : "",
          b.contains("volume_difference")
              ? fmt::format("{:+.2f} %", 100 * b["volume_difference"].get<double>())
              : ""};
}

std::string bodyTables(const Job& job, const json& results) {
  const auto bodies = bodiesOf(results);
  if (bodies.empty()) return {};
  const bool designed = results.contains("optimise") && results["optimise"].contains("cases");
  Rows found, moved, reactions, meshes, percentiles;
  for (std::size_t k = 0; k < job.setup.cases.size(); ++k)
    for (const auto& [name, body] : bodies) {
      const json& c = (*body)["cases"][k];
      const std::string which = escaped(c["name"].get<std::string>());
      const json* predicted = designed && name == "the part" ? &results["optimise"]["cases"][k] : nullptr;
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
      (*bodies.front().second)["exclude_within_mm"].get<double>(),
      job.brief.regions.empty()
          ? fmt::format("the strength of {:.4g} MPa", results["material"]["strength_MPa"].get<double>())
          : "the strength of the material named beside it");
  html += "<h2>How the stress is spread</h2>" +
          table({"case", "body", "not exceeded in 50 % of the volume, MPa", "in 90 %", "in 99 %", "in 99.9 %",
                 "largest at, mm", "peak anywhere at, mm"},
                percentiles);
  html += "<h2>Displacement of the faces</h2>" +
          table({"case", "body", "face", "mean, mm (x, y, z)", "magnitude, mm"}, moved);
  html += "<h2>Reactions</h2>" + table({"case", "body", "support", "centre of the face, mm (x, y, z)",
                                        "force on the part, N", "moment about that centre, N m",
                                        "moment about the origin, N m", "loads and reactions add up to, N"},
                                       reactions);
  html += "<h2>Meshes</h2>" +
          table({"body", "mass, kg", "tetrahedra", "in the coarse mesh", "dihedral angles, degrees",
                 "tetrahedra by their least angle, degrees", "worst elements at, mm (x, y, z)",
                 "distance to the surface, mm", "volume against it"},
                meshes);
  return html;
}

std::string page(const json& data, const std::string& head, const std::string& aside, const std::string& rest,
                 std::string_view viewer = assets::viewerScript()) {
  // In JSON the sign stands within texts only; in a page it could end the script or begin a comment in it.
  std::string script = jsonText(data);
  for (std::size_t at = 0; (at = script.find('<', at)) != std::string::npos;)
    script.replace(at, 1, "\\u003c");
  const std::string title = escaped(data["title"].get<std::string>());
  return "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\">" + std::string(kPageMark) +
         "<meta name=\"viewport\" "
         "content=\"width=device-width\">"
         "<link rel=\"icon\" href=\"data:,\"><title>" +
         title + "</title>\n<style>" + std::string(assets::chartStyle()) + std::string(assets::pageStyle()) +
         "</style></head>\n<body><header><h1>" + title + "</h1>" + head +
         "<button id=\"theme\" type=\"button\" aria-label=\"light or dark\">light / dark</button></header>\n"
         "<div class=\"stage\"><div id=\"view\" role=\"img\" tabindex=\"0\" aria-label=\"three-dimensional "
         "view of the "
         "part; arrow keys turn it\"></div><aside>" +
         aside + "</aside></div>\n<div class=\"rest\">" + rest +
         "</div>\n<script type=\"application/json\" id=\"page-data\">" + script + "</script>\n<script>" +
         std::string(viewer) + "</script></body></html>\n";
}

void writePage(const JobRun& run, const json& results, const std::filesystem::path& path) {
  json data = setupData(run.job());
  std::vector<std::string> warnings =
      addRunData(run.folder(), results, originOfFiles(run.job().regions.bounds()), data);
  warnings.insert(warnings.begin(), run.job().warnings.begin(), run.job().warnings.end());
  std::string head = "<span class=\"verdict\">not proved yet</span>";
  if (results.contains("solid"))
    for (const json& w : results["solid"]["warnings"]) warnings.push_back(w.get<std::string>());
  const auto bodies = bodiesOf(results);
  if (!bodies.empty() && (results.contains("proof") || results.contains("outside"))) {
    const std::string verdict = (*bodies.front().second)["verdict"].get<std::string>();
    head = fmt::format("<span class=\"verdict {}\">verdict: {}</span>", verdictClass(verdict), verdict);
  } else if (results.contains("block")) {
    head = "<span class=\"verdict\">the full block, before any optimisation</span>";
  }
  std::string rest = bodyTables(run.job(), results);
  if (results.contains("optimise")) {
    const json& o = results["optimise"];
    if (o.contains("imported")) {
      const json& i = o["imported"];
      rest += fmt::format(
          "<h2>Layout</h2><p class=\"note\">{}: {} samples, about {:.3g} mm apart, {:.4g} kg given, {:.4g} "
          "kg inside the "
          "design space taken over. It was not optimised here, so there is no prediction to compare "
          "with.</p>",
          escaped(o["stop"].get<std::string>()), i["samples"].get<int>(), i["spacing_mm"].get<double>(),
          i["mass_given_kg"].get<double>(), i["mass_taken_kg"].get<double>());
    }
    if (!o.value("settled", true)) {
      const std::string stop = o["stop"];
      const std::string known = "not settled: ";
      warnings.push_back(
          fmt::format("the layout has not settled: {}. Nothing that follows from it is a result to rely on",
                      stop.substr(stop.compare(0, known.size(), known) == 0 ? known.size() : 0)));
    }
    if (o.contains("failure") && o["failure"].is_object())
      warnings.emplace_back(o["failure"]["what"].get<std::string>() + ". " +
                            o["failure"]["cure"].get<std::string>());
    if (!o.contains("imported"))
      rest += fmt::format(
          "<h2>History</h2><div id=\"history\"></div><p class=\"note\">{} iterations in {:.0f} s; {}. The "
          "goal is the {} of the cases: of the layout {} J, of the eroded one, which keeps members as thick "
          "as "
          "asked, {} J, of the layout read black and white {} J. Grey: {:.1f} % of the layout's mass, {:.1f} "
          "% of "
          "the space. Steps come from sharpening and eroding the layout.</p>",
          o["iterations"].get<int>(), o["seconds"].get<double>(), escaped(o["stop"].get<std::string>()),
          o["goal"].get<std::string>(), figureText(o, "compliance_J"), figureText(o, "eroded_J"),
          figureText(o, "black_and_white_J"), 100 * o["grey_over_mass"].get<double>(),
          100 * o["grey_over_space"].get<double>());
  }
  if (const std::string leftOut = run.leftOut(); !leftOut.empty()) warnings.push_back(leftOut);
  if (results.contains("proof_failure")) {
    const json& failure = results["proof_failure"];
    if (!results.contains("outside")) head = "<span class=\"verdict warn\">verdict: inconclusive</span>";
    warnings.push_back(fmt::format("there is no proof of the part: {}. {}",
                                   failure["what"].get<std::string>(), failure["cure"].get<std::string>()));
  }
  for (const auto& [name, body] : bodiesOf(results))
    for (const json& doubt : body->value("doubts", json::array()))
      warnings.push_back(name + ": " + doubt.get<std::string>());
  rest = warningList(warnings) + rest + "<h2>Load cases</h2>" + caseTable(run.job());
  const std::string modes = "<div class=\"modes\" role=\"radiogroup\" aria-label=\"what the view shows\">" +
                            modeButton("setup", "Set-up", "1", true) +
                            modeButton("layout", "Layout", "2", results.contains("optimise")) +
                            modeButton("solid", "Solid", "3", results.contains("solid")) +
                            modeButton("stress", "Stress", "4", !bodies.empty()) + "</div>";
  writeFile(path, page(data, head,
                       modes + stressPanel(run.job(), results) + layoutPanel(data) + solidPanel(results) +
                           setupPanel(run.job()) + viewPanel(run.job()),
                       rest));
}

std::string defectTable(const char* title, const std::vector<MeshDefect>& defects, const TriangleMesh& mesh) {
  std::string html = fmt::format("<h2>{}</h2>", title);
  if (defects.empty()) return html + "<p class=\"note\">none</p>";
  constexpr std::size_t kMost = 200;
  std::vector<std::vector<std::string>> rows;
  for (std::size_t d = 0; d < std::min(kMost, defects.size()); ++d)
    rows.push_back({nameOf(defects[d].kind), coordinatesText(Vec3(placeOf(mesh, defects[d]) * kMm))});
  html += table({"defect", "at, mm (x, y, z)"}, rows);
  if (defects.size() > kMost)
    html += fmt::format("<p class=\"note\">and {} more</p>", defects.size() - kMost);
  return html;
}

}  // namespace

void writeInspectPage(const Inspection& inspection, const std::filesystem::path& path) {
  std::string aside =
      "<h2>Chosen face</h2><p id=\"chosen\" class=\"note\">click a face, or a line of the list</p>"
      "<pre id=\"selector\" class=\"selector\"></pre><button id=\"copy\" type=\"button\" "
      "hidden>copy</button>";
  for (std::size_t b = 0; b < inspection.bodies.size(); ++b) {
    const InspectedBody& body = inspection.bodies[b];
    aside += fmt::format("<h2>Solid {}{}</h2><pre class=\"selector\">{}</pre><dl>", b + 1,
                         body.name.empty() ? "" : ", " + escaped(body.name), escaped(body.shapeText));
    if (body.volume > 0)
      aside += row("volume", fmt::format("{:.0f} mm&sup3;", body.volume * kMm * kMm * kMm));
    aside += row("area", fmt::format("{:.0f} mm&sup2;", body.area * kMm * kMm)) +
             row("size", fmt::format("{:.4g} x {:.4g} x {:.4g} mm", body.bounds.sizes().x() * kMm,
                                     body.bounds.sizes().y() * kMm, body.bounds.sizes().z() * kMm)) +
             "</dl><ol class=\"faces\" role=\"listbox\">";
    for (std::size_t f = 0; f < body.faces.size(); ++f)
      aside += fmt::format("<li role=\"option\" tabindex=\"0\" data-face=\"{}-{}\">{}</li>", b, f,
                           escaped(describe(body.faces[f])));
    aside += "</ol>";
  }
  std::string rest;
  if (inspection.triangles) {
    rest += defectTable("Defects in the file", inspection.defects, inspection.surface);
    if (!inspection.mended.empty()) {
      rest += "<h2>Mended when a brief uses it</h2><ul>";
      for (const std::string& done : inspection.mended) rest += "<li>" + escaped(done) + "</li>";
      rest += "</ul>" + defectTable("What is left", inspection.remaining, inspection.bodies.front().surface);
    }
  }
  const std::string head = inspection.usable
                               ? "<span>what the file offers a brief</span>"
                               : "<span class=\"verdict bad\">a brief cannot use it as it is</span>";
  writeFile(path, page(inspectData(inspection), head, aside, rest, assets::inspectScript()));
}

void writeCheckPage(const Job& job, const std::filesystem::path& path) {
  std::string rest =
      warningList(job.warnings) + "<h2>Cases</h2>" + caseTable(job) + "<h2>Assumed</h2><ul class=\"note\">";
  for (const std::vector<std::string>* list : {&job.assumptions, &job.brief.defaults})
    for (const std::string& assumption : *list) rest += "<li>" + escaped(assumption) + "</li>";
  rest += "</ul>";
  writeFile(path, page(setupData(job), "<span>set-up as understood</span>", setupPanel(job) + viewPanel(job),
                       rest));
}

void writeAnalysis(const JobRun& run, const std::filesystem::path& path) {
  // The same page without the steps that make the part.
  json results = run.current();
  for (const char* step : {"optimise", "solid", "proof", "proof_failure", "outside"}) results.erase(step);
  writePage(run, results, path);
}

void writeReport(const JobRun& run, const std::filesystem::path& path) {
  writePage(run, run.current(), path);
}

}  // namespace barelattice
