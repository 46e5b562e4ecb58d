// The step that reads a solid out of the layout.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "barelattice/base/quantity.hpp"
#include "barelattice/base/stopwatch.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "barelattice/steps/steps.hpp"
#include "base/check.hpp"
#include "over_cells.hpp"

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

/// With one designed material the target's mass over its density; with several the layout's volume, which
/// has that mass.
double wantedVolume(const Job& job, double mass, const std::vector<double>& density) {
  if (!job.mixed()) return mass / job.brief.material.density;
  return overCells(job, [&](const auto& domain, std::size_t c) {
    return density[c] * (domain.fill[c] - domain.bonded[c]) * domain.cellVolume();
  });
}

}  // namespace

SmoothLayout smoothLayout(const Job& job, const std::vector<double>& level) {
  // A density from elsewhere changes within a cell or two, not over a filter's radius.
  constexpr double kStep = 2.5;  // cells
  const double reach = job.brief.layout
                           ? kStep * job.cellSize()
                           : filterRadiusFor(job.brief.walls().smallestMember, job.flat() ? 2 : 3);
  return std::visit([&](const auto& domain) { return SmoothLayout(domain, level, reach); }, job.domain);
}

MadeSolid makeSolid(const Job& job, const FoundLayout& layout, const ProgressCallback& progress) {
  const Stopwatch watch;
  const SmoothLayout smooth = smoothLayout(job, layout.level);
  requireCount("density", layout.density.size(), job.cellCount(), "cells");
  const double mass = job.brief.lightest ? layout.record.mass : job.targetMass;
  const double wanted = wantedVolume(job, mass, layout.density);
  SolidOptions options = job.brief.solid;
  options.spacing = (job.flat() ? kOutlineSpacing : kSurfaceSpacing) * job.cellSize();
  MadeSolid made{reinterpret(smooth, job.regions, wanted, options, progress), {}};
  const Solid& solid = made.solid;
  if (solid.surface.triangles.empty())
    throw RunError("the solid is empty: nothing of the layout is dense enough",
                   "look at the layout; give more mass, or a lower threshold in [solid]");
  if (!solid.defects.sound())
    throw RunError("the surface of the solid has defects: " + solid.defects.text(), "try another voxel size");
  made.record = recordOf(job, solid);
  SolidRecord& record = made.record;
  record.warnings = warningsOf(job, solid, options.keepVolume ? std::optional(wanted) : std::nullopt);
  record.mass = job.massOf(solid.volume, solidFunction(smooth, job.regions, solid.threshold, options.cleanUp),
                           solid.spacing);
  record.wantedMass = mass;
  record.volumeKept = options.keepVolume;
  // What reading the layout made of it, step by step.
  record.massAboveThreshold = overCells(job, [&](const auto& domain, std::size_t c) {
    return layout.level[c] >= solid.threshold ? domain.fill[c] * job.designMass(c) : 0.0;
  });
  record.seconds = watch.seconds();
  return made;
}

}  // namespace barelattice
