#include "barelattice/brief/job.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "barelattice/base/quantity.hpp"

namespace barelattice {
namespace {

/// Points of a face per voxel edge: enough that no node on the face is missed.
constexpr double kFaceSpacing = 0.25;

[[noreturn]] void refuse(const Brief& brief, TextPlace place, const std::string& what,
                         const std::string& cure) {
  throw BriefError(brief.path, place, what, cure);
}

std::vector<NamedFace> pickFaces(const Brief& brief) {
  std::vector<NamedFace> faces;
  for (const BriefFace& f : brief.faces) {
    try {
      faces.push_back({f.name, selectFace(*brief.shape(f.shape), f.selector, kFaceSpacing * brief.voxel)});
    } catch (const InputError& error) {
      refuse(brief, f.place, fmt::format("[faces.{}] {}", f.name, error.what()), error.cure());
    }
  }
  return faces;
}

/// A face whose points mostly have no cell below them is refused; a minor part is worth a warning.
void checkCovered(const Job& job, const std::string& what, const std::string& face, TextPlace place,
                  const Attachment& attachment, std::vector<std::string>& warnings) {
  constexpr double kMostly = 0.5;
  constexpr double kFully = 0.98;
  if (attachment.covered() < kMostly)
    refuse(job.brief, place,
           fmt::format("[{}] acts on empty space: {:.0f} % of face {} has material below it", what,
                       100 * attachment.covered(), face),
           "put a keep there, or take the face out of the clear regions");
  if (attachment.covered() < kFully)
    warnings.push_back(fmt::format("[{}]: only {:.0f} % of face {} has material below it", what,
                                   100 * attachment.covered(), face));
}

void buildSupports(Job& job, std::vector<std::vector<std::size_t>>& supportCells) {
  std::vector<HeldPoint> points;
  double area = 0;
  for (const BriefSupport& support : job.brief.supports) {
    const Face& face = job.face(support.face);
    const Attachment attachment(job.domain.grid, face);
    checkCovered(job, "supports." + support.name, support.face, support.place, attachment, job.warnings);
    for (const std::size_t node : attachment.nodes()) {
      points.push_back({job.domain.grid.nodePosition(node), 7});
      for (int i = 0; i < 3; ++i) job.held.push_back(gridDof(job.domain.grid, node, i));
    }
    supportCells.push_back(attachment.cells());
    job.supportCentre += face.area() * face.centroid();
    area += face.area();
  }
  job.supportCentre /= area;
  std::sort(job.held.begin(), job.held.end());
  job.held.erase(std::unique(job.held.begin(), job.held.end()), job.held.end());
  const std::vector<std::string> motions = freeMotions(points);
  if (!motions.empty())
    refuse(job.brief, job.brief.supports.front().place,
           fmt::format("the supports leave a rigid motion free: {}", fmt::join(motions, "; ")),
           "hold another face, or a wider one");
}

void buildCases(Job& job, const std::vector<std::vector<std::size_t>>& supportCells) {
  // Every loaded face must hang together with a held one through cells that exist.
  const Pieces pieces =
      findPieces(job.domain.grid, std::vector<std::uint8_t>(job.domain.grid.cellCount(), 1));
  std::vector<char> heldPiece(pieces.cells.size(), 0);
  for (const auto& cells : supportCells)
    for (const std::size_t c : cells) heldPiece[static_cast<std::size_t>(pieces.ofCell[c])] = 1;
  std::vector<std::vector<double>> unit;  // nodal forces of each load
  for (const BriefLoad& load : job.brief.loads) {
    const Attachment attachment(job.domain.grid, job.face(load.face));
    checkCovered(job, "loads." + load.name, load.face, load.place, attachment, job.warnings);
    for (const std::size_t c : attachment.cells())
      if (!heldPiece[static_cast<std::size_t>(pieces.ofCell[c])])
        refuse(
            job.brief, load.place,
            fmt::format("[loads.{}] is not connected with any support through the design space", load.name),
            "join the regions, or check that no clear cuts them apart");
    unit.emplace_back(3 * job.domain.grid.nodeCount(), 0.0);
    attachment.addForce(load.force, unit.back());
  }
  for (const BriefCase& c : job.brief.cases) {
    GridCase gridCase{c.name, c.weight, std::vector<double>(3 * job.domain.grid.nodeCount(), 0.0)};
    CaseSummary summary{c.name, c.weight, {}};
    for (std::size_t l = 0; l < job.brief.loads.size(); ++l) {
      const BriefLoad& load = job.brief.loads[l];
      const auto factor = c.loads.find(load.name);
      if (factor == c.loads.end()) continue;
      for (std::size_t i = 0; i < gridCase.force.size(); ++i)
        gridCase.force[i] += factor->second * unit[l][i];
      const Resultant r =
          resultantOnFace(job.face(load.face), factor->second * load.force, job.supportCentre);
      summary.resultant.force += r.force;
      summary.resultant.moment += r.moment;
    }
    job.cases.push_back(std::move(gridCase));
    job.summaries.push_back(std::move(summary));
  }
}

void settleMass(Job& job) {
  const Brief& brief = job.brief;
  const double density = brief.material.density;
  job.spaceMass = job.domain.volume() * density;
  job.keepMass = job.domain.keepVolume() * density;
  job.targetMass = brief.target.mass.value_or(brief.target.fraction.value_or(0) * job.spaceMass);
  if (job.targetMass <= job.keepMass)
    refuse(brief, brief.target.place,
           fmt::format("the mass target of {:.4g} kg is not above the mass of the keep regions, {:.4g} kg",
                       job.targetMass, job.keepMass),
           fmt::format("raise the target above {:.4g} kg, or make the keeps smaller", job.keepMass));
  if (job.targetMass >= job.spaceMass)
    refuse(
        brief, brief.target.place,
        fmt::format("the mass target of {:.4g} kg is not below the mass of the full design space, {:.4g} kg",
                    job.targetMass, job.spaceMass),
        "lower the target, or enlarge the design space");
}

Estimate estimated(const Job& job) {
  // Measured on the rigger: 52 iterations at 216,000 voxels and three cases; 166,000 tetrahedra and three
  // cases.
  constexpr double kSecondsPerVoxelCase = 1.6e-4;
  constexpr double kSecondsPerTetCase = 7e-5;
  constexpr double kBytesPerVoxel = 1400;
  constexpr double kBytesPerTet = 7500;
  const auto cells = static_cast<double>(job.domain.grid.cellCount());
  const auto cases = static_cast<double>(job.cases.size());
  return {cases * (kSecondsPerVoxelCase * cells * job.brief.iterations / 80.0 +
                   kSecondsPerTetCase * job.brief.tetrahedra),
          std::max(kBytesPerVoxel * cells, kBytesPerTet * job.brief.tetrahedra)};
}

}  // namespace

std::size_t Job::faceNumber(const std::string& name) const {
  return static_cast<std::size_t>(
      std::find_if(faces.begin(), faces.end(), [&](const NamedFace& f) { return f.name == name; }) -
      faces.begin());
}

const Face& Job::face(const std::string& name) const {
  return faces[faceNumber(name)].face;
}

LayoutProblem<3> Job::layoutProblem() const {
  LayoutProblem<3> problem;
  problem.grid = &domain.grid;
  problem.material = brief.material;
  problem.fill = domain.fill;
  problem.keep = domain.keep;
  problem.held = held;
  problem.cases = cases;
  problem.massFraction = targetMass / spaceMass;
  problem.filterRadius = filterRadiusFor(brief.smallestMember);
  problem.filterBoundary = brief.walls;
  if (brief.mirror) problem.mirror = mirrorPartners(domain.grid, brief.mirror->axis, brief.mirror->at);
  return problem;
}

ProofProblem Job::proofProblem() const {
  ProofProblem problem;
  problem.material = brief.material;
  problem.faces = faces;
  problem.exclusion = brief.exclusion;
  for (const BriefSupport& support : brief.supports) problem.supports.push_back(faceNumber(support.face));
  for (const BriefCase& c : brief.cases) {
    ProofCase proofCase{c.name, {}};
    for (const BriefLoad& load : brief.loads)
      if (const auto factor = c.loads.find(load.name); factor != c.loads.end())
        proofCase.loads.push_back({load.name, faceNumber(load.face), factor->second * load.force});
    problem.cases.push_back(std::move(proofCase));
  }
  return problem;
}

Job prepare(Brief brief, std::optional<double> voxel) {
  if (voxel) brief.voxel = *voxel;
  const Regions regions = brief.regions();
  Job job{brief,
          regions,
          sampleRegions(regions, brief.voxel, brief.mirror),
          pickFaces(brief),
          {},
          {},
          {},
          Vec3::Zero(),
          0,
          0,
          0,
          {},
          {}};
  settleMass(job);
  std::vector<std::vector<std::size_t>> supportCells;
  buildSupports(job, supportCells);
  buildCases(job, supportCells);
  if (job.brief.smallestMember < 3 * job.brief.voxel)
    job.warnings.push_back(fmt::format(
        "the smallest member of {:.3g} mm is under three voxels of {:.3g} mm: expect ragged members",
        job.brief.smallestMember * kMillimetresPerMetre, job.brief.voxel * kMillimetresPerMetre));
  job.estimate = estimated(job);
  return job;
}

}  // namespace barelattice
