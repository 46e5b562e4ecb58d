#include "barelattice/run/run.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>

#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/geometry/cad.hpp"
#include "barelattice/geometry/mesh_files.hpp"
#include "barelattice/geometry/mesh_repair.hpp"
#include "barelattice/geometry/mesh_shape.hpp"
#include "barelattice/geometry/sheet_mesh.hpp"
#include "barelattice/geometry/stl.hpp"
#include "barelattice/geometry/surface_gap.hpp"
#include "barelattice/grid/density_samples.hpp"
#include "barelattice/grid/vti.hpp"
#include "barelattice/proof/vtu.hpp"
#include "barelattice/run/checkpoint.hpp"
#include "barelattice/solid/reinterpret.hpp"
#include "figures.hpp"
#include "layout_file.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

constexpr double kMm = kMillimetresPerMetre;
constexpr double kMPa = 1e-6;

/// Lattice of the exported surface in voxels: fine enough for members of three voxels, coarse enough to
/// print.
constexpr double kSurfaceSpacing = 1.0;

/// Lattice an outline is traced on, in voxels: finer than a surface, because it costs little.
constexpr double kOutlineSpacing = 0.5;

/// Spacing of the coarse mesh of a proof over that of the fine one: half as many tetrahedra. Much coarser
/// meshes lose slim members, and the difference then says nothing of the fine one.
constexpr double kMeshRatio = 1.3;

/// Increase when a step computes something else from the same brief, so that old results are not reused.
constexpr const char* kMethodVersion = "11";

class Stopwatch {
 public:
  double seconds() const {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  }

 private:
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

/// The lattice spacing, m, that fills a solid with about this many tetrahedra: twelve to a cube of the
/// lattice, and about five more (measured) for every square of the lattice that the surface cuts.
double spacingFor(const TriangleMesh& solid, int tetrahedra) {
  const double volume = solid.volume();
  const double area = solid.area();
  double low = 0;
  double high = std::cbrt(volume);
  for (int step = 0; step < 60; ++step) {
    const double a = 0.5 * (low + high);
    (12 * volume / (a * a * a) + 5 * area / (a * a) > tetrahedra ? low : high) = a;
  }
  return high;
}

/// The sum of f(domain, cell) over the cells of a job.
template <class F>
double overCells(const Job& job, const F& f) {
  return std::visit(
      [&](const auto& domain) {
        double sum = 0;
        for (std::size_t c = 0; c < domain.grid.cellCount(); ++c) sum += f(domain, c);
        return sum;
      },
      job.domain);
}

/// A body made elsewhere: one CAD solid, or a closed triangle surface in millimetres.
struct OutsideBody {
  ShapePtr shape;
  TriangleMesh surface;
  std::vector<std::string> mended;
};

OutsideBody outsideBody(const std::filesystem::path& file) {
  if (isStepFile(file)) {
    const CadModel model = readStep(file);
    if (model.solids.size() != 1)
      throw InputError(fmt::format("{} holds {} solids; one is proved", file.string(), model.solids.size()),
                       "export the part alone, joined to one solid");
    return {makeCadShape(model.solids.front()), model.solids.front().surface, {}};
  }
  MendedMesh mesh = mended(readMesh(file));
  return {makeMeshShape(mesh.mesh), mesh.mesh, mesh.done};
}

}  // namespace

std::filesystem::path defaultRunFolder(const std::filesystem::path& brief) {
  std::filesystem::path folder = brief;
  return folder.replace_extension(".run");
}

