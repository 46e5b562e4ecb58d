#include "barelattice/report/page.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <sstream>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/geometry/stl.hpp"
#include "barelattice/grid/vti.hpp"
#include "barelattice/proof/vtu.hpp"
#include "barelattice/solid/sharpen.hpp"
#include "palette.hpp"

namespace barelattice {

namespace assets {
std::string_view viewerScript();
std::string_view pageStyle();
std::string_view chartStyle();
}  // namespace assets

namespace {

using nlohmann::json;
constexpr double kMm = kMillimetresPerMetre;

std::string escaped(const std::string& text) {
  std::string safe;
  for (const char c : text) switch (c) {
      case '<':
        safe += "&lt;";
        break;
      case '>':
        safe += "&gt;";
        break;
      case '&':
        safe += "&amp;";
        break;
      case '"':
        safe += "&quot;";
        break;
      default:
        safe += c;
    }
  return safe;
}

template <class T>
json packed(const std::vector<T>& values) {
  std::string raw(values.size() * sizeof(T), '\0');
  if (!raw.empty()) std::memcpy(raw.data(), values.data(), raw.size());
  return {{"bytes", toBase64(raw)}};
}

json meshJson(const TriangleMesh& mesh) {
  std::vector<float> positions;
  for (const Vec3& v : mesh.vertices)
    for (int i = 0; i < 3; ++i) positions.push_back(static_cast<float>(v[i] * kMm));
  std::vector<std::uint32_t> triangles;
  for (const auto& t : mesh.triangles)
    for (const int v : t) triangles.push_back(static_cast<std::uint32_t>(v));
  return {{"positions", packed(positions)}, {"triangles", packed(triangles)}};
}

/// A shape as triangles, fine enough for a picture.
json shapeJson(const Shape& shape) {
  const Box box = shape.bounds();
  constexpr double kCells = 48;  // along the longest side
  const double spacing = std::max(box.sizes().maxCoeff() / kCells, 1e-9);
  const Implicit f = [&](const Vec3& p) { return shape.distance(p); };
  const TetMesh mesh =
      stuff(f, box, std::min(spacing, 0.7 * std::max(box.sizes().minCoeff(), 0.2 * spacing)));
  return meshJson(sharpenEdges(f, spacing, mesh.boundary()));
}

json faceJson(const NamedFace& named) {
  constexpr std::size_t kMost = 1500;  // points per face in a picture
  const auto& points = named.face.points;
  const std::size_t step = points.size() / kMost + 1;
  std::vector<float> positions;
  for (std::size_t p = 0; p < points.size(); p += step)
    for (int i = 0; i < 3; ++i) positions.push_back(static_cast<float>(points[p].position[i] * kMm));
  const Vec3 centre = named.face.centroid() * kMm;
  return {
      {"name", named.name}, {"points", packed(positions)}, {"centre", {centre.x(), centre.y(), centre.z()}}};
}

json setupJson(const Job& job) {
  const GridFrame<3>& frame = job.domain.grid.frame();
  json data = {{"title", job.brief.title},
               {"palette",
                {{"space", palette::kSpace},
                 {"keep", palette::kKeep},
                 {"clear", palette::kClear},
                 {"support", palette::kSupport},
                 {"load", palette::kLoad},
                 {"solid", palette::kSolid},
                 {"ink", palette::kInk}}},
               {"colourMap", palette::kField},
               {"frame",
                {{"origin", {frame.origin.x() * kMm, frame.origin.y() * kMm, frame.origin.z() * kMm}},
                 {"size", frame.size * kMm},
                 {"cells", frame.cells}}},
               {"cellMass", job.domain.cellVolume() * job.brief.material.density},
               {"targetMass", job.targetMass}};
  data["space"] = shapeJson(*job.regions.space);
  data["keeps"] = json::array();
  for (const std::string& name : job.brief.keeps)
    data["keeps"].push_back({{"name", name}, {"mesh", shapeJson(*job.brief.shape(name))}});
  data["clears"] = json::array();
  for (const std::string& name : job.brief.clears)
    data["clears"].push_back({{"name", name}, {"mesh", shapeJson(*job.brief.shape(name))}});
  data["faces"] = json::array();
  for (const NamedFace& face : job.faces) data["faces"].push_back(faceJson(face));
  data["supports"] = json::array();
  for (const BriefSupport& s : job.brief.supports)
    data["supports"].push_back({{"name", s.name}, {"face", s.face}});
  data["cases"] = json::array();
  for (const BriefCase& c : job.brief.cases) {
    json loads = json::array();
    for (const BriefLoad& load : job.brief.loads) {
      const auto factor = c.loads.find(load.name);
      if (factor == c.loads.end()) continue;
      const Vec3 force = factor->second * load.force;
      loads.push_back(
          {{"name", load.name}, {"face", load.face}, {"force", {force.x(), force.y(), force.z()}}});
    }
    data["cases"].push_back({{"name", c.name}, {"weight", c.weight}, {"loads", loads}});
  }
  return data;
}

std::vector<std::uint8_t> asBytes(const std::vector<float>& shares) {
  std::vector<std::uint8_t> bytes;
  for (const float s : shares)
    bytes.push_back(static_cast<std::uint8_t>(std::lround(255 * std::clamp(s, 0.0F, 1.0F))));
  return bytes;
}

void addLayout(const JobRun& run, json& data) {
  const CellImage image = readVti(run.folder() / "layout.vti");
  data["layout"] = {{"density", packed(asBytes(image.field("density")))},
                    {"fill", packed(asBytes(image.field("fill")))}};
}

void addHistory(const JobRun& run, json& data) {
  std::istringstream csv(readFile(run.folder() / "history.csv"));
  std::string line;
  std::getline(csv, line);
  json history = {{"iteration", json::array()},
                  {"compliance", json::array()},
                  {"mass", json::array()},
                  {"change", json::array()}};
  while (std::getline(csv, line)) {
    std::replace(line.begin(), line.end(), ',', ' ');
    std::istringstream fields(line);
    double iteration = 0, compliance = 0, mass = 0, change = 0;
    if (!(fields >> iteration >> compliance >> mass >> change)) throw InputError("history.csv is damaged");
    history["iteration"].push_back(iteration);
    history["compliance"].push_back(compliance);
    history["mass"].push_back(mass);
    history["change"].push_back(change);
  }
  data["history"] = history;
}

void addProof(const JobRun& run, json& data) {
  const ProofSurface surface = readProofSurface(run.folder() / "proof.vtu");
  json cases = json::array();
  for (const ProofSurface::Case& c : surface.cases) {
    std::vector<float> stress;
    std::vector<float> moved;
    float largest = 0;
    for (const float s : c.vonMises) stress.push_back(s * 1e-6F);
    for (std::size_t v = 0; v < stress.size(); ++v) {
      Vec3 u;
      for (std::size_t i = 0; i < 3; ++i) {
        moved.push_back(c.displacement[3 * v + i] * static_cast<float>(kMm));
        u[static_cast<Eigen::Index>(i)] = static_cast<double>(moved.back());
      }
      largest = std::max(largest, static_cast<float>(u.norm()));
    }
    cases.push_back({{"name", c.name},
                     {"vonMises", packed(stress)},
                     {"displacement", packed(moved)},
                     {"largestDisplacement", largest}});
  }
  data["proof"] = {{"mesh", meshJson(surface.mesh)},
                   {"cases", cases},
                   {"strength", run.job().brief.material.strength * 1e-6}};
}

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

std::string vectorText(const Vec3& v) {
  return fmt::format("{:.4g}, {:.4g}, {:.4g}", v.x() + 0.0, v.y() + 0.0, v.z() + 0.0);
}
std::string vectorText(const json& v) {
  return vectorText(Vec3(v[0].get<double>(), v[1].get<double>(), v[2].get<double>()));
}

std::string warningList(const std::vector<std::string>& warnings) {
  if (warnings.empty()) return {};
  std::string html = "<ul class=\"warnings\">";
  for (const std::string& warning : warnings) html += "<li>" + escaped(warning) + "</li>";
  return html + "</ul>";
}

std::string caseTable(const Job& job) {
  std::vector<std::vector<std::string>> rows;
  for (const CaseSummary& c : job.summaries)
    rows.push_back({escaped(c.name), fmt::format("{:g}", c.weight), vectorText(c.resultant.force),
                    vectorText(c.resultant.moment)});
  return table({"case", "weight", "force, N (x, y, z)", "moment about the supports' centre, N m"}, rows);
}

std::string massList(const Job& job) {
  return "<dl>" + row("design space", fmt::format("{:.4g} kg", job.spaceMass)) +
         row("keep regions", fmt::format("{:.4g} kg", job.keepMass)) +
         row("target",
             fmt::format("{:.4g} kg ({:.3g} %)", job.targetMass, 100 * job.targetMass / job.spaceMass)) +
         row("material", escaped(job.brief.material.name)) +
         row("voxels", fmt::format("{} of {:.3g} mm", job.domain.grid.cellCount(),
                                   job.domain.grid.frame().size * kMm)) +
         row("smallest member", fmt::format("{:.3g} mm", job.brief.smallestMember * kMm)) + "</dl>";
}

std::string caseOptions(const Job& job, bool byNumber) {
  std::string html;
  for (std::size_t k = 0; k < job.brief.cases.size(); ++k)
    html += fmt::format("<option value=\"{}\">{}</option>",
                        byNumber ? std::to_string(k) : escaped(job.brief.cases[k].name),
                        escaped(job.brief.cases[k].name));
  return html;
}

std::string setupPanel(const Job& job) {
  const auto key = [](std::string_view colour, const char* form, const char* text) {
    return fmt::format("<li><i class=\"{}\" style=\"background:{};color:{}\"></i>{}</li>", form, colour,
                       colour, text);
  };
  return "<div data-panel=\"setup\"><h2>Set-up as understood</h2><label>case <select id=\"setup-case\">" +
         caseOptions(job, false) + "</select></label><ul class=\"key\">" +
         key(palette::kSpace, "glass", "design space, see-through") +
         key(palette::kKeep, "", "keep: stays solid") +
         key(palette::kClear, "glass", "clear: stays empty, see-through") +
         key(palette::kSupport, "dots", "held face, named in the view") +
         key(palette::kLoad, "dots", "loaded face; arrows push at their tip") + "</ul><h2>Masses</h2>" +
         massList(job) + "</div>";
}

std::string modeButton(const char* value, const char* text, bool enabled) {
  return fmt::format("<label><input type=\"radio\" name=\"mode\" value=\"{}\"{}><span>{}</span></label>",
                     value, enabled ? "" : " disabled", text);
}

std::string layoutPanel() {
  return R"(<div data-panel="layout" hidden><h2>Layout read at a threshold</h2>
<label for="threshold">threshold <b id="threshold-value"></b></label>
<input id="threshold" type="range" min="0.05" max="0.95" step="0.01">
<dl><dt>mass of the voxels above it</dt><dd id="threshold-mass"></dd><dt></dt><dd id="threshold-share"></dd>
<dt>pieces</dt><dd id="threshold-pieces"></dd></dl>
<p class="note">The solid was read from the smoothed layout at the threshold where the finished part meets the target; the
slider starts there. More than one piece means that members tear off.</p></div>)";
}

std::string solidPanel(const json& results) {
  if (!results.contains("solid")) return {};
  const json& s = results["solid"];
  std::string html = "<div data-panel=\"solid\" hidden><h2>Solid</h2><dl>" +
                     row("mass", fmt::format("{:.4g} kg", s["mass_kg"].get<double>())) +
                     row("target", fmt::format("{:.4g} kg", s["wanted_mass_kg"].get<double>())) +
                     row("threshold", fmt::format("{:.3f}", s["threshold"].get<double>())) +
                     row("surface", escaped(s["surface"].get<std::string>())) +
                     row("triangles", fmt::format("{}", s["triangles"].get<int>())) +
                     row("pieces", fmt::format("{}", s["pieces"].get<int>())) +
                     row("crumbs dropped", fmt::format("{} ({:.3g} mm&sup3;)", s["dropped_pieces"].get<int>(),
                                                       s["dropped_volume_mm3"].get<double>())) +
                     "</dl>";
  if (!s["bores"].empty()) {
    html += "<h2>Bores and bosses</h2><dl>";
    for (const json& b : s["bores"])
      html += row(b["face"].get<std::string>() + fmt::format(", {:.4g} mm", b["diameter_mm"].get<double>()),
                  b["measured_mm"].is_null() ? "not found"
                                             : fmt::format("{:.3f} mm", b["measured_mm"].get<double>()));
    html += "</dl><p class=\"note\">Diameters measured on the vertices of solid.stl.</p>";
  }
  return html + "</div>";
}

std::string stressPanel(const Job& job, const json& results) {
  if (!results.contains("proof")) return {};
  const json& p = results["proof"];
  std::string html =
      "<div data-panel=\"stress\" hidden><h2>Proof</h2><label>case <select id=\"stress-case\">" +
      caseOptions(job, true) +
      "</select></label> <label><input type=\"checkbox\" id=\"deform\"> deformed</label>"
      "<div class=\"note\" id=\"deform-scale\"></div>"
      "<div class=\"legend\" id=\"legend-bar\"></div><div class=\"scale\"><span>0</span><span "
      "id=\"legend-middle\"></span>"
      "<span id=\"legend-top\"></span></div><p class=\"note\">von Mises stress; one scale for all "
      "cases</p><dl>";
  double least = std::numeric_limits<double>::max();
  std::string worst;
  for (const json& c : p["cases"])
    if (c["safety_factor"].get<double>() < least) {
      least = c["safety_factor"].get<double>();
      worst = c["name"].get<std::string>();
    }
  html += row("mass", fmt::format("{:.4g} kg", p["mass_kg"].get<double>())) +
          row("least safety factor", fmt::format("{:.3g} ({})", least, escaped(worst))) + "</dl>";
  if (!p["requirements"].empty()) {
    html += "<h2>Required</h2><dl>";
    for (const json& r : p["requirements"]) {
      const bool met = r["verdict"] == "met";
      html += row(r["what"].get<std::string>(),
                  fmt::format("<span class=\"{}\">{:.4g} {}, at most {:.4g}: {}</span>", met ? "good" : "bad",
                              r["value"].get<double>(), r["unit"].get<std::string>(), r["most"].get<double>(),
                              r["verdict"].get<std::string>()));
    }
    html += "</dl>";
  }
  return html + "</div>";
}

std::string proofTables(const json& results) {
  const json& p = results["proof"];
  const json& o = results["optimise"];
  std::vector<std::vector<std::string>> rows;
  for (std::size_t k = 0; k < p["cases"].size(); ++k) {
    const json& c = p["cases"][k];
    const double predicted = o["cases"][k]["compliance_J"].get<double>();
    const double found = c["compliance_J"].get<double>();
    rows.push_back({escaped(c["name"].get<std::string>()), fmt::format("{:.4g}", predicted),
                    fmt::format("{:.4g}", found), fmt::format("{:+.1f} %", 100 * (found / predicted - 1)),
                    fmt::format("{:.4g}", c["largest_displacement_mm"].get<double>()),
                    fmt::format("{:.4g}", c["judged_von_mises_MPa"].get<double>()),
                    fmt::format("{:.4g}", c["peak_von_mises_MPa"].get<double>()),
                    fmt::format("{:.3g}", c["safety_factor"].get<double>())});
  }
  const double apart = p["set_apart_mm"].get<double>();
  std::string html =
      "<h2>Cases, proved on the solid</h2>" +
      table({"case", "compliance predicted, J", "found, J", "difference", "largest displacement, mm",
             "von Mises, MPa", "peak anywhere, MPa", "safety factor"},
            rows);
  html += fmt::format(
      "<p class=\"note\">Predicted: by the optimiser, on the voxel layout. Found: on {} ten-node tetrahedra. "
      "Stress within "
      "{:.3g} mm of a support or load depends on how they are modelled and is shown apart; the safety factor "
      "is the "
      "strength of {:.4g} MPa over the stress elsewhere. Stress is from one mesh, without an error "
      "estimate.</p>",
      p["tetrahedra"].get<int>(), apart, results["material"]["strength_MPa"].get<double>());
  constexpr double kHeldStill = 1e-6;  // mm: held faces move by rounding only
  std::vector<std::vector<std::string>> moved;
  for (const json& c : p["cases"])
    for (const auto& [face, u] : c["face_displacement_mm"].items()) {
      const Vec3 v(u[0].get<double>(), u[1].get<double>(), u[2].get<double>());
      if (v.norm() > kHeldStill)
        moved.push_back({escaped(c["name"].get<std::string>()), escaped(face), vectorText(v),
                         fmt::format("{:.4g}", v.norm())});
    }
  html +=
      "<h2>Displacement of the faces</h2>" + table({"case", "face", "mean, mm (x, y, z)", "size, mm"}, moved);
  std::vector<std::vector<std::string>> reactions;
  for (const json& c : p["cases"])
    for (const auto& [face, r] : c["reactions"].items())
      reactions.push_back({escaped(c["name"].get<std::string>()), escaped(face), vectorText(r["force_N"])});
  html += "<h2>Reactions</h2>" + table({"case", "held face", "force on the part, N (x, y, z)"}, reactions);
  const json& gap = p["surface_gap_mm"];
  html += "<h2>Mesh of the proof</h2>" +
          table({"tetrahedra", "nodes", "dihedral angles, degrees", "worst element at, mm",
                 "distance to solid.stl, mm", "volume against solid.stl"},
                {{fmt::format("{}", p["tetrahedra"].get<int>()), fmt::format("{}", p["nodes"].get<int>()),
                  fmt::format("{:.1f} to {:.1f}", p["smallest_angle_deg"].get<double>(),
                              p["largest_angle_deg"].get<double>()),
                  vectorText(p["worst_element_at_mm"]),
                  fmt::format("mean {:.3f}, largest {:.3f}", gap["mean"].get<double>(),
                              gap["largest"].get<double>()),
                  fmt::format("{:+.2f} %", 100 * p["volume_difference"].get<double>())}});
  return html;
}

std::string page(const json& data, const std::string& head, const std::string& aside,
                 const std::string& rest) {
  std::string script = data.dump();
  for (std::size_t at = 0; (at = script.find("</", at)) != std::string::npos; at += 3)
    script.replace(at, 2, "<\\/");
  const std::string title = escaped(data["title"].get<std::string>());
  return "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" "
         "content=\"width=device-width\">"
         "<link rel=\"icon\" href=\"data:,\"><title>" +
         title + "</title>\n<style>" + std::string(assets::chartStyle()) + std::string(assets::pageStyle()) +
         "</style></head>\n<body><header><h1>" + title + "</h1>" + head +
         "</header>\n"
         "<div class=\"stage\"><div id=\"view\" role=\"img\" aria-label=\"three-dimensional view of the "
         "part\"></div><aside>" +
         aside + "</aside></div>\n<div class=\"rest\">" + rest +
         "</div>\n<script type=\"application/json\" id=\"page-data\">" + script + "</script>\n<script>" +
         std::string(assets::viewerScript()) + "</script></body></html>\n";
}

}  // namespace

