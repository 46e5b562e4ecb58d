// The steps that analyse bodies on meshes of their own: the solid, the block, the baseline, a solid from
// outside.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/formats/cad.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/mesh_repair.hpp"
#include "barelattice/meshes/sharp_tets.hpp"
#include "barelattice/run/run.hpp"
#include "barelattice/shapes/mesh_shape.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "figures.hpp"
#include "inputs.hpp"
#include "meshes/sheet_mesh.hpp"
#include "proof/fidelity.hpp"
#include "vtu.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

constexpr double kMm = kMillimetresPerMetre;

/// Spacing of the coarse mesh of a proof over that of the fine one: half as many tetrahedra. Much coarser
/// meshes lose slim members, and the difference then says nothing of the fine one.
constexpr double kMeshRatio = 1.3;

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

/// A body made elsewhere: one CAD solid, or a closed triangle surface in millimetres.
struct OutsideBody {
  ShapePtr shape;
  TriangleMesh surface;
  std::vector<std::string> mended;
};

/// @param filesFrom where the coordinates of the run's own files count from, m. The body counts from there
/// too
///   if that brings it to the design space, and from the brief's origin if not: it cannot do both, as the two
///   lie much further apart than the space is large.
OutsideBody outsideBody(const std::filesystem::path& file, const Box& space, const Vec3& filesFrom) {
  if (isStepFile(file)) {
    const CadModel model = readStep(file);
    if (model.solids.size() != 1)
      throw InputError(fmt::format("{} holds {} solids; one is proved", file.string(), model.solids.size()),
                       "export the part alone, joined to one solid");
    return {makeCadShape(model.solids.front()), model.solids.front().surface, {}};
  }
  MendedMesh mesh = mended(readMesh(file));
  if (!mesh.mesh.bounds().intersects(space)) {
    const TriangleMesh there = mesh.mesh.moved(filesFrom);
    if (there.bounds().intersects(space)) mesh.mesh = there;
  }
  return {makeMeshShape(mesh.mesh), mesh.mesh, mesh.done};
}

/// A mesh too coarse for the members of the solid would leave loads and supports on pieces of their own.
/// @param share of the solid's volume that is in the mesh.
void refuseTornMesh(double spacing, double share, std::size_t pieces, std::size_t wanted, int tetrahedra) {
  constexpr double kLeast = 0.8;  // chamfered edges cost a few per cent
  if (share >= kLeast && pieces <= wanted) return;
  throw RunError(
      fmt::format("a mesh of {:.3g} mm for the proof holds {:.0f} % of the solid, in {} piece{}: "
                  "members are thinner than it can hold",
                  spacing * kMm, 100 * share, pieces, pieces == 1 ? "" : "s"),
      fmt::format("give [proof] more tetrahedra than {}, or the members more thickness", tetrahedra));
}

/// How many bodies a surface holds that share no vertex.
std::size_t bodiesIn(const TriangleMesh& surface) {
  const std::vector<double> volumes = shellVolumes(welded(surface));
  return static_cast<std::size_t>(
      std::count_if(volumes.begin(), volumes.end(), [](double volume) { return volume > 0; }));
}

/// Where a body made elsewhere is not what the brief wants of any: in clears, or not in keeps.
std::vector<std::string> conflicts(const Job& job, const Implicit& body, const Box& bounds) {
  constexpr double kFine = 1e-4;  // m: what ISO 2768 leaves sizes of 6 to 30 mm made with care
  std::vector<std::string> sentences;
  const auto tell = [&](const std::string& what, const Overlap& found) {
    if (found.depth > kFine)
      sentences.push_back(fmt::format("the solid {}: {:.3g} mm3, up to {:.2g} mm deep, round {}", what,
                                      found.volume * kMm * kMm * kMm, found.depth * kMm,
                                      placeText(found.at)));
  };
  for (std::size_t c = 0; c < job.regions.clears.size(); ++c)
    tell(fmt::format("fills clear \"{}\"", job.brief.clears[c]),
         overlap(*job.regions.clears[c], body, bounds, true));
  for (std::size_t k = 0; k < job.regions.keeps.size(); ++k) {
    if (job.brief.keeps[k].assumed) continue;  // the brief does not ask for it
    const ShapePtr keep = job.regions.clears.empty()
                              ? job.regions.keeps[k]
                              : makeDifference(job.regions.keeps[k], job.regions.clears);
    tell(fmt::format("lacks material of keep \"{}\"", job.brief.keeps[k].name()),
         overlap(*keep, body, bounds, false));
  }
  return sentences;
}

