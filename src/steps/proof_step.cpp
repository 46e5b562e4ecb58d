// The steps that analyse bodies on meshes of their own: the solid, the block, the baseline, a solid from
// outside.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

#include "barelattice/base/quantity.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/meshes/sharp_tets.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "barelattice/steps/steps.hpp"
#include "base/check.hpp"
#include "figures.hpp"
#include "meshes/sheet_mesh.hpp"
#include "proof/fidelity.hpp"

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

/// What is analysed, and what is known of it.
struct BodyToProve {
  const Implicit& f;
  Box extent;                        ///< it lies in
  const TriangleMesh* surface;       ///< null for what has none: the block, the baseline
  const SolidRecord* own = nullptr;  ///< of the job's own solid; null for other bodies
};

/// What about a body keeps its figures from being shown.
void addDoubts(const Job& job, const BodyToProve& body, const Box& bounds, std::size_t pieces,
               std::vector<std::string>& sentences) {
  if (body.own && body.own->exactFaces.missing > 0)
    sentences.push_back("the solid misses gaps or walls of the brief, see its warnings");
  if (body.surface && !body.own)
    for (const std::string& sentence : conflicts(job, body.f, bounds)) sentences.push_back(sentence);
  // A mesh may bridge what is open: of bodies that are not joined nothing is shown by it, unless they are as
  // many pieces in the mesh, each of which is held or joined by itself.
  const std::size_t bodies = body.surface && !job.regions.hasBonded() ? bodiesIn(*body.surface) : 1;
  if (bodies > 1 && bodies != pieces)
    sentences.push_back(fmt::format(
        "the solid is {} bodies whose surfaces are not joined, and whether they hold together is not known",
        bodies));
}

/// Where a limit holds within a place of which the body has nothing that is judged.
void addEmptyPlaces(const Job& job, const BodyRecord& body, std::vector<std::string>& sentences) {
  for (const BriefLimit& limit : job.brief.limits)
    if (limit.within && std::all_of(body.cases.begin(), body.cases.end(), [&](const BodyCaseRecord& c) {
          return c.places.at(*limit.within).used.value == 0;
        }))
      sentences.push_back(fmt::format(
          "limit {} says nothing: within {} there is no stress, or nothing of the body further than "
          "exclude_within from supports and loads",
          limit.name, job.brief.shapes[job.brief.judgedPlaces[*limit.within]].name));
}

/// Where linear theory ends. What turns by an angle t moves t^2 / 2 less than it says, half a per cent at six
/// degrees, and carries its loads along; what moves far has loads whose lever arms change as much.
void addLargeMotions(const Proof& proof, const Setup& setup, const Box& bounds,
                     std::vector<std::string>& sentences) {
  constexpr double kMostTurn = 0.1;   // rad
  constexpr double kMostMove = 0.05;  // of the body's size
  const double size = bounds.sizes().maxCoeff();
  for (const CaseProof& c : proof.cases) {
    std::size_t most = 0;
    for (std::size_t f = 0; f < c.faceRotation.size(); ++f)
      if (c.faceRotation[f].norm() > c.faceRotation[most].norm()) most = f;
    if (!c.faceRotation.empty() && c.faceRotation[most].norm() > kMostTurn)
      sentences.push_back(fmt::format(
          "in case {} face {} turns by {:.2g} degrees: beyond six the linear theory of this analysis is off",
          c.name, setup.faces[most].name, c.faceRotation[most].norm() * 180 / std::numbers::pi));
    else if (c.displacement > kMostMove * size)
      sentences.push_back(
          fmt::format("in case {} the body moves by {:.3g} mm, more than a twentieth of its {:.3g} mm: the "
                      "linear theory of this "
                      "analysis is off there",
                      c.name, c.displacement * kMillimetresPerMetre, size * kMillimetresPerMetre));
  }
}

/// Tells of loose pieces of a body from elsewhere.
void warnOfDropped(const Dropped& dropped, std::vector<std::string>& warnings) {
  if (dropped.pieces == 0) return;
  const bool one = dropped.pieces == 1;
  warnings.push_back(
      fmt::format("{} piece{} not joined to the largest {} left out of the analysis, the largest "
                  "of {:.3g} mm3 round {}",
                  dropped.pieces, one ? "" : "s", one ? "is" : "are", dropped.largest * kMm * kMm * kMm,
                  placeText(dropped.largestAt)));
}

