// The step that reads a solid out of the layout, and its files.

#include <fmt/format.h>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/run/run.hpp"
#include "layout_file.hpp"
#include "stamps.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

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

}  // namespace

/// The layout as its file has it.
FoundLayout JobRun::foundLayout() const {
  return {layoutFile().density(), layoutFile().level(), *record_.layout};
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
  MadeSolid made = makeSolid(job_, foundLayout(), progress());
  writeSolid(job_, folder(), made.solid);
  SolidRecord& record = made.record;
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