/// Takes "met" back where there is doubt.
void doubt(json& figures, const std::vector<std::string>& sentences) {
  if (sentences.empty()) return;
  const std::string open = describe(Verdict::inconclusive);
  figures["doubts"] = sentences;
  if (figures["verdict"] == describe(Verdict::met)) figures["verdict"] = open;
  for (json& r : figures["requirements"])
    if (r["verdict"] == describe(Verdict::met)) {
      r["verdict"] = open;
      r["to_decide"] = "nothing is shown while the body is in doubt";
    }
}

}  // namespace

/// Meshes a body that lies in `extent` twice, analyses both meshes, leaves the fine one in `file` and returns
/// the figures with their verdict. Of the run's own solid all pieces that hang on a keep are analysed, of
/// other bodies the largest.
json JobRun::analysed(const Implicit& f, const Box& extent, const TriangleMesh* exported,
                      const std::string& file, bool ownSolid) {
  const Stopwatch watch;
  Regions whole = job_.regions;  // without keeps only the largest piece counts
  whole.keeps.clear();
  whole.materials.clear();
  Box bounds = extent;
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
  std::vector<std::string> unlike;
  for (const bool fine : {false, true}) {
    const double spacing = fine ? body.spacing : kMeshRatio * body.spacing;
    TetMesh tets = meshed(spacing);
    const double found = tets.volume();
    sharpenTets(tets, f, spacing, partsOf(problem, spacing));
    const Dropped dropped = dropLoosePieces(tets, ownSolid ? job_.regions : whole, body.pieces);
    if (!fine && !ownSolid && dropped.pieces > 0)
      note(fmt::format(
          "warning   {} piece{} not joined to the largest {} left out of the analysis, the largest "
          "of {:.3g} mm3 round {}",
          dropped.pieces, dropped.pieces == 1 ? "" : "s", dropped.pieces == 1 ? "is" : "are",
          dropped.largest * kMm * kMm * kMm, placeText(dropped.largestAt)));
    if (ownSolid)
      refuseTornMesh(spacing, tets.volume() / surface.volume(), body.pieces,
                     results_["solid"]["pieces"].get<std::size_t>(), job_.brief.tetrahedra);
    // Pieces of a solid from outside are not refused: only the largest is analysed, and its verdict in doubt.
    else if (exported || found == 0)
      refuseTornMesh(spacing, found / surface.volume(), body.pieces, body.pieces, job_.brief.tetrahedra);
    const QuadraticTets mesh(tets);
    (fine ? body.fine : body.coarse) = prove(mesh, spacing, problem, progress());
    if (!fine) continue;
    writeVtu(folder_ / file, mesh, body.fine);
    if (!exported || job_.regions.hasBonded()) continue;
    const TriangleMesh outside = mesh.surfaceTriangles();
    gap = surfaceGap(outside, *exported);
    if (dropped.pieces == 0) unlike = meshDoubts(*exported, outside, spacing);
  }
  // Where there is a surface it tells the mass: meshes chamfer its edges.
  if (ownSolid)
    body.fine.mass = body.coarse.mass = results_["solid"]["mass_kg"].get<double>();
  else if (exported && !job_.regions.hasBonded())
    body.fine.mass = body.coarse.mass = job_.massOf(exported->volume(), f, body.spacing);
  std::vector<double> weights;
  for (const LoadCase& c : job_.setup.cases) weights.push_back(c.weight);
  json figures = bodyJson(body, problem, weights);
  if (gap) {
    figures["surface_gap_mm"] = {{"mean", gap->mean * kMm},
                                 {"largest", gap->largest * kMm},
                                 {"largest_at_mm", vectorJson(gap->largestAt, kMm)}};
    if (!job_.regions.hasBonded()) figures["volume_difference"] = body.fine.volume / exported->volume() - 1;
  }
  addVerdict(figures, body);
  std::vector<std::string> sentences = doubts(body.coarse, body.fine);
  sentences.insert(sentences.end(), unlike.begin(), unlike.end());
  if (ownSolid && results_["solid"]["exact_faces"]["missing_mm2"].get<double>() > 0)
    sentences.push_back("the solid misses gaps or walls of the brief, see its warnings");
  if (exported && !ownSolid)
    for (const std::string& sentence : conflicts(job_, f, bounds)) sentences.push_back(sentence);
  // A mesh may bridge what is open: of bodies that are not joined nothing is shown by it.
  const std::size_t bodies = exported && !job_.regions.hasBonded() ? bodiesIn(*exported) : 1;
  if (bodies > 1)
    sentences.push_back(fmt::format(
        "the solid is {} bodies whose surfaces are not joined, and whether they hold together is not known",
        bodies));
  doubt(figures, sentences);
  figures["seconds"] = watch.seconds();
  return figures;
}