JobRun::JobRun(Job job, std::filesystem::path folder, RunListener listener)
    : job_(std::move(job)), folder_(std::move(folder)), listener_(std::move(listener)) {
  std::error_code fault;
  std::filesystem::create_directories(folder_, fault);
  if (fault)
    throw RunError(fmt::format("cannot make the run folder {}: {}", folder_.string(), fault.message()));
  lock_ = std::make_unique<FileLock>(folder_ / "run.lock");
  const std::filesystem::path file = folder_ / "results.json";
  if (std::filesystem::exists(file)) {
    results_ = json::parse(readFile(file), nullptr, false);
    if (!results_.is_object()) {
      note("results.json is damaged: starting over");
      results_ = json::object();
    }
  }
  results_["title"] = job_.brief.title;
  results_["material"] = {{"name", job_.brief.material.name},
                          {"strength_MPa", job_.brief.material.strength * kMPa}};
  results_["masses_kg"] = {{"space", job_.spaceMass},
                           {"keep", job_.keepMass},
                           {"target", job_.targetMass},
                           {"bonded", job_.bondedMass}};
  for (const BriefRegion& region : job_.brief.regions)
    results_["other_materials"][region.name] = {{"name", region.material.name},
                                                {"bonded", region.bonded},
                                                {"strength_MPa", region.material.strength * kMPa}};
  results_["voxels"] = job_.cellCount();
  results_["voxel_mm"] = job_.cellSize() * kMm;
  results_["warnings"] = job_.warnings;
  if (job_.flat()) results_["thickness_mm"] = job_.brief.sheet->thickness * kMm;
}

std::string JobRun::fingerprint(const std::vector<std::string>& sections, const std::string& before) const {
  std::string text = std::string(kMethodVersion) + before + fmt::format(";{:.9g}", job_.cellSize());
  for (const std::string& key : sections) {
    const auto section = job_.brief.sections.find(key);
    text += ";" + key + "=" + (section == job_.brief.sections.end() ? "" : section->second);
  }
  return hashOf(text);
}

std::string JobRun::layoutFingerprint() const {
  // Of the shapes only those that matter here: a baseline may come and go.
  const Brief& brief = job_.brief;
  std::vector<std::string> shapes{brief.space};
  for (const BriefKeep& keep : brief.keeps)
    if (!keep.shape.empty()) shapes.push_back(keep.shape);
  shapes.insert(shapes.end(), brief.clears.begin(), brief.clears.end());
  for (const BriefRegion& region : brief.regions) shapes.push_back(region.shape);
  if (!brief.start.empty()) shapes.push_back(brief.start);
  for (const BriefFace& face : brief.faces) shapes.push_back(face.shape);
  return fingerprint({"sheet", "material", "design", "parts", "regions", "faces", "supports", "loads",
                      "cases", "goal", "target", "making", "optimise", "layout"},
                     brief.shapeTexts(shapes) + (brief.layout ? brief.layout->hash : ""));
}
std::string JobRun::solidFingerprint() const {
  return fingerprint({"solid"}, layoutFingerprint());
}
std::string JobRun::proofFingerprint(const std::string& before) const {
  return fingerprint({"require", "proof"}, before + fmt::format(";{}", job_.brief.tetrahedra));
}

bool JobRun::fits(const char* step, const std::string& fingerprint, const char* file) const {
  return results_.contains(step) && results_[step].value("fingerprint", "") == fingerprint &&
         std::filesystem::exists(folder_ / file);
}

void JobRun::forget(const std::vector<const char*>& steps) {
  for (const char* step : steps) results_.erase(step);
  save();
}

void JobRun::save() {
  writeFile(folder_ / "results.json", results_.dump(2) + "\n");
}

void JobRun::note(const std::string& line) const {
  if (listener_.note) listener_.note(line);
}

bool JobRun::stopAsked() const {
  return listener_.stopRequested && listener_.stopRequested();
}

ProgressCallback JobRun::progress() const {
  return [this](const Progress& p) {
    if (listener_.progress) listener_.progress(p);
    return !stopAsked();
  };
}

LayoutFile JobRun::layoutFile() const {
  return {job_, folder_ / "layout.vti"};
}

SmoothLayout JobRun::smoothLayout() const {
  // A density from elsewhere changes within a cell or two, not over a filter's radius.
  constexpr double kStep = 2.5;  // cells
  const double reach =
      job_.brief.layout ? kStep * job_.cellSize() : filterRadiusFor(job_.brief.smallestMember);
  return std::visit([&](const auto& domain) { return SmoothLayout(domain, layoutFile().level(), reach); },
                    job_.domain);
}

