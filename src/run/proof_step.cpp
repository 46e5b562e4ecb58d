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
#include "meshes/sheet_mesh.hpp"
#include "proof/fidelity.hpp"
#include "stamps.hpp"
#include "vtu.hpp"

namespace barelattice {
namespace {

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

/// @param sheet thickness of a sheet, m; 0 for a body.
TetMesh meshOf(const Implicit& f, const Box& bounds, double spacing, double sheet) {
  if (sheet == 0) return stuff(f, bounds, spacing, FeatherEdges::trimmed);
  return stuffSheet(
      [&](const Eigen::Vector2d& p) {
        return f({p.x(), p.y(), 0.5 * sheet});
      },
      {bounds.min().head<2>(), bounds.max().head<2>()}, spacing, sheet);
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
    tell(fmt::format("fills clear \"{}\"", job.brief.shapes[job.brief.clears[c]].name),
         overlap(*job.regions.clears[c], body, bounds, true));
  for (std::size_t k = 0; k < job.regions.keeps.size(); ++k) {
    if (job.brief.keeps[k].assumed) continue;  // the brief does not ask for it
    const ShapePtr keep = job.regions.clears.empty()
                              ? job.regions.keeps[k]
                              : makeDifference(job.regions.keeps[k], job.regions.clears);
    tell(fmt::format("lacks material of keep \"{}\"", job.brief.nameOf(job.brief.keeps[k])),
         overlap(*keep, body, bounds, false));
  }
  return sentences;
}

}  // namespace

/// Adds what about a body keeps its figures from being shown.
void JobRun::addDoubts(const Implicit& f, const Box& bounds, const TriangleMesh* exported, bool ownSolid,
                       std::vector<std::string>& sentences) const {
  if (ownSolid && record_.solid->exactFaces.missing > 0)
    sentences.push_back("the solid misses gaps or walls of the brief, see its warnings");
  if (exported && !ownSolid)
    for (const std::string& sentence : conflicts(job_, f, bounds)) sentences.push_back(sentence);
  // A mesh may bridge what is open: of bodies that are not joined nothing is shown by it.
  const std::size_t bodies = exported && !job_.regions.hasBonded() ? bodiesIn(*exported) : 1;
  if (bodies > 1)
    sentences.push_back(fmt::format(
        "the solid is {} bodies whose surfaces are not joined, and whether they hold together is not known",
        bodies));
}

/// Tells of loose pieces of a body from elsewhere.
void JobRun::noteDropped(const Dropped& dropped) const {
  if (dropped.pieces == 0) return;
  const bool one = dropped.pieces == 1;
  note(
      fmt::format("warning   {} piece{} not joined to the largest {} left out of the analysis, the largest "
                  "of {:.3g} mm3 round {}",
                  dropped.pieces, one ? "" : "s", one ? "is" : "are", dropped.largest * kMm * kMm * kMm,
                  placeText(dropped.largestAt)));
}

/// Meshes a body that lies in `extent` twice, analyses both meshes, leaves the fine one in `file` and returns
/// the figures with their verdict. Of the run's own solid all pieces that hang on a keep are analysed, of
/// other bodies the largest.
BodyRecord JobRun::analysed(const Implicit& f, const Box& extent, const TriangleMesh* exported,
                            const std::string& file, bool ownSolid) {
  const Stopwatch watch;
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
  std::optional<SurfaceGap> gap;
  std::vector<std::string> unlike;
  for (const bool fine : {false, true}) {
    const double spacing = fine ? body.spacing : kMeshRatio * body.spacing;
    TetMesh tets = meshOf(f, bounds, spacing, sheet ? thickness : 0);
    const double found = tets.volume();
    sharpenTets(tets, f, spacing, partsOf(problem, spacing));
    const Dropped dropped = dropLoosePieces(tets, ownSolid ? job_.regions : Regions{}, body.pieces);
    if (!fine && !ownSolid) noteDropped(dropped);
    if (ownSolid)
      refuseTornMesh(spacing, tets.volume() / surface.volume(), body.pieces, record_.solid->pieces,
                     job_.brief.tetrahedra);
    // Pieces of a solid from outside are not refused: only the largest is analysed, and its verdict in doubt.
    else if (exported || found == 0)
      refuseTornMesh(spacing, found / surface.volume(), body.pieces, body.pieces, job_.brief.tetrahedra);
    const QuadraticTets mesh(tets);
    (fine ? body.fine : body.coarse) = prove(mesh, spacing, problem, progress());
    if (!fine) continue;
    writeVtu(folder() / file, mesh, body.fine);
    if (!exported || job_.regions.hasBonded()) continue;
    const TriangleMesh outside = mesh.surfaceTriangles();
    gap = surfaceGap(outside, *exported);
    if (dropped.pieces == 0) unlike = meshDoubts(*exported, outside, spacing);
  }
  // Where there is a surface it tells the mass: meshes chamfer its edges.
  if (ownSolid)
    body.fine.mass = body.coarse.mass = record_.solid->mass;
  else if (exported && !job_.regions.hasBonded())
    body.fine.mass = body.coarse.mass = job_.massOf(exported->volume(), f, body.spacing);
  std::vector<double> weights;
  for (const LoadCase& c : job_.setup.cases) weights.push_back(c.weight);
  BodyRecord record = bodyRecord(body, problem, weights);
  if (gap) {
    record.surfaceGap = {gap->mean, gap->largest, gap->largestAt};
    if (!job_.regions.hasBonded()) record.volumeDifference = body.fine.volume / exported->volume() - 1;
  }
  record.doubts = doubts(body.coarse, body.fine);
  record.doubts.insert(record.doubts.end(), unlike.begin(), unlike.end());
  addDoubts(f, bounds, exported, ownSolid, record.doubts);
  judgeAnew(job_, record);
  record.seconds = watch.seconds();
  return record;
}

/// What keeps a verdict from being final, for the log.
void JobRun::noteDoubts(const BodyRecord& body) {
  constexpr double kMostly = 0.9;
  constexpr double kLittle = 0.1;
  for (const Support& support : job_.setup.supports) {
    const std::string& face = job_.setup.faces[support.face].name;
    const double share = body.faceShare.at(face);
    if (share < kMostly && share > 0)
      note(fmt::format("{}support {} acts on {:.0f} % of its face {}, where the body touches it",
                       share < kLittle ? "warning   " : "          ", support.name, 100 * share, face));
  }
  constexpr double kExact = 2e-5;  // m
  for (const auto& [face, offset] : body.faceOffset)
    if (offset > kExact)
      note(fmt::format("          the body lies {:.2g} mm off face {} on average", offset * kMm, face));
  for (const BodyCaseRecord& c : body.cases)
    if (c.judgedEverywhere) {
      note(fmt::format(
          "warning   exclude_within ({:.4g} mm) leaves nothing of the body: stress is judged everywhere",
          job_.brief.exclusion * kMm));
      break;
    }
  for (const std::string& doubt : body.doubts) note("warning   " + doubt);
  for (const RequirementRecord& r : body.requirements)
    if (r.toDecide) note("open      " + r.what + ": " + *r.toDecide);
}

void JobRun::reuse(std::optional<BodyRecord>& body, const std::string& line) {
  note(line);
  const std::string change = judgeAnew(job_, *body);
  if (change.empty()) return;
  save();
  note(fmt::format("          judged anew: {}; verdict: {}", change, body->verdict));
  noteDoubts(*body);
}

void JobRun::proof(bool fresh) {
  solid(false);
  const std::string fingerprint = proofFingerprint(job_, solidFingerprint(job_, record_));
  if (!fresh && record_.proof && fits(record_.proof->stamp, fingerprint, "proof.vtu")) {
    reuse(record_.proof, "proof     reused: proof.vtu fits the solid");
    return;
  }
  tellWhy(record_.proof ? &record_.proof->stamp : nullptr, "proof", inputsOfProof(job_));
  record_.proof.reset();
  record_.proofFailure.reset();
  save();
  const Implicit f = solidFunction(smoothLayout(), job_.regions, record_.solid->threshold,
                                   job_.brief.solid.cleanUp, nullptr, BondedParts::joined);
  const TriangleMesh exported = readStl(folder() / "solid.stl").moved(originOfFiles(job_.regions.bounds()));
  try {
    record_.proof = analysed(f, exported.bounds(), &exported, "proof.vtu", true);
  } catch (const Cancelled&) {
    throw;
  } catch (const Error& error) {  // the body is the run's own, not input; the page tells it beside the solid
    record_.proofFailure = {error.what(), error.cure(), fingerprint};
    save();
    throw RunError(error.what(), error.cure());
  }
  BodyRecord& body = *record_.proof;
  body.stamp = {fingerprint, inputsOfProof(job_).values(), {}};
  save();
  note(fmt::format("proof     {} and {} tetrahedra: compliance {:.4g} +- {} J{}, verdict: {}",
                   body.coarseTetrahedra, body.tetrahedra, body.compliance, errorText(body.complianceError),
                   prediction(), body.verdict));
  noteDoubts(body);
}

/// " (predicted 1.2 J)"; a layout from elsewhere comes without.
std::string JobRun::prediction() const {
  if (!record_.layout->design) return {};
  double sum = 0;
  for (std::size_t k = 0; k < record_.layout->design->cases.size(); ++k)
    sum += job_.setup.cases[k].weight * record_.layout->design->cases[k].compliance;
  return std::isfinite(sum) ? fmt::format(" (predicted {:.4g} J)", sum) : "";
}

void JobRun::analyse(bool fresh) {
  const auto analyseBody = [&](std::optional<BodyRecord>& body, const char* name, const Inputs& inputs,
                               const Implicit& f, const Box& extent) {
    const std::string fingerprint = inputs.hash();
    const std::string file = std::string(name) + ".vtu";
    if (!fresh && body && fits(body->stamp, fingerprint, file.c_str())) {
      reuse(body, fmt::format("analyse   reused: {} fits the brief", file));
      return;
    }
    tellWhy(body ? &body->stamp : nullptr, "analyse", inputs);
    body.reset();
    save();
    body = analysed(f, extent, nullptr, file, false);
    body->stamp = {fingerprint, inputs.values(), {}};
    save();
    note(fmt::format("analyse   {}: {:.4g} kg, compliance {:.4g} +- {} J", name, body->mass, body->compliance,
                     errorText(body->complianceError)));
    noteDoubts(*body);
  };
  analyseBody(
      record_.block, "block", inputsOfBlock(job_),
      [this](const Vec3& p) { return job_.regions.available(p); }, job_.regions.bounds());
  if (!job_.brief.baseline) return;
  const ShapePtr baseline = job_.brief.shape(*job_.brief.baseline);
  Box extent = baseline->bounds();  // it may be larger than the space
  if (job_.flat()) {
    extent.min().z() = 0;
    extent.max().z() = job_.regions.thickness;
  }
  analyseBody(
      record_.baseline, "baseline", inputsOfBlock(job_, job_.brief.baseline),
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
  const std::string fingerprint = proofFingerprint(job_, layoutFingerprint(job_) + hash);
  if (!fresh && record_.outside && fits(record_.outside->stamp, fingerprint, "outside.vtu")) {
    reuse(record_.outside, "proof     reused: outside.vtu fits " + file.string());
    return;
  }
  record_.outside.reset();
  save();
  record_.outside =
      analysed([&](const Vec3& p) { return std::min(shape->distance(p), job_.regions.bonded(p)); },
               surface.bounds(), &surface, "outside.vtu", false);
  BodyRecord& found = *record_.outside;
  found.stamp = {fingerprint, inputsOfProof(job_).values(), {}};
  found.file = file.filename().string();
  found.fileHash = hash;
  found.surface = defects.text();
  save();
  if (!defects.sound()) note("warning   the surface of " + file.string() + " has defects: " + defects.text());
  note(fmt::format("proof     {}: {:.4g} kg, compliance {:.4g} +- {} J, verdict: {}", file.string(),
                   found.mass, found.compliance, errorText(found.complianceError), found.verdict));
  noteDoubts(found);
}

}  // namespace barelattice
