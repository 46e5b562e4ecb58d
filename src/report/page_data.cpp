#include "page_data.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <sstream>

#include "acting_data.hpp"
#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/formats/vti.hpp"
#include "barelattice/meshes/outline.hpp"
#include "barelattice/shapes/dual_contour.hpp"
#include "barelattice/shapes/face_pieces.hpp"
#include "base/folders.hpp"
#include "base/parallel.hpp"
#include "base/plain_numbers.hpp"
#include "page_places.hpp"
#include "palette.hpp"
#include "run/vtu.hpp"

namespace barelattice {
namespace {

using nlohmann::json;
constexpr double kMm = kMillimetresPerMetre;

/// A field in steps of 1/65535 of its range: half the size, and far finer than colours can show.
json quantised(const std::vector<float>& values) {
  const auto [low, high] = std::minmax_element(values.begin(), values.end());
  const float offset = values.empty() ? 0 : *low;
  const float range = values.empty() ? 0 : *high - *low;
  std::vector<std::uint16_t> steps;
  steps.reserve(values.size());
  for (const float v : values)
    steps.push_back(range > 0 ? static_cast<std::uint16_t>(std::lround(65535 * (v - offset) / range)) : 0);
  json field = packed(steps);
  field["offset"] = offset;
  field["range"] = range;
  return field;
}

/// A shape as triangles, fine enough for a picture of a scene whose longest side is given.
json shapeJson(const Shape& shape, double scene, double thickness, const PagePlaces& places) {
  if (const TriangleMesh* own = shape.triangles()) return places.mesh(*own);
  const Box box = shape.bounds();
  constexpr double kCells = 128;       // along the longest side
  constexpr double kSceneCells = 240;  // but none smaller than this makes of the scene
  constexpr double kFlatCells = 240;
  if (thickness > 0) {
    const double spacing = box.sizes().head<2>().maxCoeff() / kFlatCells;
    const Outline outline = traceOutline(
        [&](const Eigen::Vector2d& p) {
          return shape.distance({p.x(), p.y(), 0.5 * thickness});
        },
        {box.min().head<2>(), box.max().head<2>()}, spacing);
    return places.mesh(extruded(simplified(outline, 0.02 * spacing), thickness));
  }
  const double wanted = std::max(box.sizes().maxCoeff() / kCells, scene / kSceneCells);
  const double thin = 0.7 * std::max(box.sizes().minCoeff(), 0.2 * wanted);
  return places.mesh(dualContour(shape, std::min(wanted, thin)));
}

/// Where labels and arrows of a piece of a face stand: at its centre, or where that lies in mid-air, as with
/// half a ring, at the point of it nearest to there.
/// @param scene longest side of what is drawn, m.
json pieceJson(const Face& face, const FacePiece& piece, double scene, const PagePlaces& places) {
  constexpr double kOnFace = 0.12;  // of the scene: across a bore, the centre is as good a place as its wall
  constexpr double kFlat = 0.5;     // length of the mean normal from which on it tells a side
  Vec3 normal = Vec3::Zero();
  const SurfacePoint* nearest = nullptr;
  for (const std::size_t p : piece.points) {
    const SurfacePoint& point = face.points[p];
    normal += point.area / piece.area * point.normal;
    if (!nearest || (point.position - piece.centre).norm() < (nearest->position - piece.centre).norm())
      nearest = &point;
  }
  const bool onFace = (nearest->position - piece.centre).norm() < kOnFace * scene;
  const Vec3 out = normal.norm() > kFlat ? Vec3(normal.normalized()) : Vec3(Vec3::Zero());
  return {{"at", places.list(onFace ? piece.centre : nearest->position)},
          {"normal", {out.x(), out.y(), out.z()}},
          {"share", piece.area / face.area()}};
}

json faceJson(const NamedFace& named, double scene, const PagePlaces& places) {
  constexpr std::size_t kMost = 1500;  // points per face in a picture
  const auto& points = named.face.points;
  const std::size_t step = points.size() / kMost + 1;
  std::vector<float> positions;
  for (std::size_t p = 0; p < points.size(); p += step) places.append(points[p].position, positions);
  json pieces = json::array();
  for (const FacePiece& piece : piecesOf(named.face))
    pieces.push_back(pieceJson(named.face, piece, scene, places));
  return {{"name", named.name}, {"points", packed(positions)}, {"pieces", pieces}};
}

std::vector<std::uint8_t> asBytes(const std::vector<float>& shares) {
  std::vector<std::uint8_t> bytes;
  bytes.reserve(shares.size());
  for (const float s : shares)
    bytes.push_back(static_cast<std::uint8_t>(std::lround(255 * std::clamp(s, 0.0F, 1.0F))));
  return bytes;
}

void addLayout(const std::filesystem::path& run, json& data) {
  const CellImage image = readVti(run / "layout.vti");
  data["layout"] = {{"density", packed(asBytes(image.field("density")))},
                    {"fill", packed(asBytes(image.field("fill")))},
                    {"keep", packed(asBytes(image.field("keep")))}};
}

/// The kept iterations, thinned out evenly so that a page stays small. What was damaged since is left out.
void addIterations(const std::filesystem::path& run, json& data, std::vector<std::string>& leftOut) {
  const std::filesystem::path folder = run / "iterations";
  if (!isFolder(folder)) return;
  std::vector<std::filesystem::path> files;
  std::error_code unreadable;
  for (const auto& entry : std::filesystem::directory_iterator(folder, unreadable)) {
    const std::string stem = entry.path().stem().string();  // the number of the iteration
    if (entry.path().extension() == ".vti" && stem.size() < 8 &&
        std::all_of(stem.begin(), stem.end(), [](char c) { return c >= '0' && c <= '9'; }))
      files.push_back(entry.path());
  }
  std::sort(files.begin(), files.end());
  constexpr double kMostBytes = 5e6;
  std::size_t cells = 1;
  for (const json& along : data["frame"]["cells"]) cells *= along.get<std::size_t>();
  const auto most =
      std::max<std::size_t>(1, static_cast<std::size_t>(kMostBytes / static_cast<double>(cells)));
  const std::size_t step = (files.size() + most - 1) / most;
  data["iterations"] = json::array();
  for (std::size_t f = 0; f < files.size(); f += step) try {
      const CellImage image = readVti(files[f]);
      if (image.frame.boxCells() != cells) throw InputError(files[f].string() + ": it is of another grid");
      data["iterations"].push_back({{"number", std::stoi(files[f].stem().string())},
                                    {"density", packed(asBytes(image.field("density")))}});
    } catch (const InputError& error) {
      leftOut.push_back(std::string("a kept iteration is left out: ") + error.what());
    }
  if (data["iterations"].empty()) data.erase("iterations");
}

/// The cells of a line of a CSV file, as RFC 4180 has it.
std::vector<std::string> cellsOf(const std::string& line) {
  std::vector<std::string> cells(1);
  bool quoted = false;
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (line[i] == '"' && quoted && i + 1 < line.size() && line[i + 1] == '"')
      cells.back() += line[i++];
    else if (line[i] == '"')
      quoted = !quoted;
    else if (line[i] == ',' && !quoted)
      cells.emplace_back();
    else
      cells.back() += line[i];
  }
  return cells;
}

/// What limits come to over their bounds, the worst of their columns.
json overBounds(const std::vector<std::string>& names, const std::vector<std::vector<std::string>>& rows,
                const RunRecord& record) {
  json limits = json::array();
  for (const DesignedRecord& designed : record.layout->design->limits) {
    json shares = json::array();
    for (const std::vector<std::string>& row : rows) {
      double worst = 0;
      for (const std::string& column : designed.columns) {
        const auto at = std::find(names.begin(), names.end(), column + "_over_bound") - names.begin();
        const auto index = static_cast<std::size_t>(at);
        if (index < row.size()) worst = std::max(worst, numberFrom(row[index]).value_or(0));
      }
      shares.push_back(std::isfinite(worst) ? json(worst) : json(nullptr));
    }
    limits.push_back({{"what", designed.what}, {"share", shares}});
  }
  return limits;
}

void addHistory(const RunRecord& record, json& data) {
  const std::filesystem::path& run = record.folder;
  std::istringstream csv(readFile(run / "history.csv"));
  std::string line;
  std::getline(csv, line);
  const std::vector<std::string> names = cellsOf(line);
  // By the name of the column; what is no finite number, a layout that did not hold, is left out of the
  // chart.
  const std::pair<const char*, const char*> columns[]{
      {"iteration", "iteration"}, {"compliance_J", "compliance"},
      {"eroded_J", "eroded"},     {"change", "change"},
      {"grey", "grey"},           {"sharpness", "sharpness"},
      {"erosion", "erosion"}};
  json history = json::object();
  for (const auto& [name, key] : columns) history[key] = json::array();
  std::vector<std::vector<std::string>> rows;
  while (std::getline(csv, line)) {
    const std::vector<std::string>& cells = rows.emplace_back(cellsOf(line));
    for (const auto& [name, key] : columns) {
      const auto at = static_cast<std::size_t>(std::find(names.begin(), names.end(), name) - names.begin());
      if (at >= cells.size()) throw InputError("history.csv is damaged");
      const std::optional<double> value = numberFrom(cells[at]);
      if (!value) throw InputError("history.csv is damaged");
      history[key].push_back(std::isfinite(*value) ? json(*value) : json(nullptr));
    }
  }
  if (!record.layout || !record.layout->design || record.layout->design->limits.empty()) {
    data["history"] = history;
    return;
  }
  history["limits"] = overBounds(names, rows, record);
  const auto at =
      static_cast<std::size_t>(std::find(names.begin(), names.end(), "mass_fraction") - names.begin());
  for (const std::vector<std::string>& row : rows)
    history["mass"].push_back(record.masses.space * numberFrom(row.at(at)).value_or(0));
  data["history"] = history;
}

std::vector<float> inMegapascal(const std::vector<float>& stress) {
  std::vector<float> values;
  values.reserve(stress.size());
  for (const float s : stress) values.push_back(s * 1e-6F);
  return values;
}

/// Natural modes, in the order the figures have them too.
json modesJson(const ProofSurface& surface, const std::vector<FrequenciesRecord>& frequencies) {
  std::vector<const FigureRecord*> found;
  for (const FrequenciesRecord& set : frequencies)
    for (const FigureRecord& each : set.lowest) found.push_back(&each);
  json modes = json::array();
  for (std::size_t m = 0; m < surface.modes.size() && m < found.size(); ++m) {
    std::vector<float> size;
    const std::vector<float>& shape = surface.modes[m].shape;
    for (std::size_t n = 0; n + 2 < shape.size(); n += 3)
      size.push_back(std::hypot(shape[n], shape[n + 1], shape[n + 2]));
    modes.push_back({{"name", fmt::format("{}: {:.4g} Hz", surface.modes[m].name, found[m]->value)},
                     {"shape", quantised(shape)},
                     {"size", quantised(size)}});
  }
  return modes;
}

json bodyJson(const ProofSurface& surface, const std::string& name, const BodyRecord& record,
              const PagePlaces& places) {
  json cases = json::array();
  for (const ProofSurface::Case& c : surface.cases) {
    std::vector<float> moved;
    float largest = 0;
    for (std::size_t v = 0; v < c.vonMises.size(); ++v) {
      Vec3 u;
      for (std::size_t i = 0; i < 3; ++i) {
        moved.push_back(c.displacement[3 * v + i] * static_cast<float>(kMm));
        u[static_cast<Eigen::Index>(i)] = static_cast<double>(moved.back());
      }
      largest = std::max(largest, static_cast<float>(u.norm()));
    }
    cases.push_back({{"vonMises", quantised(inMegapascal(c.vonMises))},
                     {"tension", quantised(inMegapascal(c.principalMost))},
                     {"compression", quantised(inMegapascal(c.principalLeast))},
                     {"displacement", quantised(moved)},
                     {"largestDisplacement", largest}});
  }
  json marks = json::array();  // where a making rule does not hold
  for (const MakingRecord& m : record.making)
    if (m.verdict == describe(Verdict::notMet))
      marks.push_back({{"text", m.rule + ": " + m.what}, {"at", places.list(m.at)}});
  return {{"name", name},
          {"mesh", places.mesh(surface.mesh)},
          {"cases", cases},
          {"modes", modesJson(surface, record.frequencies)},
          {"marks", marks}};
}

/// The shapes of the set-up as triangles, all at the same time.
void addShapes(const Job& job, const PagePlaces& places, json& data) {
  std::vector<const Shape*> shapes{job.regions.space.get()};
  for (const ShapePtr& keep : job.regions.keeps) shapes.push_back(keep.get());
  for (const ShapePtr& clear : job.regions.clears) shapes.push_back(clear.get());
  for (const MaterialRegion& region : job.regions.materials) shapes.push_back(region.shape.get());
  if (job.brief.baseline) shapes.push_back(job.brief.shape(*job.brief.baseline).get());
  std::vector<json> meshes(shapes.size());
  const double scene = job.regions.space->bounds().sizes().maxCoeff();
  forEach(
      shapes.size(),
      [&](std::size_t i) { meshes[i] = shapeJson(*shapes[i], scene, job.regions.thickness, places); }, 1);
  std::size_t next = 0;
  data["space"] = meshes[next++];
  data["keeps"] = json::array();
  for (const BriefKeep& keep : job.brief.keeps) {
    const json& mesh = meshes[next++];
    if (keep.assumed && !job.brief.designs) continue;  // it only tells pieces that are joined from crumbs
    data["keeps"].push_back({{"name", job.brief.nameOf(keep)}, {"mesh", mesh}});
  }
  data["clears"] = json::array();
  for (const std::size_t clear : job.brief.clears)
    data["clears"].push_back({{"name", job.brief.shapes[clear].name}, {"mesh", meshes[next++]}});
  data["parts"] = json::array();
  for (const BriefRegion& region : job.brief.regions)
    data["parts"].push_back({{"name", region.name}, {"bonded", region.bonded}, {"mesh", meshes[next++]}});
  if (job.brief.baseline) data["baseline"] = meshes[next];
}

/// What full cells weigh, kg.
json cellMasses(const Job& job) {
  std::vector<double> masses(job.cellCount());
  for (std::size_t c = 0; c < masses.size(); ++c) masses[c] = job.designMass(c);
  return std::visit([&](const auto& domain) { return packed(spread(domain.grid, masses)); }, job.domain);
}

json paletteJson() {
  return {{"space", palette::kSpace}, {"keep", palette::kKeep},       {"clear", palette::kClear},
          {"part", palette::kPart},   {"support", palette::kSupport}, {"load", palette::kLoad},
          {"solid", palette::kSolid}, {"loose", palette::kLoose},     {"ink", palette::kInk}};
}

}  // namespace