template <int D>
OptimiseResult JobRun::runOptimiser() {
  const LayoutProblem<D> problem = job_.layoutProblem<D>();
  const auto& domain = std::get<Domain<D>>(job_.domain);
  OptimiseOptions options;
  options.maxIterations = job_.brief.iterations;
  const std::filesystem::path checkpoint = folder_ / "checkpoint.bin";
  const std::filesystem::path kept = folder_ / "iterations";
  const std::string fingerprint = layoutFingerprint();
  const std::optional<OptimiseState> state = readCheckpoint(checkpoint, fingerprint);
  std::vector<IterationRecord> history;
  if (state) {
    history = state->history;
    note(fmt::format("optimise  goes on after iteration {}", history.size()));
  } else {
    std::filesystem::remove_all(kept);
  }
  Stopwatch sinceCheckpoint;
  const OptimiseResult result = optimiseLayout<D>(
      problem, options,
      [&](const IterationView& view) {
        history.push_back(view.record);
        writeFile(folder_ / "history.csv", historyCsv(history));
        if (job_.brief.keepEvery > 0 &&
            (view.record.iteration == 1 || view.record.iteration % job_.brief.keepEvery == 0)) {
          std::filesystem::create_directories(kept);
          CellImage image = imageOf(domain.grid, domain.thickness);
          image.fields = {{"density", spread(domain.grid, view.density)}};
          writeVti(kept / fmt::format("{:04}.vti", view.record.iteration), image);
        }
        const bool stop = stopAsked();
        if (stop || sinceCheckpoint.seconds() > kCheckpointSeconds) {
          writeCheckpoint(checkpoint, fingerprint, view.state());
          sinceCheckpoint = Stopwatch();
        }
        if (listener_.iteration) listener_.iteration(view.record);
        return !stop;
      },
      state ? &*state : nullptr);
  if (result.stop != OptimiseStop::cancelled) std::filesystem::remove(checkpoint);
  return result;
}

template <int D>
void JobRun::storeLayout(const OptimiseResult& result) {
  const auto& domain = std::get<Domain<D>>(job_.domain);
  layoutFile().write(result.density, result.level);
  json cases = json::array();
  for (std::size_t k = 0; k < job_.cases.size(); ++k) {
    json faces = json::object();
    for (const NamedFace& face : job_.faces)
      faces[face.name] =
          vectorJson(Attachment<D>(domain.grid, face.face).meanDisplacement(result.displacements[k]), kMm);
    cases.push_back({{"name", job_.cases[k].name},
                     {"compliance_J", result.caseCompliance[k]},
                     {"face_displacement_mm", faces}});
  }
  results_["optimise"] = {{"fingerprint", layoutFingerprint()},
                          {"finished", result.stop != OptimiseStop::cancelled},
                          {"stop", describe(result.stop)},
                          {"goal", job_.brief.goal == CaseGoal::worst ? "worst case" : "weighted sum"},
                          {"iterations", result.history.size()},
                          {"compliance_J", result.compliance},
                          {"mass_kg", result.massFraction * job_.spaceMass},
                          {"cases", cases},
                          {"seconds", result.history.empty() ? 0 : result.history.back().seconds}};
}

