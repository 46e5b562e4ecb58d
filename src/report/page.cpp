#include "barelattice/report/page.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/stl.hpp"
#include "base/json_text.hpp"
#include "base/markup.hpp"
#include "body_tables.hpp"
#include "html.hpp"
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

/// How many triangles there are, and how many there were where reducing or rounding changed that.
std::string trianglesText(const SolidRecord& solid) {
  if (solid.triangles == solid.trianglesBefore) return fmt::format("{}", solid.triangles);
  return solid.triangles < solid.trianglesBefore
             ? fmt::format("{} of {}", solid.triangles, solid.trianglesBefore)
             : fmt::format("{}, {} of them to make faces round", solid.triangles,
                           solid.triangles - solid.trianglesBefore);
}

std::string warningList(const std::vector<std::string>& warnings) {
  if (warnings.empty()) return {};
  std::string html = "<ul class=\"warnings\">";
  for (const std::string& warning : warnings) html += "<li>" + escaped(warning) + "</li>";
  return html + "</ul>";
}

/// Which load is in which case, with its factor; what it is alone, in the last columns.
std::string loadTable(const Job& job) {
  std::vector<std::string> heads{"load", "on"};
  for (const LoadCase& c : job.setup.cases) heads.push_back(escaped(c.name));
  heads.insert(heads.end(), {"force, N (x, y, z)", "moment about the supports' centre, N m"});
  std::vector<std::vector<std::string>> rows;
  for (std::size_t l = 0; l < job.setup.loads.size(); ++l) {
    const Load& load = job.setup.loads[l];
    const bool onFace = job.setup.actsOnFace(l);
    std::vector<std::string> row{escaped(load.name),
                                 onFace ? escaped(job.setup.faces[load.face].name) : "all"};
    for (const LoadCase& c : job.setup.cases) {
      const auto found =
          std::find_if(c.loads.begin(), c.loads.end(), [&](const auto& f) { return f.load == l; });
      row.push_back(found == c.loads.end() || found->factor == 0 ? "" : fmt::format("{:g}", found->factor));
    }
    const Resultant own = resultantOf(job.setup, {{}, 1, {{l, 1}}, {}}, job.supportCentre);
    const bool told = onFace || !own.force.isZero(0);
    row.push_back(told ? coordinatesText(own.force) + (onFace ? "" : " on masses") : "");
    row.push_back(told ? coordinatesText(own.moment) : "");
    rows.push_back(row);
  }
  return table(heads, rows);
}

