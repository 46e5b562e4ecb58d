// The steps that analyse bodies, in their folder: the solid, the block, the baseline, a solid from outside.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/file.hpp"
#include "barelattice/base/hash.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/cad.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/mesh_repair.hpp"
#include "barelattice/run/run.hpp"
#include "barelattice/shapes/mesh_shape.hpp"
#include "base/folders.hpp"
#include "layout_file.hpp"
#include "stamps.hpp"
#include "vtu.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

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

}  // namespace

/// Leaves the mesh of a body in a file, and says what it was judged by.
BodyRecord JobRun::kept(ProvedBody body, const std::string& file) const {
  for (const std::string& warning : body.warnings) note("warning   " + warning);
  writeVtu(folder() / file, *body.mesh, body.proof);
  body.record.required = inputsOfVerdict(job_).values();
  return std::move(body.record);
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
  try {
    do proveSolidOnce(fresh);
    while (nextRound());
  } catch (const Cancelled&) {
    throw;
  } catch (const RunError& error) {
    if (!goBackToRound(error.what())) throw;
  }
}

void JobRun::keepRound() const {
  const std::filesystem::path kept = folder() / kKeptRound;
  removeWhole(kept);
  std::error_code fault;
  std::filesystem::create_directory(kept, fault);
  for (const auto& entry : std::filesystem::directory_iterator(folder(), fault))
    if (const auto name = entry.path().filename();
        !fault && isFile(entry.path()) && name != kRunLock && name != "checkpoint.bin")
      std::filesystem::copy_file(entry.path(), kept / name, fault);
  if (fault) removeWhole(kept);  // no room: then a round that fails is told as what it is
}

bool JobRun::goBackToRound(const std::string& why) {
  const std::filesystem::path kept = folder() / kKeptRound;
  if (!isThere(kept / "results.json")) return false;
  const std::optional<RoundsRecord> before = readResults(kept).rounds;
  if (!before || before->fingerprint != roundsFingerprint(job_)) return false;  // of another brief
  RoundsRecord rounds = record_.rounds && record_.rounds->fingerprint == before->fingerprint
                            ? *record_.rounds
                            : *before;  // others may have been done since
  std::error_code fault;
  std::vector<std::filesystem::path> files;
  for (const auto& entry : std::filesystem::directory_iterator(kept, fault)) files.push_back(entry.path());
  for (const std::filesystem::path& file : files)
    if (!fault) std::filesystem::rename(file, folder() / file.filename(), fault);
  if (fault) throw RunError("cannot go back to the files in " + kept.string() + ": " + fault.message());
  record_ = readResults(folder());
  rounds.finished = true;
  rounds.ended = why;
  job_.corrections = rounds.corrections = before->corrections;
  record_.rounds = std::move(rounds);
  layoutReady_ = true;
  removeWhole(kept);
  removeWhole(folder() / "checkpoint.bin");
  save();
  if (!why.empty()) note(fmt::format("round {:<3} failed: {}", record_.rounds->done.size() + 1, why));
  note(fmt::format("          the part of round {} stands: {:.4g} kg", record_.rounds->taken,
                   record_.layout->mass));
  return true;
}

bool JobRun::nextRound() {
  if (!job_.brief.inRounds() || !record_.layout->design) return false;
  const std::string fingerprint = roundsFingerprint(job_);
  if (!record_.rounds || record_.rounds->fingerprint != fingerprint)
    record_.rounds = RoundsRecord{fingerprint, {}, {}};
  RoundsRecord& rounds = *record_.rounds;
  if (rounds.finished) return false;
  rounds.done.push_back(roundOf(job_, *record_.layout, *record_.proof));
  noteRound(rounds.done.back(), rounds.done.size());
  const auto next = record_.layout->settled ? nextCorrections(job_, rounds.done) : std::nullopt;
  rounds.taken = bestRound(job_, rounds.done);
  const bool best = rounds.taken == rounds.done.size();
  if (next) {
    save();
    if (best) keepRound();
    rounds.corrections = job_.corrections = *next;
    layoutReady_ = false;
  } else if (best || !goBackToRound({})) {
    rounds.finished = true;
    rounds.taken = rounds.done.size();
    removeWhole(folder() / kKeptRound);
    removeWhole(folder() / "checkpoint.bin");
  }
  save();
  return next.has_value();
}

void JobRun::noteRound(const RoundRecord& round, std::size_t number) const {
  for (const RoundLimitRecord& limit : round.limits)
    note(fmt::format("round {:<3} {}: on the voxels {:.4g}, proved {:.4g} +- {:.2g}{}{}, to be {} {:.4g}",
                     number, limit.designed.what, limit.designed.value, limit.proved, limit.error,
                     limit.designed.unit.empty() ? "" : " ", limit.designed.unit, limit.designed.sense,
                     limit.designed.bound));
}

void JobRun::proveSolidOnce(bool fresh) {
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
  const TriangleMesh exported = readStl(folder() / "solid.stl").moved(originOfFiles(job_.regions.bounds()));
  try {
    record_.proof =
        kept(proveSolid(job_, layoutFile().level(), *record_.solid, exported, progress()), "proof.vtu");
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
                               const auto& prove) {
    const std::string fingerprint = inputs.hash();
    const std::string file = std::string(name) + ".vtu";
    if (!fresh && body && fits(body->stamp, fingerprint, file.c_str())) {
      reuse(body, fmt::format("analyse   reused: {} fits the brief", file));
      return;
    }
    tellWhy(body ? &body->stamp : nullptr, "analyse", inputs);
    body.reset();
    save();
    body = kept(prove(job_, progress()), file);
    body->stamp = {fingerprint, inputs.values(), {}};
    save();
    note(fmt::format("analyse   {}: {:.4g} kg, compliance {:.4g} +- {} J", name, body->mass, body->compliance,
                     errorText(body->complianceError)));
    noteDoubts(*body);
  };
  analyseBody(record_.block, "block", inputsOfBlock(job_), proveBlock);
  if (job_.brief.baseline)
    analyseBody(record_.baseline, "baseline", inputsOfBlock(job_, job_.brief.baseline), proveBaseline);
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
  record_.outside = kept(proveOutside(
                             job_, [&](const Vec3& p) { return shape->distance(p); }, surface, progress()),
                         "outside.vtu");
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