void JobRun::importLayout() {
  const BriefLayout& from = *job_.brief.layout;
  const DensitySamples samples = readDensity(from.file, from.field, from.unit);
  const ResampledDensity layout = std::visit(
      [&](const auto& domain) {
        ResampledDensity taken = resampled(samples, domain);
        for (std::size_t c = 0; c < taken.density.size(); ++c)
          if (domain.keep[c]) taken.density[c] = 1;
        return taken;
      },
      job_.domain);
  layoutFile().write(layout.density, layout.density);
  const double mass = overCells(job_, [&](const auto& domain, std::size_t c) {
    return layout.density[c] * domain.fill[c] * job_.designMass(c);
  });
  const double rho = job_.brief.material.density;
  results_["optimise"] = {{"fingerprint", layoutFingerprint()},
                          {"finished", true},
                          {"stop", "taken over from " + from.file.filename().string()},
                          {"imported",
                           {{"samples", samples.values.size()},
                            {"spacing_mm", samples.spacing * kMm},
                            {"mass_given_kg", layout.given * rho},
                            {"mass_taken_kg", layout.kept * rho},
                            {"share_outside", layout.outside}}},
                          {"mass_kg", mass}};
  save();
  note(fmt::format(
      "layout    {} samples of \"{}\" every {:.3g} mm: {:.4g} kg given, {:.4g} kg taken over, {:.2g} % "
      "outside the space; with the keeps {:.4g} kg",
      samples.values.size(), from.field, samples.spacing * kMm, layout.given * rho, layout.kept * rho,
      100 * layout.outside, mass));
}

void JobRun::optimise(bool fresh) {
  if (layoutReady_ && !fresh) return;
  if (!fresh && fits("optimise", layoutFingerprint(), "layout.vti") &&
      results_["optimise"].value("finished", false)) {
    note("optimise  reused: layout.vti fits the brief");
    layoutReady_ = true;
    return;
  }
  forget({"optimise", "solid", "proof"});
  if (job_.brief.layout) {
    importLayout();
    layoutReady_ = true;
    return;
  }
  if (fresh) std::filesystem::remove(folder_ / "checkpoint.bin");
  const OptimiseResult result = job_.flat() ? runOptimiser<2>() : runOptimiser<3>();
  if (job_.flat())
    storeLayout<2>(result);
  else
    storeLayout<3>(result);
  save();
  note(fmt::format("optimise  {} iterations, {}: compliance {:.4g} J{}, mass {:.4g} kg",
                   result.history.size(), describe(result.stop), result.compliance,
                   job_.brief.goal == CaseGoal::worst ? " in the worst case" : "",
                   result.massFraction * job_.spaceMass));
  if (result.stop == OptimiseStop::cancelled) throw Cancelled();
  layoutReady_ = true;
}

/// With one designed material the target's mass over its density; with several the layout's volume, which
/// has that mass.
double JobRun::wantedVolume() const {
  if (!job_.mixed()) return job_.targetMass / job_.brief.material.density;
  const std::vector<double> density = layoutFile().density();
  return overCells(job_, [&](const auto& domain, std::size_t c) {
    return density[c] * (domain.fill[c] - domain.bonded[c]) * domain.cellVolume();
  });
}

/// The exported solid does not hold the faces of bonded parts.
bool JobRun::onBondedPart(const std::string& face) const {
  return std::any_of(job_.brief.regions.begin(), job_.brief.regions.end(), [&](const BriefRegion& r) {
    return r.bonded && r.shape == job_.brief.face(face).shape;
  });
}

