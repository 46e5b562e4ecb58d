// The step that reads a solid out of the layout.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/optimise/optimiser.hpp"
#include "barelattice/run/run.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "barelattice/solid/reinterpret.hpp"
#include "layout_file.hpp"
#include "stamps.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;
constexpr double kCubicMm = kMm * kMm * kMm;

/// Lattice of the exported surface in voxels: fine enough for members of three voxels, coarse enough to
/// print.
constexpr double kSurfaceSpacing = 1.0;

/// Lattice an outline is traced on, in voxels: finer than a surface, because it costs little.
constexpr double kOutlineSpacing = 0.5;

/// The exported solid does not hold the faces of bonded parts.
bool onBondedPart(const Job& job, std::size_t face) {
  return std::any_of(job.brief.regions.begin(), job.brief.regions.end(), [&](const BriefRegion& r) {
    return r.bonded && r.shape == job.brief.faces[face].shape;
  });
}

std::vector<std::string> formatsOf(const Job& job) {
  std::vector<std::string> formats;
  for (const MeshFormat format : job.brief.formats)
    formats.push_back(meshFormatNames()[static_cast<std::size_t>(format)]);
  return formats;
}

/// @param written as its files have it.
void writeFormats(const Job& job, const std::filesystem::path& folder, const TriangleMesh& written) {
  for (const MeshFormat format : job.brief.formats)
    writeMesh(folder / ("solid." + meshFormatNames()[static_cast<std::size_t>(format)]), written, format);
}

void writeSolid(const Job& job, const std::filesystem::path& folder, const Solid& solid) {
  const TriangleMesh written = solid.surface.moved(-solid.origin);
  writeStl(folder / "solid.stl", written);
  writeFormats(job, folder, written);
  if (job.flat()) writeFile(folder / "outline.svg", outlineSvg(solid.outline, job.brief.title));
}

/// What enters the bores of the brief's faces, and passes over the bosses.
std::vector<BoreRecord> boresOf(const Job& job, const Solid& solid) {
  std::vector<BoreRecord> bores;
  for (std::size_t f = 0; f < job.setup.faces.size(); ++f)
    for (const Patch& patch : job.setup.faces[f].face.patches) {
      if (patch.kind != Patch::Kind::cylinder || onBondedPart(job, f)) continue;
      const std::optional<Fit> fit = fitOf(solid.surface, patch, 0.2 * solid.spacing);
      bores.push_back({job.setup.faces[f].name, 2 * patch.radius, fit && fit->hole,
                       fit ? std::optional(fit->diameter) : std::nullopt});
    }
  return bores;
}

/// What people should know of a solid before they use it.
/// @param wanted volume, m3; nothing where the volume was let go.
std::vector<std::string> warningsOf(const Job& job, const Solid& solid, std::optional<double> wanted) {
  std::vector<std::string> warnings;
  if (solid.pieces > 1 && !job.regions.hasBonded())  // those may be what joins them
    warnings.push_back(
        fmt::format("the solid falls into {} pieces: a keep is not connected with the rest", solid.pieces));
  const double off = wanted ? solid.volume / *wanted - 1 : 0;
  if (std::abs(off) > job.brief.solid.volumeTolerance)
    warnings.push_back(
        fmt::format("the mass is {:+.2g} % off the target: no threshold comes nearer, the volume "
                    "jumps there, where a bar joins or parts",
                    100 * off));
  if (solid.faces.missing > 0)
    warnings.push_back(fmt::format(
        "the solid misses {:.3g} mm2 of the faces of space, keeps and clears, by up to {:.3g} mm round {}: "
        "they are too thin there for its lattice of {:.3g} mm",
        solid.faces.missing * kMm * kMm, solid.faces.largest * kMm, placeText(solid.faces.largestAt),
        solid.spacing * kMm));
  const double member = job.brief.walls().smallestMember;
  if (solid.dropped.largest > member * member * member)
    warnings.push_back(fmt::format("a loose piece of {:.3g} mm3 was dropped: more than a crumb",
                                   solid.dropped.largest * kCubicMm));
  return warnings;
}

/// What is told of the surface itself.
SolidRecord recordOf(const Job& job, const Solid& solid) {
  SolidRecord record;
  record.threshold = solid.threshold;
  record.spacing = solid.spacing;
  record.volume = solid.volume;
  record.trianglesBefore = solid.trianglesBefore;
  record.triangles = solid.surface.triangles.size();
  record.deviation = solid.deviation;
  record.surface = solid.defects.text();
  record.pieces = solid.pieces;
  record.droppedPieces = solid.dropped.pieces;
  record.droppedVolume = solid.dropped.volume;
  record.filledVoids = solid.cleanedUp.voids;
  record.filledVolume = solid.cleanedUp.voidVolume * (job.flat() ? job.brief.sheet->thickness : 1);
  record.exactFaces = {solid.faces.triangles, solid.faces.largest, solid.faces.largestAt,
                       solid.faces.missing};
  record.bores = boresOf(job, solid);
  if (job.flat()) record.outlineCorners = solid.outline.corners();
  if (!solid.origin.isZero()) record.filesCountFrom = solid.origin;
  return record;
}

}  // namespace