/// What keeps a verdict from being final, for the log.
void JobRun::noteDoubts(const json& figures) {
  constexpr double kMostly = 0.9;
  constexpr double kLittle = 0.1;
  for (const Support& support : job_.setup.supports) {
    const std::string& face = job_.setup.faces[support.face].name;
    const double share = figures["face_share"][face];
    if (share < kMostly && share > 0)
      note(fmt::format("{}support {} acts on {:.0f} % of its face {}, where the body touches it",
                       share < kLittle ? "warning   " : "          ", support.name, 100 * share, face));
  }
  constexpr double kExact = 0.02;  // mm
  for (const auto& [face, offset] : figures["face_offset_mm"].items())
    if (offset.get<double>() > kExact)
      note(fmt::format("          the body lies {:.2g} mm off face {} on average", offset.get<double>(),
                       face));
  for (const json& c : figures["cases"])
    if (c["judged_everywhere"].get<bool>()) {
      note(fmt::format(
          "warning   exclude_within ({:.4g} mm) leaves nothing of the body: stress is judged everywhere",
          job_.brief.exclusion * kMm));
      break;
    }
  for (const json& doubt : figures.value("doubts", json::array()))
    note("warning   " + doubt.get<std::string>());
  for (const json& r : figures["requirements"])
    if (r["to_decide"].is_string())
      note("open      " + r["what"].get<std::string>() + ": " + r["to_decide"].get<std::string>());
}

void JobRun::addVerdict(json& figures, const BodyProof& body) const {
  json judgements = json::array();
  const std::vector<Judgement> judged = judge(body.coarse, body.fine, body.ratio, job_.brief.agreement,
                                              job_.proofProblem(), job_.brief.requirements);
  for (const Judgement& j : judged) judgements.push_back(judgementJson(j));
  figures["requirements"] = judgements;
  figures["mesh_difference"] = job_.brief.agreement;
  figures["verdict"] = judged.empty() ? "nothing required" : describe(overall(judged));
}

void JobRun::proof(bool fresh) {
  solid(false);
  const std::string fingerprint = proofFingerprint(solidFingerprint());
  if (!fresh && fits("proof", fingerprint, "proof.vtu")) {
    note("proof     reused: proof.vtu fits the solid");
    return;
  }
  tellWhy("proof", "proof", inputsOfProof(job_));
  forget({"proof"});
  const Implicit f = solidFunction(smoothLayout(), job_.regions, results_["solid"]["threshold"].get<double>(),
                                   job_.brief.solid.cleanUp, nullptr, BondedParts::joined);
  const TriangleMesh exported = readStl(folder_ / "solid.stl").moved(originOfFiles(job_.regions.bounds()));
  json figures;
  try {
    figures = analysed(f, exported.bounds(), &exported, "proof.vtu", true);
  } catch (const Cancelled&) {
    throw;
  } catch (const Error& error) {  // the body is the run's own, not input; the page tells it beside the solid
    results_["proof_failure"] = {
        {"what", error.what()}, {"cure", error.cure()}, {"fingerprint", fingerprint}};
    save();
    throw RunError(error.what(), error.cure());
  }
  figures["fingerprint"] = fingerprint;
  figures["inputs"] = inputsOfProof(job_).json();
  results_["proof"] = figures;
  save();
  note(fmt::format("proof     {} and {} tetrahedra: compliance {:.4g} +- {} J{}, verdict: {}",
                   figures["coarse_tetrahedra"].get<int>(), figures["tetrahedra"].get<int>(),
                   figures["compliance_J"].get<double>(),
                   errorText(figures["compliance_error_J"].get<double>()), prediction(),
                   figures["verdict"].get<std::string>()));
  noteDoubts(figures);
}