/// Meshes a body twice, analyses both meshes and returns the figures, not yet judged. Of the job's own
/// solid, and where connections join bodies, all pieces that hang on a keep are analysed, of other bodies the
/// largest.
/// @param tetrahedra of the finer mesh, about.
ProvedBody analysed(const Job& job, const BodyToProve& what, int tetrahedra,
                    const ProgressCallback& progress) {
  Box bounds = what.extent;
  for (const MaterialRegion& region : job.regions.materials)
    if (region.bonded) bounds.extend(region.shape->bounds());
  report(progress, "meshing", 0);
  const Implicit& f = what.f;
  const TriangleMesh surface =
      what.surface ? *what.surface : stuff(f, bounds, bounds.diagonal().norm() / 120).boundary();
  const ProofProblem problem = job.proofProblem();
  ProvedBody result;
  BodyProof body;
  body.ratio = kMeshRatio;
  // A sheet keeps its faces exact in a mesh of prisms; a solid from outside may be anything.
  const bool sheet = job.flat() && (what.own || !what.surface);
  const double thickness = job.regions.thickness;
  body.spacing = sheet ? sheetSpacingFor(surface.volume() / thickness, thickness, tetrahedra)
                       : spacingFor(surface, tetrahedra);
  std::optional<SurfaceGap> gap;
  std::vector<std::string> unlike;
  const bool allPieces = what.own || !job.setup.connections.empty();
  for (const bool fine : {false, true}) {
    const double spacing = fine ? body.spacing : kMeshRatio * body.spacing;
    TetMesh tets = meshOf(f, bounds, spacing, sheet ? thickness : 0);
    const double found = tets.volume();
    sharpenTets(tets, f, spacing, partsOf(problem, spacing));
    const Dropped dropped = dropLoosePieces(tets, allPieces ? job.regions : Regions{}, body.pieces);
    if (!fine && !what.own) warnOfDropped(dropped, result.warnings);
    if (what.own)
      refuseTornMesh(spacing, tets.volume() / surface.volume(), body.pieces, what.own->pieces, tetrahedra);
    // Pieces of a solid from outside are not refused: only the largest is analysed, and its verdict in doubt.
    else if (what.surface || found == 0)
      refuseTornMesh(spacing, found / surface.volume(), body.pieces, body.pieces, tetrahedra);
    const auto mesh = std::make_shared<const QuadraticTets>(tets);
    (fine ? body.fine : body.coarse) = prove(*mesh, spacing, problem, progress);
    if (!fine) continue;
    result.mesh = mesh;
    if (!what.surface || job.regions.hasBonded()) continue;
    const TriangleMesh outside = mesh->surfaceTriangles();
    gap = surfaceGap(outside, *what.surface);
    if (dropped.pieces == 0) unlike = meshDoubts(*what.surface, outside, spacing);
  }
  // Where there is a surface it tells the mass: meshes chamfer its edges.
  if (what.own)
    body.fine.mass = body.coarse.mass = what.own->mass;
  else if (what.surface && !job.regions.hasBonded())
    body.fine.mass = body.coarse.mass = job.massOf(what.surface->volume(), f, body.spacing);
  std::vector<double> weights;
  for (const LoadCase& c : job.setup.cases) weights.push_back(c.weight);
  BodyRecord& record = result.record;
  record = bodyRecord(body, problem, weights);
  if (gap) {
    record.surfaceGap = {gap->mean, gap->largest, gap->largestAt};
    if (!job.regions.hasBonded()) record.volumeDifference = body.fine.volume / what.surface->volume() - 1;
  }
  record.doubts = doubts(body.coarse, body.fine);
  record.doubts.insert(record.doubts.end(), unlike.begin(), unlike.end());
  addDoubts(job, what, bounds, body.pieces, record.doubts);
  addLargeMotions(body.fine, job.setup, bounds, record.doubts);
  addEmptyPlaces(job, record, record.doubts);
  report(progress, "measuring", 0);
  if (what.surface) record.making = makingRecords(job, *what.surface);
  result.proof = std::move(body.fine);
  return result;
}

/// Analyses a body on as many tetrahedra as the brief asks for, and judges it; on up to three times as many
/// where those leave the verdict open and these decide it. Then what these say counts, whatever it is: to
/// choose among meshes would be to choose the verdict. What would take more is told.
ProvedBody proved(const Job& job, const BodyToProve& what, const ProgressCallback& progress) {
  constexpr double kMost = 3;
  constexpr double kSpare = 1.15;
  const Stopwatch watch;
  const auto judged = [&](BodyRecord& record) {
    return judgeBody(record, job.setup, job.brief.judgedBy(), job.brief.agreement);
  };
  const int asked = job.brief.tetrahedra;
  ProvedBody result = analysed(job, what, asked, progress);
  // A mesh has fewer than it was asked to have, by a share that depends on the body.
  const double times = judged(result.record) / static_cast<double>(result.record.tetrahedra);
  if (times > 0 && times <= kMost) {
    result = analysed(job, what, static_cast<int>(std::min(kSpare * times, kMost) * asked), progress);
    judged(result.record);
  }
  result.record.seconds = watch.seconds();
  return result;
}

}  // namespace