json inspectData(const Inspection& inspection) {
  json data = {{"title", inspection.file.filename().string()}, {"palette", paletteJson()}};
  data["bodies"] = json::array();
  const PagePlaces places(originOfFiles(inspection.surface.bounds()));
  for (const InspectedBody& body : inspection.bodies) {
    json faces = json::array();
    for (const InspectedFace& face : body.faces)
      faces.push_back(
          {{"text", describe(face)}, {"selector", face.selector}, {"centre", places.list(face.centre)}});
    data["bodies"].push_back({{"name", body.name},
                              {"shape", body.shapeText},
                              {"mesh", places.mesh(body.surface)},
                              {"faceOf", packed(body.faceOf)},
                              {"faces", faces}});
  }
  constexpr std::size_t kMost = 300;  // marks in a picture
  data["defects"] = json::array();
  for (std::size_t d = 0; d < std::min(kMost, inspection.defects.size()); ++d)
    data["defects"].push_back({{"what", nameOf(inspection.defects[d].kind)},
                               {"at", places.list(placeOf(inspection.surface, inspection.defects[d]))}});
  return data;
}

json setupData(const Job& job) {
  const CellImage image =
      std::visit([](const auto& domain) { return imageOf(domain.grid, domain.thickness); }, job.domain);
  const PagePlaces places(originOfFiles(job.regions.bounds()));
  const double size = image.frame.size * kMm;
  json data = {{"title", job.brief.title},
               {"palette", paletteJson()},
               {"colourMap", palette::kField},
               {"frame",
                {{"origin", places.list(image.frame.origin)},
                 {"size", {size, size, job.flat() ? image.layer * kMm : size}},
                 {"cells", image.frame.cells}}},
               {"cellMass", job.cellVolume() * job.brief.material.density},
               {"targetMass", job.targetMass}};
  if (!job.brief.regions.empty()) data["cellMasses"] = cellMasses(job);
  addShapes(job, places, data);
  data["faces"] = json::array();
  const double scene = job.regions.space->bounds().sizes().maxCoeff();
  for (const NamedFace& face : job.setup.faces) data["faces"].push_back(faceJson(face, scene, places));
  addActing(job, places, data);
  return data;
}

std::vector<std::string> addRunData(const RunRecord& record, const Vec3& filesFrom, json& data) {
  const PagePlaces places(filesFrom);
  const std::filesystem::path& folder = record.folder;
  std::vector<std::string> leftOut;
  if (record.layout) {
    addLayout(folder, data);
    if (!record.layout->finished) data["unfinished"] = true;
    if (record.layout->design) {
      addIterations(folder, data, leftOut);
      addHistory(record, data);
    }
  }
  if (record.solid) {
    data["threshold"] = record.solid->threshold;
    data["solid"] = PagePlaces(Vec3::Zero()).mesh(readStl(folder / "solid.stl"));  // counts from there
  }
  data["bodies"] = json::array();
  const auto add = [&](const std::optional<BodyRecord>& body, const char* file, const char* name) {
    if (body) data["bodies"].push_back(bodyJson(readProofSurface(folder / file), name, *body, places));
  };
  add(record.proof, "proof.vtu", "the part");
  add(record.outside, "outside.vtu", "imported solid");
  add(record.block, "block.vtu", "full block");
  add(record.baseline, "baseline.vtu", "baseline");
  return leftOut;
}

}  // namespace barelattice