void JobRun::solid(bool fresh) {
  const bool interrupted =
      fits("optimise", layoutFingerprint(), "layout.vti") && !results_["optimise"].value("finished", true);
  if (interrupted)
    note("optimise  was stopped early; going on with the layout it left");
  else
    optimise(false);
  if (!fresh && fits("solid", solidFingerprint(), "solid.stl")) {
    note("solid     reused: solid.stl fits the layout");
    return;
  }
  forget({"solid", "proof"});
  const Stopwatch watch;
  const SmoothLayout layout = smoothLayout();
  const double wanted = wantedVolume();
  SolidOptions options = job_.brief.solid;
  options.spacing = (job_.flat() ? kOutlineSpacing : kSurfaceSpacing) * job_.cellSize();
  const Solid solid = reinterpret(layout, job_.regions, wanted, options, progress());
  if (!solid.defects.sound())
    throw RunError("the surface of the solid has defects: " + solid.defects.text(), "try another voxel size");
  writeStl(folder_ / "solid.stl", solid.surface);
  for (const MeshFormat format : job_.brief.formats)
    writeMesh(folder_ / ("solid." + meshFormatNames()[static_cast<std::size_t>(format)]), solid.surface,
              format);
  if (job_.flat()) writeFile(folder_ / "outline.svg", outlineSvg(solid.outline, job_.brief.title));
  const double mass = job_.massOf(
      solid.volume, solidFunction(layout, job_.regions, solid.threshold, options.cleanUp), options.spacing);
  json bores = json::array();
  for (const NamedFace& face : job_.faces)
    for (const Patch& patch : face.face.patches) {
      if (patch.kind != Patch::Kind::cylinder || onBondedPart(face.name)) continue;
      const auto diameter = measuredDiameter(solid.surface, patch, 0.2 * options.spacing);
      bores.push_back({{"face", face.name},
                       {"diameter_mm", 2 * patch.radius * kMm},
                       {"measured_mm", diameter ? json(*diameter * kMm) : json(nullptr)}});
    }
  std::vector<std::string> warnings;
  if (solid.pieces > 1 && !job_.regions.hasBonded())  // those may be what joins them
    warnings.push_back(
        fmt::format("the solid falls into {} pieces: a keep is not connected with the rest", solid.pieces));
  const double member = job_.brief.smallestMember;
  if (solid.dropped.largest > member * member * member)
    warnings.push_back(fmt::format("a loose piece of {:.3g} mm3 was dropped: more than a crumb",
                                   solid.dropped.largest * kMm * kMm * kMm));
  constexpr double kCubicMm = kMm * kMm * kMm;
  // What reading the layout made of it, step by step.
  const std::vector<double> level = layoutFile().level();
  const double above = overCells(job_, [&](const auto& domain, std::size_t c) {
    return level[c] >= solid.threshold ? domain.fill[c] * job_.designMass(c) : 0.0;
  });
  results_["solid"] = {
      {"fingerprint", solidFingerprint()},
      {"threshold", solid.threshold},
      {"volume_mm3", solid.volume * kCubicMm},
      {"mass_kg", mass},
      {"wanted_mass_kg", job_.targetMass},
      {"volume_kept", options.keepVolume},
      {"mass_of_voxels_above_threshold_kg", above},
      {"triangles_before", solid.trianglesBefore},
      {"triangles", solid.surface.triangles.size()},
      {"reduction_deviation_mm", solid.deviation * kMm},
      {"surface", solid.defects.text()},
      {"pieces", solid.pieces},
      {"dropped_pieces", solid.dropped.pieces},
      {"dropped_volume_mm3", solid.dropped.volume * kCubicMm},
      {"filled_voids", solid.cleanedUp.voids},
      {"filled_volume_mm3",
       solid.cleanedUp.voidVolume * kMm * kMm * (job_.flat() ? job_.brief.sheet->thickness * kMm : kMm)},
      {"exact_faces",
       {{"triangles", solid.faces.triangles}, {"largest_distance_mm", solid.faces.largest * kMm}}},
      {"bores", bores},
      {"warnings", warnings},
      {"seconds", watch.seconds()}};
  if (job_.flat()) results_["solid"]["outline_corners"] = solid.outline.corners();
  save();
  note(fmt::format("solid     read at {:.3f}: {:.4g} kg ({} {:.4g} kg), {} triangles, {}", solid.threshold,
                   mass, options.keepVolume ? "wanted" : "let go; the target was", job_.targetMass,
                   solid.surface.triangles.size(),
                   solid.defects.sound() ? "closed and sound" : solid.defects.text()));
  for (const std::string& warning : warnings) note("warning   " + warning);
}