void writeCheckPage(const Job& job, const std::filesystem::path& path) {
  json data = setupJson(job);
  data["kind"] = "check";
  const std::string rest = warningList(job.warnings) + "<h2>Cases</h2>" + caseTable(job);
  writeFile(path, page(data, "<span>set-up as understood</span>", setupPanel(job), rest));
}

void writeReport(const JobRun& run, const std::filesystem::path& path) {
  const json& results = run.results();
  json data = setupJson(run.job());
  data["kind"] = "report";
  std::vector<std::string> warnings = run.job().warnings;
  std::string rest;
  std::string head = "<span class=\"verdict\">not proved yet</span>";
  if (results.contains("solid")) {
    data["threshold"] = results["solid"]["threshold"];
    data["solid"] = meshJson(readStl(run.folder() / "solid.stl"));
    for (const json& w : results["solid"]["warnings"]) warnings.push_back(w.get<std::string>());
  }
  if (results.contains("proof")) {
    addProof(run, data);
    rest += proofTables(results);
    const std::string verdict = results["proof"]["verdict"].get<std::string>();
    head = fmt::format("<span class=\"verdict {}\">verdict: {}</span>",
                       verdict == "met"       ? "good"
                       : verdict == "not met" ? "bad"
                                              : "",
                       verdict);
  }
  if (results.contains("optimise")) {
    addLayout(run, data);
    addHistory(run, data);
    const json& o = results["optimise"];
    if (!o["finished"].get<bool>()) warnings.emplace_back("the optimisation was stopped before it settled");
    rest += fmt::format(
        "<h2>History</h2><div id=\"history\"></div><p class=\"note\">{} iterations in {:.0f} s; {}. Steps in "
        "the compliance "
        "come from sharpening the layout.</p>",
        o["iterations"].get<int>(), o["seconds"].get<double>(), escaped(o["stop"].get<std::string>()));
  }
  rest = warningList(warnings) + rest + "<h2>Load cases</h2>" + caseTable(run.job());
  const std::string modes = "<div class=\"modes\" role=\"radiogroup\" aria-label=\"what the view shows\">" +
                            modeButton("setup", "Set-up", true) +
                            modeButton("layout", "Layout", results.contains("optimise")) +
                            modeButton("solid", "Solid", results.contains("solid")) +
                            modeButton("stress", "Stress", results.contains("proof")) + "</div>";
  writeFile(path, page(data, head,
                       modes + stressPanel(run.job(), results) + layoutPanel() + solidPanel(results) +
                           setupPanel(run.job()),
                       rest));
}

}  // namespace barelattice
