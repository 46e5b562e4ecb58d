#include "barelattice/run/run.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/geometry/stl.hpp"
#include "barelattice/grid/vti.hpp"
#include "barelattice/proof/vtu.hpp"
#include "barelattice/solid/reinterpret.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

constexpr double kMm = kMillimetresPerMetre;
constexpr double kMPa = 1e-6;

/// Lattice of the exported surface in voxels: fine enough for members of three voxels, coarse enough to
/// print.
constexpr double kSurfaceSpacing = 1.0;

/// Increase when a step computes something else from the same brief, so that old results are not reused.
constexpr const char* kMethodVersion = "1";

class Stopwatch {
 public:
  double seconds() const {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  }

 private:
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

/// FNV-1a, 64 bits: small, fast, the same everywhere.
std::string hashed(const std::string& text) {
  std::uint64_t hash = 14695981039346656037U;
  for (const char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211U;
  return fmt::format("{:016x}", hash);
}

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

json vec(const Vec3& v, double scale = 1) {
  return {v.x() * scale, v.y() * scale, v.z() * scale};
}

std::string historyCsv(const std::vector<IterationRecord>& history) {
  std::string csv = "iteration,compliance_J,mass_fraction,change,sharpness,solver_iterations,seconds\n";
  for (const IterationRecord& r : history)
    csv += fmt::format("{},{:.9g},{:.6f},{:.6f},{:g},{},{:.2f}\n", r.iteration, r.compliance, r.massFraction,
                       r.change, r.sharpness, r.solverIterations, r.seconds);
  return csv;
}

json caseJson(const CaseProof& c, const ProofProblem& problem) {
  json faces = json::object();
  for (std::size_t f = 0; f < problem.faces.size(); ++f)
    faces[problem.faces[f].name] = vec(c.faceDisplacement[f], kMm);
  json reactions = json::object();
  for (std::size_t s = 0; s < problem.supports.size(); ++s)
    reactions[problem.faces[problem.supports[s]].name] = {{"force_N", vec(c.reactions[s].force)}};
  return {{"name", c.name},
          {"compliance_J", c.compliance},
          {"largest_displacement_mm", c.displacement * kMm},
          {"face_displacement_mm", faces},
          {"peak_von_mises_MPa", c.peakStress * kMPa},
          {"peak_at_mm", vec(c.peakAt, kMm)},
          {"judged_von_mises_MPa", c.judgedStress * kMPa},
          {"judged_at_mm", vec(c.judgedAt, kMm)},
          {"safety_factor", c.safetyFactor},
          {"applied_force_N", vec(c.applied.force)},
          {"applied_moment_Nm", vec(c.applied.moment)},
          {"reactions", reactions},
          {"solver_iterations", c.solve.iterations},
          {"solver_energy_error", c.solve.energyError}};
}

json judgementJson(const Judgement& j) {
  const bool mass = j.requirement.kind == Requirement::Kind::mass;
  const double scale = mass ? 1 : kMm;
  return {{"what", mass ? "mass" : "displacement at " + j.requirement.face},
          {"unit", mass ? "kg" : "mm"},
          {"value", j.value * scale},
          {"most", j.requirement.most * scale},
          {"worst_case", j.worstCase},
          {"verdict", j.verdict == Verdict::met ? "met" : "not met"}};
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
  results_["masses_kg"] = {{"space", job_.spaceMass}, {"keep", job_.keepMass}, {"target", job_.targetMass}};
  results_["voxels"] = job_.domain.grid.cellCount();
  results_["voxel_mm"] = job_.domain.grid.frame().size * kMm;
  results_["warnings"] = job_.warnings;
}

std::string JobRun::fingerprint(const std::vector<std::string>& sections, const std::string& before) const {
  std::string text =
      std::string(kMethodVersion) + before + fmt::format(";{:.9g}", job_.domain.grid.frame().size);
  for (const std::string& key : sections) {
    const auto section = job_.brief.sections.find(key);
    text += ";" + key + "=" + (section == job_.brief.sections.end() ? "" : section->second);
  }
  return hashed(text);
}

std::string JobRun::layoutFingerprint() const {
  return fingerprint({"voxel", "material", "shapes", "design", "faces", "supports", "loads", "cases", "goal",
                      "target", "making", "optimise"},
                     "");
}
std::string JobRun::solidFingerprint() const {
  return fingerprint({}, layoutFingerprint());
}
std::string JobRun::proofFingerprint() const {
  return fingerprint({"require", "proof"}, solidFingerprint() + fmt::format(";{}", job_.brief.tetrahedra));
}

bool JobRun::fits(const char* step, const std::string& fingerprint) const {
  return results_.contains(step) && results_[step].value("fingerprint", "") == fingerprint;
}

void JobRun::save() {
  writeFile(folder_ / "results.json", results_.dump(2) + "\n");
}

void JobRun::note(const std::string& line) const {
  if (listener_.note) listener_.note(line);
}

ProgressCallback JobRun::progress() const {
  return [this](const Progress& p) {
    if (listener_.progress) listener_.progress(p);
    return !(listener_.stopRequested && listener_.stopRequested());
  };
}

std::vector<double> JobRun::readLayout() const {
  const CellImage image = readVti(folder_ / "layout.vti");
  if (image.frame.cells != job_.domain.grid.frame().cells)
    throw InputError("layout.vti does not fit the brief: its box has other sizes", "run optimise again");
  const std::vector<float>& box = image.field("density");
  std::vector<double> density(job_.domain.grid.cellCount());
  for (std::size_t c = 0; c < density.size(); ++c)
    density[c] = static_cast<double>(box[image.frame.linear(job_.domain.grid.cellIndex(c))]);
  return density;
}

void JobRun::optimise(bool fresh) {
  if (layoutReady_ && !fresh) return;
  const bool upToDate =
      fits("optimise", layoutFingerprint()) && std::filesystem::exists(folder_ / "layout.vti");
  if (!fresh && upToDate && results_["optimise"].value("finished", false)) {
    note("optimise  reused: layout.vti fits the brief");
    layoutReady_ = true;
    return;
  }
  for (const char* stale : {"optimise", "solid", "proof"}) results_.erase(stale);
  save();
  const Stopwatch watch;
  const LayoutProblem<3> problem = job_.layoutProblem();
  OptimiseOptions options;
  options.maxIterations = job_.brief.iterations;
  std::vector<IterationRecord> history;
  const OptimiseResult result =
      optimiseLayout<3>(problem, options, [&](const IterationRecord& r, const std::vector<double>&) {
        history.push_back(r);
        writeFile(folder_ / "history.csv", historyCsv(history));
        if (listener_.iteration) listener_.iteration(r);
        return !(listener_.stopRequested && listener_.stopRequested());
      });
  const std::vector<double> keep(job_.domain.keep.begin(), job_.domain.keep.end());
  writeVti(folder_ / "layout.vti", {job_.domain.grid.frame(),
                                    {{"density", spread(job_.domain.grid, result.density)},
                                     {"fill", spread(job_.domain.grid, job_.domain.fill)},
                                     {"keep", spread(job_.domain.grid, keep)}}});
  json cases = json::array();
  for (std::size_t k = 0; k < job_.cases.size(); ++k) {
    json faces = json::object();
    for (const NamedFace& face : job_.faces)
      faces[face.name] =
          vec(Attachment(job_.domain.grid, face.face).meanDisplacement(result.displacements[k]), kMm);
    cases.push_back({{"name", job_.cases[k].name},
                     {"compliance_J", result.caseCompliance[k]},
                     {"face_displacement_mm", faces}});
  }
  const bool finished = result.stop != OptimiseStop::cancelled;
  results_["optimise"] = {{"fingerprint", layoutFingerprint()},
                          {"finished", finished},
                          {"stop", describe(result.stop)},
                          {"iterations", result.history.size()},
                          {"compliance_J", result.compliance},
                          {"mass_kg", result.massFraction * job_.spaceMass},
                          {"cases", cases},
                          {"seconds", watch.seconds()}};
  save();
  note(fmt::format("optimise  {} iterations, {}: compliance {:.4g} J, mass {:.4g} kg", result.history.size(),
                   describe(result.stop), result.compliance, result.massFraction * job_.spaceMass));
  if (!finished) throw Cancelled();
  layoutReady_ = true;
}

void JobRun::solid(bool fresh) {
  const bool interrupted =
      fits("optimise", layoutFingerprint()) && !results_["optimise"].value("finished", true);
  if (interrupted)
    note("optimise  was stopped early; going on with the layout it left");
  else
    optimise(false);
  if (!fresh && fits("solid", solidFingerprint()) && std::filesystem::exists(folder_ / "solid.stl")) {
    note("solid     reused: solid.stl fits the layout");
    return;
  }
  for (const char* stale : {"solid", "proof"}) results_.erase(stale);
  save();
  const Stopwatch watch;
  const SmoothLayout layout(job_.domain, readLayout());
  const double wanted = job_.targetMass / job_.brief.material.density;
  SolidOptions options;
  options.spacing = kSurfaceSpacing * job_.domain.grid.frame().size;
  const Solid solid = reinterpret(layout, job_.regions, wanted, options, progress());
  if (!solid.defects.sound())
    throw RunError("the surface of the solid has defects: " + solid.defects.text(), "try another voxel size");
  writeStl(folder_ / "solid.stl", solid.surface);
  json bores = json::array();
  for (const NamedFace& face : job_.faces)
    for (const Patch& patch : face.face.patches) {
      if (patch.kind != Patch::Kind::cylinder) continue;
      const auto diameter = measuredDiameter(solid.surface, patch, 0.2 * options.spacing);
      bores.push_back({{"face", face.name},
                       {"diameter_mm", 2 * patch.radius * kMm},
                       {"measured_mm", diameter ? json(*diameter * kMm) : json(nullptr)}});
    }
  std::vector<std::string> warnings;
  if (solid.pieces > 1)
    warnings.push_back(
        fmt::format("the solid falls into {} pieces: a keep is not connected with the rest", solid.pieces));
  results_["solid"] = {{"fingerprint", solidFingerprint()},
                       {"threshold", solid.threshold},
                       {"volume_mm3", solid.volume * kMm * kMm * kMm},
                       {"mass_kg", solid.volume * job_.brief.material.density},
                       {"wanted_mass_kg", job_.targetMass},
                       {"triangles", solid.surface.triangles.size()},
                       {"surface", solid.defects.text()},
                       {"pieces", solid.pieces},
                       {"dropped_pieces", solid.dropped.pieces},
                       {"dropped_volume_mm3", solid.dropped.volume * kMm * kMm * kMm},
                       {"bores", bores},
                       {"warnings", warnings},
                       {"seconds", watch.seconds()}};
  save();
  note(fmt::format("solid     read at {:.3f}: {:.4g} kg (wanted {:.4g} kg), {} triangles, {}",
                   solid.threshold, solid.volume * job_.brief.material.density, job_.targetMass,
                   solid.surface.triangles.size(),
                   solid.defects.sound() ? "closed and sound" : solid.defects.text()));
  for (const std::string& warning : warnings) note("warning   " + warning);
}

void JobRun::proof(bool fresh) {
  solid(false);
  if (!fresh && fits("proof", proofFingerprint()) && std::filesystem::exists(folder_ / "proof.vtu")) {
    note("proof     reused: proof.vtu fits the solid");
    return;
  }
  results_.erase("proof");
  save();
  const Stopwatch watch;
  const SmoothLayout layout(job_.domain, readLayout());
  const Implicit f = solidFunction(layout, job_.regions, results_["solid"]["threshold"].get<double>());
  const TriangleMesh exported = readStl(folder_ / "solid.stl");
  const double spacing = spacingFor(exported, job_.brief.tetrahedra);
  report(progress(), "meshing", 0);
  TetMesh tets = stuff(f, job_.regions.bounds(), spacing, FeatherEdges::trimmed);
  std::size_t pieces = 0;
  dropLoosePieces(tets, job_.regions, pieces);
  const QuadraticTets mesh(tets);
  const ProofProblem problem = job_.proofProblem();
  const Proof proof = prove(mesh, spacing, problem, progress());
  writeVtu(folder_ / "proof.vtu", mesh, proof);
  const SurfaceGap gap = surfaceGap(mesh.surfaceTriangles(), exported);
  json cases = json::array();
  double compliance = 0;
  for (std::size_t k = 0; k < proof.cases.size(); ++k) {
    cases.push_back(caseJson(proof.cases[k], problem));
    compliance += job_.cases[k].weight * proof.cases[k].compliance;
  }
  json judgements = json::array();
  bool met = true;
  for (const Judgement& j : judge(proof, problem, job_.brief.requirements)) {
    judgements.push_back(judgementJson(j));
    met = met && j.verdict == Verdict::met;
  }
  results_["proof"] = {{"fingerprint", proofFingerprint()},
                       {"tetrahedra", proof.tets},
                       {"nodes", proof.nodes},
                       {"spacing_mm", spacing * kMm},
                       {"mass_kg", proof.mass},
                       {"smallest_angle_deg", proof.smallestAngle},
                       {"largest_angle_deg", proof.largestAngle},
                       {"worst_element_at_mm", vec(proof.worstAt, kMm)},
                       {"pieces", pieces},
                       {"surface_gap_mm", {{"mean", gap.mean * kMm}, {"largest", gap.largest * kMm}}},
                       {"volume_difference", proof.volume / exported.volume() - 1},
                       {"set_apart_mm", problem.exclusion * kMm},
                       {"compliance_J", compliance},
                       {"cases", cases},
                       {"requirements", judgements},
                       {"verdict", judgements.empty() ? "nothing required"
                                   : met              ? "met"
                                                      : "not met"},
                       {"seconds", watch.seconds()}};
  save();
  note(fmt::format("proof     {} tetrahedra: compliance {:.4g} J (predicted {:.4g} J), verdict: {}",
                   proof.tets, compliance, results_["optimise"]["compliance_J"].get<double>(),
                   results_["proof"]["verdict"].get<std::string>()));
}

std::optional<bool> JobRun::proven() const {
  if (!results_.contains("proof")) return std::nullopt;
  const std::string verdict = results_["proof"].value("verdict", "");
  if (verdict == "met") return true;
  if (verdict == "not met") return false;
  return std::nullopt;
}

}  // namespace barelattice