/// Meshes a body twice, analyses both meshes, leaves the fine one in `file` and returns the figures with
/// their verdict. Of the run's own solid all pieces that hang on a keep are analysed, of other bodies the
/// largest.
json JobRun::analysed(const Implicit& f, const TriangleMesh* exported, const std::string& file,
                      bool ownSolid) {
  const Stopwatch watch;
  Regions whole = job_.regions;  // without keeps only the largest piece counts
  whole.keeps.clear();
  whole.materials.clear();
  Box bounds = exported ? exported->bounds() : job_.regions.bounds();
  for (const MaterialRegion& region : job_.regions.materials)
    if (region.bonded) bounds.extend(region.shape->bounds());
  report(progress(), "meshing", 0);
  const TriangleMesh surface =
      exported ? *exported : stuff(f, bounds, bounds.diagonal().norm() / 120).boundary();
  const ProofProblem problem = job_.proofProblem();
  BodyProof body;
  body.ratio = kMeshRatio;
  // A sheet keeps its faces exact in a mesh of prisms; a solid from outside may be anything.
  const bool sheet = job_.flat() && (ownSolid || !exported);
  const double thickness = job_.regions.thickness;
  body.spacing = sheet ? sheetSpacingFor(surface.volume() / thickness, thickness, job_.brief.tetrahedra)
                       : spacingFor(surface, job_.brief.tetrahedra);
  const auto meshed = [&](double spacing) {
    if (!sheet) return stuff(f, bounds, spacing, FeatherEdges::trimmed);
    return stuffSheet(
        [&](const Eigen::Vector2d& p) {
          return f({p.x(), p.y(), 0.5 * thickness});
        },
        {bounds.min().head<2>(), bounds.max().head<2>()}, spacing, thickness);
  };
  std::optional<SurfaceGap> gap;
  for (const bool fine : {false, true}) {
    const double spacing = fine ? body.spacing : kMeshRatio * body.spacing;
    TetMesh tets = meshed(spacing);
    dropLoosePieces(tets, ownSolid ? job_.regions : whole, body.pieces);
    const QuadraticTets mesh(tets);
    (fine ? body.fine : body.coarse) = prove(mesh, spacing, problem, progress());
    if (!fine) continue;
    writeVtu(folder_ / file, mesh, body.fine);
    if (exported && !job_.regions.hasBonded()) gap = surfaceGap(mesh.surfaceTriangles(), *exported);
  }
  std::vector<double> weights;
  for (const GridCase& c : job_.cases) weights.push_back(c.weight);
  json figures = bodyJson(body, problem, weights);
  if (gap) {
    figures["surface_gap_mm"] = {{"mean", gap->mean * kMm}, {"largest", gap->largest * kMm}};
    if (!job_.regions.hasBonded()) figures["volume_difference"] = body.fine.volume / exported->volume() - 1;
  }
  addVerdict(figures, body);
  figures["seconds"] = watch.seconds();
  return figures;
}

void JobRun::addVerdict(json& figures, const BodyProof& body) const {
  json judgements = json::array();
  const std::vector<Judgement> judged = judge(body.coarse, body.fine, body.ratio, job_.brief.agreement,
                                              job_.proofProblem(), job_.brief.requirements);
  for (const Judgement& j : judged) judgements.push_back(judgementJson(j));
  figures["requirements"] = judgements;
  figures["agreement"] = job_.brief.agreement;
  figures["verdict"] = judged.empty() ? "nothing required" : describe(overall(judged));
}

void JobRun::proof(bool fresh) {
  solid(false);
  const std::string fingerprint = proofFingerprint(solidFingerprint());
  if (!fresh && fits("proof", fingerprint, "proof.vtu")) {
    note("proof     reused: proof.vtu fits the solid");
    return;
  }
  forget({"proof"});
  const Implicit f = solidFunction(smoothLayout(), job_.regions, results_["solid"]["threshold"].get<double>(),
                                   job_.brief.solid.cleanUp, nullptr, BondedParts::joined);
  const TriangleMesh exported = readStl(folder_ / "solid.stl");
  json figures = analysed(f, &exported, "proof.vtu", true);
  figures["fingerprint"] = fingerprint;
  results_["proof"] = figures;
  save();
  note(fmt::format("proof     {} and {} tetrahedra: compliance {:.4g} +- {:.2g} J{}, verdict: {}",
                   figures["coarse_tetrahedra"].get<int>(), figures["tetrahedra"].get<int>(),
                   figures["compliance_J"].get<double>(), figures["compliance_error_J"].get<double>(),
                   prediction(), figures["verdict"].get<std::string>()));
}