std::string caseTable(const Job& job) {
  std::vector<std::vector<std::string>> rows;
  for (std::size_t k = 0; k < job.summaries.size(); ++k) {
    const CaseSummary& c = job.summaries[k];
    std::string held;
    for (const std::size_t s : job.setup.cases[k].supports)
      held += (held.empty() ? "" : ", ") + job.setup.supports[s].name;
    rows.push_back({escaped(c.name), fmt::format("{:g}", c.weight), escaped(held),
                    coordinatesText(c.resultant.force), coordinatesText(c.resultant.moment),
                    escaped(fmt::format("{}", fmt::join(c.onAll, ", ")))});
  }
  return loadTable(job) + table({"case", "weight", "held", "force, N (x, y, z)",
                                 "moment about the supports' centre, N m", "and on all of the part"},
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
         (job.brief.lightest ? row("target", "the lightest") : std::string()) +
         (job.brief.designs && !job.brief.lightest
              ? row("target",
                    fmt::format("{:.4g} kg ({:.3g} %)", job.targetMass, 100 * job.targetMass / job.spaceMass))
              : "") +
         (job.bondedMass > 0 ? row("bonded parts", fmt::format("{:.4g} kg", job.bondedMass)) : "") +
         row("material", escaped(job.brief.material.name)) + otherMaterials(job) + sheet +
         row("voxels", fmt::format("{} of {:.3g} mm", job.cellCount(), job.cellSize() * kMm)) +
         (job.brief.designs
              ? row("smallest member", fmt::format("{:.3g} mm", job.brief.walls().smallestMember * kMm))
              : "") +
         "</dl>";
}

/// What is wanted, as it was understood.
std::string wantedList(const Job& job) {
  const std::vector<std::string> wanted = wantedTexts(job);
  if (wanted.empty()) return {};
  std::string html =
      "<h2>Wanted</h2><dl>" + row("goal", escaped(wanted.front())) + "</dl><dl class=\"wide\">";
  for (std::size_t i = 1; i < wanted.size(); ++i) html += row("limit", escaped(wanted[i]));
  return html + "</dl>";
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
         key(palette::kLoad, "dots", "loaded face; arrows end where they act") +
         (job.setup.masses.empty() && job.setup.connections.empty()
              ? ""
              : key(palette::kPart, "dots", "carried mass, joined faces")) +
         "</ul><h2>Masses</h2>" + massList(job) + wantedList(job) + "</div>";
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

std::string boresTable(const std::vector<BoreRecord>& bores) {
  if (bores.empty()) return {};
  std::string html = "<h2>Bores and bosses</h2><dl>";
  for (const BoreRecord& b : bores)
    html +=
        row(b.face + fmt::format(", {:.4g} mm", b.diameter * kMm),
            b.fits ? fmt::format("{} of {:.3f} mm", b.hole ? "pin" : "ring", *b.fits * kMm) : "not found");
  return html +
         "</dl><p class=\"note\">The largest pin that enters the bore of solid.stl, the smallest ring that "
         "passes over the boss.</p>";
}

std::string solidPanel(const RunRecord& record) {
  if (!record.solid) return {};
  const SolidRecord& s = *record.solid;
  constexpr double kCubicMm = kMm * kMm * kMm;
  std::string html = "<div data-panel=\"solid\" hidden><h2>Solid</h2><dl>" +
                     row("mass", text(s.mass) + " kg") +
                     row(s.volumeKept ? "target" : "target (not enforced)", text(s.wantedMass) + " kg") +
                     row("threshold", text(s.threshold, "{:.3f}")) +
                     row("mass of the voxels in the level set", text(s.massAboveThreshold) + " kg") +
                     row("surface", escaped(s.surface)) + row("triangles", trianglesText(s));
  if (s.deviation > 0)
    html += row("moved by reduction", "at most " + text(s.deviation * kMm, "{:.3f}") + " mm");
  html += row("pieces", fmt::format("{}", s.pieces)) +
          row("loose pieces dropped",
              fmt::format("{} ({:.3g} mm&sup3;)", s.droppedPieces, s.droppedVolume * kCubicMm)) +
          row("voids filled", fmt::format("{} ({:.3g} mm&sup3;)", s.filledVoids, s.filledVolume * kCubicMm)) +
          row("largest deviation from the specified faces",
              fmt::format("{:.4f} mm at ({})", s.exactFaces.largestDistance * kMm,
                          placeInMm(s.exactFaces.largestAt)));
  if (s.filesCountFrom)
    html +=
        row("coordinates in its files are relative to", fmt::format("({})", placeInMm(*s.filesCountFrom)));
  return html + "</dl>" + boresTable(s.bores) + "</div>";
}

std::string verdictClass(const std::string& verdict) {
  return verdict == "met" ? "good" : verdict == "not met" ? "bad" : verdict == "inconclusive" ? "warn" : "";
}

std::string requiredText(const RequirementRecord& r) {
  return fmt::format("<span class=\"{}\">{}{}, {} {}: {}{}</span>", verdictClass(r.verdict),
                     r.error > 0 ? withError(r.value, r.error) : text(r.value),
                     r.unit.empty() ? "" : " " + r.unit, r.sense, text(r.bound), r.verdict,
                     r.toDecide ? ", " + *r.toDecide : "");
}

/// The making rules as measured on a body.
std::string makingList(const BodyRecord& body) {
  if (body.making.empty()) return {};
  std::string html = "<h2>Making</h2><dl class=\"wide\">";
  for (const MakingRecord& m : body.making) {
    const std::string what = m.rule == "smallest_member" ? m.what : m.rule + ": " + m.what;
    std::string found = m.value            ? text(*m.value) + " " + m.unit
                        : m.lookedUpTo > 0 ? "none up to " + text(m.lookedUpTo) + " " + m.unit
                                           : "none";
    if (m.bound) found += fmt::format(", {} {}: {}", m.sense, text(*m.bound), m.verdict);
    constexpr double kLittle = 5e-4;  // of the surface
    if (m.share > kLittle)
      found += fmt::format(", {:.2g} % of the surface{}", 100 * m.share,
                           m.bound ? "" : " is below smallest_member");
    if (m.value && *m.value > 0) found += ", round (" + placeInMm(m.at) + ")";
    html += row(what, fmt::format("<span class=\"{}\" title=\"{}\">{}</span>", verdictClass(m.verdict),
                                  m.note, found));
  }
  return html + "</dl>";
}

std::string stressPanel(const Job& job, const RunRecord& record) {
  const auto bodies = bodiesOf(record);
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
          "<span id=\"legend-top\"></span></div><p class=\"note\" id=\"one-scale\">one scale for all cases "
          "and bodies</p>";
  const BodyRecord& p = *bodies.front().second;
  const auto worst = std::min_element(
      p.cases.begin(), p.cases.end(),
      [](const BodyCaseRecord& a, const BodyCaseRecord& b) { return a.safetyFactor < b.safetyFactor; });
  html += "<dl>" + row("mass", text(p.mass) + " kg") +
          row("least safety factor",
              withError(worst->safetyFactor, worst->safetyFactorError) + " (" + escaped(worst->name) + ")") +
          "</dl>";
  if (!p.requirements.empty()) {
    html += "<h2>Required</h2><dl class=\"wide\">";
    for (const RequirementRecord& r : p.requirements) html += row(r.what, requiredText(r));
    html += "</dl>";
  }
  return html + makingList(p) + "</div>";
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
  if (job.brief.baseline) html += " <label><input type=\"checkbox\" id=\"over-baseline\"> baseline</label>";
  return html +
         "<p class=\"note\">Keys: 1 to 4 view, arrows turn, + and - zoom, C next case, X Y Z cut, 0 from the "
         "start.</p></details>";
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

/// What becomes of a layout that is made as badly as it may be.
std::string madeText(const DesignRecord& d) {
  if (!d.made) return {};
  return fmt::format(
      " Made {:.3g} mm too thin it has {:.4g} kg and a compliance of {} J, made too thick {:.4g} kg.",
      d.made->offset * kMm, d.made->thin, figureText(d.made->compliance), d.made->thick);
}

/// Which ways of making were tried, for the page.
std::string choiceText(const RunRecord& record) {
  if (!record.choice) return {};
  std::string text;
  for (std::size_t k = 0; k < record.choice->tried.size(); ++k) {
    const TriedRecord& tried = record.choice->tried[k];
    text += fmt::format("{}{} {}{}", k > 0 ? ", " : "", escaped(tried.way),
                        tried.failure.empty() ? figureText(tried.compliance) + " J" : "cannot be designed",
                        k == record.choice->taken ? " (taken)" : "");
  }
  return " Of several ways of making the stiffest on voxels up to twice as large was taken: " + text + ".";
}

/// How often a part with limits was designed, and what its proofs found.
std::string roundsText(const RunRecord& record) {
  if (!record.rounds || record.rounds->done.empty()) return {};
  std::string rows;
  std::size_t number = 0;
  for (const RoundRecord& round : record.rounds->done) {
    ++number;
    for (const RoundLimitRecord& limit : round.limits) {
      const bool first = &limit == &round.limits.front();
      const std::string unit = limit.designed.unit.empty() ? "" : " " + limit.designed.unit;
      rows += fmt::format(
          "<tr><td>{}</td><td>{}</td><td>{}</td><td>{} {:.4g}{}</td><td>{:.4g}</td><td>{:.4g} \u00b1 "
          "{:.2g}</td>"
          "<td>{}</td></tr>",
          first ? fmt::format("{}{}", number, number == record.rounds->taken ? ", stands" : "") : "",
          first ? fmt::format("{:.4g} kg", round.mass) : "", escaped(limit.designed.what),
          limit.designed.sense, limit.designed.bound, unit, limit.designed.value, limit.proved, limit.error,
          limit.verdict);
    }
  }
  return "<h2>Rounds</h2><p class=\"note\">A part with limits is designed on voxels, proved, and designed "
         "again "
         "with what the proof found each figure to be over what the voxels said, until all limits are met "
         "and, "
         "where the lightest is sought, the one that governs is close to its "
         "bound. The best of them stands: of those that hold all limits the "
         "lightest.</p><table><thead><tr><th>round</th><th>mass</th>"
         "<th>limit</th><th>bound</th><th>on the "
         "voxels</th><th>proved</th><th>verdict</th></tr></thead><tbody>" +
         rows + "</tbody></table>" +
         (record.rounds->ended.empty() ? ""
                                       : fmt::format("<p class=\"note\">Another round failed: {}.</p>",
                                                     escaped(record.rounds->ended)));
}

/// The goal in the sentence below the history.
std::string goalSentence(const Job& job, const DesignRecord& d) {
  if (!job.brief.lightest && !job.brief.blend)
    return fmt::format("The goal is the {} of the cases: of", d.goal);
  std::string over;
  for (const auto& [what, ratio] : d.overFull)
    over +=
        fmt::format("{}{} {:.3g}", over.empty() ? "; over their values for the full design space: " : ", ",
                    escaped(what), ratio);
  return (job.brief.lightest ? std::string("The lightest part that holds its limits was sought")
                             : "The goal was: " + d.goal + over) +
         ". The compliance, summed over the cases by weight, is that of";
}

/// What the layout is and how it came about; adds what people should know of it.
std::string layoutText(const Job& job, const RunRecord& record, std::vector<std::string>& warnings) {
  if (!record.layout) return {};
  const LayoutRecord& layout = *record.layout;
  if (!layout.settled && (layout.finished || !record.atWork)) {
    const std::string known = "not settled: ";
    const std::string stop = layout.finished || layout.stop != kAtWork ? layout.stop : "it was cut short";
    warnings.push_back(
        fmt::format("the layout has not settled: {}. Nothing that follows from it is a result to rely on",
                    stop.substr(stop.compare(0, known.size(), known) == 0 ? known.size() : 0)));
  }
  if (layout.imported)
    return fmt::format(
        "<h2>Layout</h2><p class=\"note\">{}: {} samples, about {:.3g} mm apart, {:.4g} kg given, {:.4g} "
        "kg inside the design space taken over. It was not optimised here, so there is no prediction to "
        "compare with.</p>",
        escaped(layout.stop), layout.imported->samples, layout.imported->spacing * kMm,
        layout.imported->massGiven, layout.imported->massTaken);
  if (!layout.design) return {};
  const DesignRecord& d = *layout.design;
  if (d.failure) warnings.emplace_back(d.failure->what + ". " + d.failure->cure);
  return fmt::format(
      "<h2>History</h2><div id=\"history\"></div><p class=\"note\">{} iterations in {:.0f} s; {}. {} "
      "the layout {} J, of the eroded one, which keeps members as thick as "
      "asked, {} J, of the layout read black and white {} J. Grey: {:.1f} % of the layout's mass, {:.1f} % "
      "of "
      "the space. Steps in the curves come from sharpening and eroding the layout. {}.{}{}</p>{}",
      d.iterations, d.seconds, escaped(layout.stop), goalSentence(job, d), figureText(d.compliance),
      figureText(d.eroded), figureText(d.blackAndWhite), 100 * d.greyOverMass, 100 * d.greyOverSpace,
      escaped(d.steps), madeText(d), choiceText(record), roundsText(record));
}

/// What the page says first.
std::string headline(const Job& job, const RunRecord& record) {
  if (record.atWork)
    return fmt::format(
        "<span class=\"verdict\">at work{}</span>",
        record.layout && record.layout->design && !record.layout->finished
            ? fmt::format(": the layout after {} iterations", record.layout->design->iterations)
            : "");
  if (record.proofFailure && !record.outside)
    return "<span class=\"verdict warn\">verdict: inconclusive</span>";
  if (record.proof || record.outside) {
    const std::string& verdict = (record.proof ? record.proof : record.outside)->verdict;
    return fmt::format("<span class=\"verdict {}\">verdict: {}</span>", verdictClass(verdict), verdict);
  }
  if (record.block)
    return fmt::format("<span class=\"verdict\">{}</span>", job.brief.designs
                                                                ? "the full block, before any optimisation"
                                                                : "analysed as it is; nothing is designed");
  return "<span class=\"verdict\">not proved yet</span>";
}

void writePage(const Job& job, const RunRecord& record, const std::filesystem::path& path) {
  json data = setupData(job);
  std::vector<std::string> warnings = addRunData(record, originOfFiles(job.regions.bounds()), data);
  warnings.insert(warnings.begin(), job.warnings.begin(), job.warnings.end());
  warnings.insert(warnings.end(), record.notes.begin(), record.notes.end());
  if (record.solid)
    warnings.insert(warnings.end(), record.solid->warnings.begin(), record.solid->warnings.end());
  std::string rest = bodyTables(job, record) + layoutText(job, record, warnings);
  if (const std::string leftOut = leftOutText(record); !leftOut.empty()) warnings.push_back(leftOut);
  if (record.proofFailure)
    warnings.push_back(fmt::format("there is no proof of the part: {}. {}", record.proofFailure->what,
                                   record.proofFailure->cure));
  const auto bodies = bodiesOf(record);
  for (const auto& [name, body] : bodies)
    for (const std::string& doubt : body->doubts) warnings.push_back(name + ": " + doubt);
  rest = warningList(warnings) + rest + "<h2>Load cases</h2>" + caseTable(job);
  const std::string modes = "<div class=\"modes\" role=\"radiogroup\" aria-label=\"what the view shows\">" +
                            modeButton("setup", "Set-up", "1", true) +
                            modeButton("layout", "Layout", "2", record.layout.has_value()) +
                            modeButton("solid", "Solid", "3", record.solid.has_value()) +
                            modeButton("stress", "Stress", "4", !bodies.empty()) + "</div>";
  writeFile(path, page(data, headline(job, record),
                       modes + stressPanel(job, record) + layoutPanel(data) + solidPanel(record) +
                           setupPanel(job) + viewPanel(job),
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

void writeAnalysis(const Job& job, const RunRecord& record, const std::filesystem::path& path) {
  // The same page without the steps that make the part.
  RunRecord bodies = record;
  bodies.layout.reset();
  bodies.solid.reset();
  bodies.proof.reset();
  bodies.proofFailure.reset();
  bodies.outside.reset();
  writePage(job, bodies, path);
}

void writeReport(const Job& job, const RunRecord& record, const std::filesystem::path& path) {
  writePage(job, record, path);
}

}  // namespace barelattice