SmoothLayout JobRun::smoothLayout() const {
  // A density from elsewhere changes within a cell or two, not over a filter's radius.
  constexpr double kStep = 2.5;  // cells
  const double reach = job_.brief.layout
                           ? kStep * job_.cellSize()
                           : filterRadiusFor(job_.brief.walls().smallestMember, job_.flat() ? 2 : 3);
  return std::visit([&](const auto& domain) { return SmoothLayout(domain, layoutFile().level(), reach); },
                    job_.domain);
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

/// Reads the layout, writes the solid's files and returns its figures.
SolidRecord JobRun::madeSolid() const {
  const Stopwatch watch;
  const SmoothLayout layout = smoothLayout();
  const double wanted = wantedVolume();
  SolidOptions options = job_.brief.solid;
  options.spacing = (job_.flat() ? kOutlineSpacing : kSurfaceSpacing) * job_.cellSize();
  const Solid solid = reinterpret(layout, job_.regions, wanted, options, progress());
  if (solid.surface.triangles.empty())
    throw RunError("the solid is empty: nothing of the layout is dense enough",
                   "look at the layout; give more mass, or a lower threshold in [solid]");
  if (!solid.defects.sound())
    throw RunError("the surface of the solid has defects: " + solid.defects.text(), "try another voxel size");
  writeSolid(job_, folder(), solid);
  SolidRecord record = recordOf(job_, solid);
  record.warnings = warningsOf(job_, solid, options.keepVolume ? std::optional(wanted) : std::nullopt);
  record.mass = job_.massOf(
      solid.volume, solidFunction(layout, job_.regions, solid.threshold, options.cleanUp), solid.spacing);
  record.wantedMass = job_.targetMass;
  record.volumeKept = options.keepVolume;
  // What reading the layout made of it, step by step.
  const std::vector<double> level = layoutFile().level();
  record.massAboveThreshold = overCells(job_, [&](const auto& domain, std::size_t c) {
    return level[c] >= solid.threshold ? domain.fill[c] * job_.designMass(c) : 0.0;
  });
  record.seconds = watch.seconds();
  return record;
}

void JobRun::solid(bool fresh) {
  const bool interrupted = layoutFits(job_, record_) && !record_.layout->finished;
  if (interrupted)
    note("optimise  was stopped early; going on with the layout it left");
  else
    optimise(false);
  if (!record_.settled())
    note("warning   the layout has not settled: what follows from it is no result to rely on");
  const std::vector<std::string> formats = formatsOf(job_);
  const std::string fingerprint = solidFingerprint(job_, record_);
  if (!fresh && record_.solid && fits(record_.solid->stamp, fingerprint, "solid.stl")) {
    note("solid     reused: solid.stl fits the layout");
    if (record_.solid->formats == formats) return;
    writeFormats(job_, folder(), readStl(folder() / "solid.stl"));
    record_.solid->formats = formats;
    save();
    return;
  }
  tellWhy(record_.solid ? &record_.solid->stamp : nullptr, "solid", inputsOfSolid(job_));
  forgetSolid();
  SolidRecord record = madeSolid();
  record.stamp = {fingerprint, inputsOfSolid(job_).values(), {}};
  record.formats = formats;
  record_.solid = std::move(record);
  save();
  noteSolid(*record_.solid);
}

void JobRun::noteSolid(const SolidRecord& solid) const {
  note(fmt::format("solid     read at {:.3f}: {:.4g} kg ({} {:.4g} kg), {} triangles, {}", solid.threshold,
                   solid.mass, solid.volumeKept ? "wanted" : "not enforced; the target was", solid.wantedMass,
                   solid.triangles, solid.surface == "sound" ? "closed and sound" : solid.surface));
  if (solid.filesCountFrom)
    note(fmt::format(
        "          coordinates in its files are relative to ({:.0f}, {:.0f}, {:.0f}) mm: single "
        "precision is too coarse that far from the origin",
        solid.filesCountFrom->x() * kMm, solid.filesCountFrom->y() * kMm, solid.filesCountFrom->z() * kMm));
  for (const std::string& warning : solid.warnings) note("warning   " + warning);
}

}  // namespace barelattice