/// " (predicted 1.2 J)"; a layout from elsewhere comes without.
std::string JobRun::prediction() const {
  if (!results_["optimise"].contains("cases")) return {};
  double sum = 0;
  for (std::size_t k = 0; k < job_.cases.size(); ++k)
    sum += job_.cases[k].weight * results_["optimise"]["cases"][k]["compliance_J"].get<double>();
  return fmt::format(" (predicted {:.4g} J)", sum);
}

void JobRun::analyse(bool fresh) {
  std::vector<std::string> allShapes;
  for (const BriefShape& shape : job_.brief.shapes) allShapes.push_back(shape.name);
  const std::string regions =
      fingerprint({"sheet", "material", "design", "parts", "regions", "faces", "supports", "loads", "cases"},
                  job_.brief.shapeTexts(allShapes));
  const auto body = [&](const char* key, const char* file, const std::string& fingerprint,
                        const Implicit& f) {
    if (!fresh && fits(key, fingerprint, file)) {
      note(fmt::format("analyse   reused: {} fits the brief", file));
      return;
    }
    forget({key});
    json figures = analysed(f, nullptr, file, false);
    figures["fingerprint"] = fingerprint;
    results_[key] = figures;
    save();
    note(fmt::format("analyse   {}: {:.4g} kg, compliance {:.4g} +- {:.2g} J", key,
                     figures["mass_kg"].get<double>(), figures["compliance_J"].get<double>(),
                     figures["compliance_error_J"].get<double>()));
  };
  body("block", "block.vtu", proofFingerprint(regions),
       [this](const Vec3& p) { return job_.regions.available(p); });
  if (job_.brief.baseline.empty()) return;
  const ShapePtr baseline = job_.brief.shape(job_.brief.baseline);
  body("baseline", "baseline.vtu", proofFingerprint(regions + job_.brief.baseline),
       [this, baseline](const Vec3& p) {
         return std::max(std::min(baseline->distance(p), job_.regions.bonded(p)),
                         job_.regions.withinSheet(p));
       });
}

void JobRun::proofOf(const std::filesystem::path& file, bool fresh) {
  const OutsideBody body = outsideBody(file);
  const TriangleMesh& surface = body.surface;
  const ShapePtr& shape = body.shape;
  const MeshDefects defects = inspectMesh(surface);
  for (const std::string& mend : body.mended) note("mended    " + file.string() + ": " + mend);
  const std::string fingerprint = proofFingerprint(layoutFingerprint() + hashOf(readFile(file)));
  if (!fresh && fits("outside", fingerprint, "outside.vtu")) {
    note("proof     reused: outside.vtu fits " + file.string());
    return;
  }
  forget({"outside"});
  json figures = analysed([&](const Vec3& p) { return std::min(shape->distance(p), job_.regions.bonded(p)); },
                          &surface, "outside.vtu", false);
  figures["fingerprint"] = fingerprint;
  figures["file"] = file.filename().string();
  figures["surface"] = defects.text();
  results_["outside"] = figures;
  save();
  if (!defects.sound()) note("warning   the surface of " + file.string() + " has defects: " + defects.text());
  note(fmt::format("proof     {}: {:.4g} kg, compliance {:.4g} +- {:.2g} J, verdict: {}", file.string(),
                   figures["mass_kg"].get<double>(), figures["compliance_J"].get<double>(),
                   figures["compliance_error_J"].get<double>(), figures["verdict"].get<std::string>()));
}

std::optional<bool> JobRun::proven(const std::string& body) const {
  if (!results_.contains(body)) return std::nullopt;
  const std::string verdict = results_[body].value("verdict", "");
  if (verdict == describe(Verdict::met)) return true;
  if (verdict == describe(Verdict::notMet) || verdict == describe(Verdict::notShown)) return false;
  return std::nullopt;
}

}  // namespace barelattice