ProvedBody proveSolid(const Job& job, const std::vector<double>& level, const SolidRecord& solid,
                      const TriangleMesh& surface, const ProgressCallback& progress) {
  const Implicit f = solidFunction(smoothLayout(job, level), job.regions, solid.threshold,
                                   job.brief.solid.cleanUp, nullptr, BondedParts::joined);
  return proved(job, {f, surface.bounds(), &surface, &solid}, progress);
}

ProvedBody proveBlock(const Job& job, const ProgressCallback& progress) {
  const Implicit f = [&](const Vec3& p) { return job.regions.available(p); };
  return proved(job, {f, job.regions.bounds(), nullptr}, progress);
}

ProvedBody proveBaseline(const Job& job, const ProgressCallback& progress) {
  if (!job.brief.baseline)
    throw InputError("the brief names no baseline", "give it one: baseline = \"a shape\"");
  const ShapePtr baseline = job.brief.shape(*job.brief.baseline);
  Box extent = baseline->bounds();  // it may be larger than the space
  if (job.flat()) {
    extent.min().z() = 0;
    extent.max().z() = job.regions.thickness;
  }
  const Implicit f = [&](const Vec3& p) {
    return std::max(std::min(baseline->distance(p), job.regions.bonded(p)), job.regions.withinSheet(p));
  };
  return proved(job, {f, extent, nullptr}, progress);
}

ProvedBody proveOutside(const Job& job, const Implicit& body, const TriangleMesh& surface,
                        const ProgressCallback& progress) {
  requireGiven("body", body);
  if (surface.triangles.empty()) throw InputError("the surface of the body has no triangles");
  const Implicit f = [&](const Vec3& p) { return std::min(body(p), job.regions.bonded(p)); };
  return proved(job, {f, surface.bounds(), &surface}, progress);
}

namespace {

JobResult carriedOut(const Job& job, const IterationCallback& callback, const OptimiseState* resume,
                     const ProgressCallback& progress) {
  FoundLayout layout = job.brief.layout ? importedLayout(job) : designLayout(job, callback, resume, progress);
  if (layout.record.design && layout.record.design->failure)
    throw RunError(layout.record.design->failure->what, layout.record.design->failure->cure);
  MadeSolid solid = makeSolid(job, layout, progress);
  ProvedBody proof = proveSolid(job, layout.level, solid.record, solid.solid.surface, progress);
  return {std::move(layout), std::move(solid), std::move(proof)};
}

/// A part with limits: each proof corrects the next design.
JobResult carryOutInRounds(Job job, const IterationCallback& callback, const ProgressCallback& progress) {
  std::optional<OptimiseState> left;
  const auto keeping = [&](const IterationView& view) {
    if (view.last) left = view.state;
    return !callback || callback(view);
  };
  std::vector<RoundRecord> rounds;
  std::optional<JobResult> best;
  for (;;) {
    const std::optional<OptimiseState> begun = std::move(left);
    JobResult result;
    try {
      result = carriedOut(job, keeping, begun ? &*begun : nullptr, progress);
    } catch (const RunError&) {
      if (!best) throw;
      break;  // what was found before stands
    }
    rounds.push_back(roundOf(job, result.layout.record, result.proof.record));
    const auto next = result.layout.record.settled ? nextCorrections(job, rounds) : std::nullopt;
    if (bestRound(job, rounds) == rounds.size()) best = std::move(result);
    if (!next) break;
    job.corrections = *next;
    left = nextStart(job, rounds.back(), std::move(*left));
  }
  best->rounds = std::move(rounds);
  return std::move(*best);
}

}  // namespace

JobResult carryOut(const Job& given, const IterationCallback& callback, const ProgressCallback& progress) {
  Job job = given.open ? settledOn(given, choiceOf(given, progress).taken) : given;
  if (std::any_of(job.brief.limits.begin(), job.brief.limits.end(),
                  [](const BriefLimit& limit) { return limit.bound == 0; }))
    job = withBounds(std::move(job), boundsOf(job, progress));
  return job.brief.inRounds() ? carryOutInRounds(job, callback, progress)
                              : carriedOut(job, callback, nullptr, progress);
}

}  // namespace barelattice