/// " (predicted 1.2 J)"; a layout from elsewhere comes without.
std::string JobRun::prediction() const {
  if (!results_["optimise"].contains("cases")) return {};
  double sum = 0;
  for (std::size_t k = 0; k < job_.setup.cases.size(); ++k)
    if (!results_["optimise"]["cases"][k]["compliance_J"].is_number()) return {};
  for (std::size_t k = 0; k < job_.setup.cases.size(); ++k)
    sum += job_.setup.cases[k].weight * results_["optimise"]["cases"][k]["compliance_J"].get<double>();
  return fmt::format(" (predicted {:.4g} J)", sum);
}

void JobRun::analyse(bool fresh) {
  const auto body = [&](const char* key, const char* file, const Inputs& inputs, const Implicit& f,
                        const Box& extent) {
    const std::string fingerprint = inputs.hash();
    if (!fresh && fits(key, fingerprint, file)) {
      note(fmt::format("analyse   reused: {} fits the brief", file));
      return;
    }
    tellWhy(key, "analyse", inputs);
    forget({key});
    json figures = analysed(f, extent, nullptr, file, false);
    figures["fingerprint"] = fingerprint;
    figures["inputs"] = inputs.json();
    results_[key] = figures;
    save();
    note(fmt::format("analyse   {}: {:.4g} kg, compliance {:.4g} +- {} J", key,
                     figures["mass_kg"].get<double>(), figures["compliance_J"].get<double>(),
                     errorText(figures["compliance_error_J"].get<double>())));
    noteDoubts(figures);
  };
  body(
      "block", "block.vtu", inputsOfBlock(job_), [this](const Vec3& p) { return job_.regions.available(p); },
      job_.regions.bounds());
  if (job_.brief.baseline.empty()) return;
  const ShapePtr baseline = job_.brief.shape(job_.brief.baseline);
  Box extent = baseline->bounds();  // it may be larger than the space
  if (job_.flat()) {
    extent.min().z() = 0;
    extent.max().z() = job_.regions.thickness;
  }
  body(
      "baseline", "baseline.vtu", inputsOfBlock(job_, job_.brief.baseline),
      [this, baseline](const Vec3& p) {
        return std::max(std::min(baseline->distance(p), job_.regions.bonded(p)), job_.regions.withinSheet(p));
      },
      extent);
}

void JobRun::proofOf(const std::filesystem::path& file, bool fresh) {
  const Box space = job_.regions.bounds();
  const OutsideBody body = outsideBody(file, space, originOfFiles(space));
  const TriangleMesh& surface = body.surface;
  const ShapePtr& shape = body.shape;
  const MeshDefects defects = inspectMesh(surface);
  for (const std::string& mend : body.mended) note("mended    " + file.string() + ": " + mend);
  const std::string hash = hashOf(readFile(file));
  const std::string fingerprint = proofFingerprint(layoutFingerprint() + hash);
  if (!fresh && fits("outside", fingerprint, "outside.vtu")) {
    note("proof     reused: outside.vtu fits " + file.string());
    return;
  }
  forget({"outside"});
  json figures = analysed([&](const Vec3& p) { return std::min(shape->distance(p), job_.regions.bonded(p)); },
                          surface.bounds(), &surface, "outside.vtu", false);
  figures["fingerprint"] = fingerprint;
  figures["file"] = file.filename().string();
  figures["file_hash"] = hash;
  figures["surface"] = defects.text();
  results_["outside"] = figures;
  save();
  if (!defects.sound()) note("warning   the surface of " + file.string() + " has defects: " + defects.text());
  note(fmt::format("proof     {}: {:.4g} kg, compliance {:.4g} +- {} J, verdict: {}", file.string(),
                   figures["mass_kg"].get<double>(), figures["compliance_J"].get<double>(),
                   errorText(figures["compliance_error_J"].get<double>()),
                   figures["verdict"].get<std::string>()));
  noteDoubts(figures);
}

}  // namespace barelattice
