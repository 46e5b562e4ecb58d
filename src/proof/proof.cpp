#include "barelattice/proof/proof.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <optional>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/mechanics/grounding.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"
#include "held_body.hpp"
#include "meshes/point_grid.hpp"
#include "tets/face_on_mesh.hpp"

namespace barelattice {
namespace {

/// Of a support on a flat face across a coordinate axis that holds it along its normal only: that axis, as a
/// bit; 0 of others. The body may be thought to go on behind it, mirrored. Of what else holds the same face
/// nothing is known here.
unsigned mirrorAxis(const Support& support, const Face& face) {
  const Held* held = std::get_if<Held>(&support.kind);
  const bool slides = std::holds_alternative<Slide>(support.kind);
  if (!slides && (!held || held->axes != Eigen::Matrix3d::Identity() || !held->moved.isZero())) return 0;
  const auto bit = [&](const Patch& patch) {
    for (int axis = 0; axis < 3; ++axis)
      if (patch.kind == Patch::Kind::plane && std::abs(patch.direction()[axis]) > 1 - 1e-9) return 1U << axis;
    return 0U;
  };
  if (face.patches.empty()) return 0;
  const unsigned axis = slides ? bit(face.patches.front()) : held->directions;
  const bool all = std::all_of(face.patches.begin(), face.patches.end(), [&](const Patch& p) {
    return bit(p) == axis && std::abs(p.height(face.patches.front().origin)) < 1e-9;
  });
  return all ? axis : 0;
}

/// Whether points are near a support or load face, which faces' points tell.
class NearFaces {
 public:
  NearFaces(const QuadraticTets& mesh, const Setup& setup, const std::vector<FaceOnMesh>& faces, double reach)
      : reach_(reach), points_(reach > 0 ? reach : 1) {
    if (!(reach > 0)) return;
    const auto addFace = [&](std::size_t face) {
      for (const SurfacePoint& point : setup.faces[face].face.points) points_.add(point.position);
    };
    for (const Support& support : setup.supports) {
      const auto sharesFace = [&](const Support& other) {
        return &other != &support && other.face == support.face;
      };
      if (mirrorAxis(support, setup.faces[support.face].face) == 0 ||
          std::any_of(setup.supports.begin(), setup.supports.end(), sharesFace)) {
        for (const std::size_t face : facesOf(support)) addFace(face);
        continue;
      }
      // A plane of symmetry is no clamp, and stress is what it is right up to it.
      for (const std::size_t node : faces[support.face].flushRim(mesh)) points_.add(mesh.nodes()[node]);
    }
    for (const std::size_t face : loadedFaces(setup, setup.cases)) addFace(face);
  }
  bool within(const Vec3& point) const {
    return reach_ > 0 && points_.visitNear(point, [&](int i) {
      return (points_[i] - point).squaredNorm() < reach_ * reach_;
    });
  }

 private:
  double reach_;
  PointGrid points_;
};

void measureQuality(const QuadraticTets& mesh, Proof& proof) {
  TetMesh linear{mesh.nodes(), {}};
  for (const auto& t : mesh.tets()) linear.tets.push_back({t[0], t[1], t[2], t[3]});
  std::vector<std::pair<double, std::size_t>> least;
  for (std::size_t t = 0; t < linear.tets.size(); ++t) {
    const auto range = dihedralRange(linear, t);
    proof.largestAngle = std::max(proof.largestAngle, range[1]);
    least.emplace_back(range[0], t);
    const auto bin = static_cast<std::size_t>(std::clamp(range[0] / 10, 0.0, 7.0));
    ++proof.angleHistogram[bin];
  }
  constexpr std::size_t kWorst = 5;
  const std::size_t count = std::min(kWorst, least.size());
  std::partial_sort(least.begin(), least.begin() + static_cast<std::ptrdiff_t>(count), least.end());
  proof.smallestAngle = least.front().first;
  for (std::size_t w = 0; w < count; ++w) {
    Vec3 centre = Vec3::Zero();
    for (const int v : linear.tets[least[w].second])
      centre += 0.25 * linear.vertices[static_cast<std::size_t>(v)];
    proof.worstAt.push_back(centre);
  }
}

Resultant resultantOf(const QuadraticTets& mesh, const std::vector<double>& forces) {
  Resultant sum;
  for (std::size_t n = 0; n < mesh.nodeCount(); ++n) {
    const Vec3 f = kNodeByNode.at(forces, n);
    sum.force += f;
    sum.moment += mesh.nodes()[n].cross(f);
  }
  return sum;
}

/// @param among corner nodes that count.
StressPeak peakAmong(const TetMaterials& materials, const std::vector<MaterialStress>& stresses,
                     const std::vector<char>& among, const CaseProof& result) {
  StressPeak peak;
  for (std::size_t n = 0; n < among.size(); ++n) {
    if (!among[n]) continue;
    peak.tension = std::max(peak.tension, result.principalMost[n]);
    peak.compression = std::min(peak.compression, result.principalLeast[n]);
    const double used = result.vonMises[n] / materials.materials[stresses[n].material].strength;
    if (used <= peak.used) continue;
    peak.used = used;
    peak.stress = result.vonMises[n];
    peak.node = n;
    peak.spread = stresses[n].spread;
  }
  // The largest of many nodes is one whose tetrahedra happen to agree or not: how far they differ there says
  // less than how far they differ wherever the stress is as high.
  constexpr double kAsHigh = 0.95;
  double squares = 0;
  double count = 0;
  for (std::size_t n = 0; n < among.size(); ++n) {
    if (!among[n] || stresses[n].material != stresses[peak.node].material ||
        result.vonMises[n] < kAsHigh * peak.stress)
      continue;
    squares += stresses[n].spread * stresses[n].spread;
    ++count;
  }
  constexpr double kOfAll = 2;  // by the table in docs/performance.md, "Whether the proof's errors are true"
  if (count > 0) peak.spread = std::max(peak.spread, kOfAll * std::sqrt(squares / count));
  return peak;
}

/// @param stresses of the corner nodes.
void findPeaks(const QuadraticTets& mesh, const TetMaterials& materials,
               const std::vector<MaterialStress>& stresses, const NearFaces& near,
               const std::vector<double>& volumes, const std::vector<ShapePtr>& places, CaseProof& result) {
  std::vector<std::pair<double, double>> judged;  // stress and volume
  std::vector<char> apart(mesh.cornerCount());
  for (std::size_t n = 0; n < apart.size(); ++n) {
    apart[n] = near.within(mesh.nodes()[n]);
    if (result.vonMises[n] <= result.peakStress) continue;
    result.peakStress = result.vonMises[n];
    result.peakAt = mesh.nodes()[n];
  }
  // Where that sets apart all there is, the whole is judged: the peaks at supports are on the safe side.
  result.judgedEverywhere = std::all_of(apart.begin(), apart.end(), [](char a) { return a != 0; });
  if (result.judgedEverywhere) std::fill(apart.begin(), apart.end(), 0);
  double total = 0;
  std::vector<char> counted(apart.size());
  for (std::size_t n = 0; n < counted.size(); ++n) {
    counted[n] = apart[n] == 0;
    if (!counted[n]) continue;
    judged.emplace_back(result.vonMises[n], volumes[n]);
    total += volumes[n];
  }
  const StressPeak peak = peakAmong(materials, stresses, counted, result);
  result.tension = peak.tension;
  result.compression = peak.compression;
  if (peak.used > 0) {
    result.judgedStress = peak.stress;
    result.judgedAt = mesh.nodes()[peak.node];
    result.judgedIn = stresses[peak.node].material;
    result.judgedSpread = peak.spread;
  }
  for (const ShapePtr& place : places) {
    std::vector<char> within(counted.size());
    for (std::size_t n = 0; n < within.size(); ++n)
      within[n] = counted[n] && place->distance(mesh.nodes()[n]) <= 0;
    result.places.push_back(peakAmong(materials, stresses, within, result));
  }
  std::sort(judged.begin(), judged.end());
  double below = 0;
  std::size_t at = 0;
  for (std::size_t p = 0; p < kPercentiles.size(); ++p) {
    while (at < judged.size() && below + judged[at].second < kPercentiles[p] * total)
      below += judged[at++].second;
    if (!judged.empty()) result.percentiles[p] = judged[std::min(at, judged.size() - 1)].first;
  }
  result.safetyFactor = materials.materials[result.judgedIn].strength / result.judgedStress;
}

TetMaterials materialsOf(const QuadraticTets& mesh, const ProofProblem& problem) {
  TetMaterials materials{problem.setup.materials, {}};
  if (problem.regions.empty()) return materials;
  Regions regions;
  regions.materials = problem.regions;
  materials.number.resize(mesh.tets().size());
  forEach(
      materials.number.size(),
      [&](std::size_t t) {
        Vec3 centre = Vec3::Zero();
        for (std::size_t i = 0; i < 4; ++i)
          centre += 0.25 * mesh.nodes()[static_cast<std::size_t>(mesh.tets()[t][i])];
        materials.number[t] = static_cast<std::uint8_t>(regions.materialAt(centre));
      },
      1024);
  return materials;
}

void addMasses(const QuadraticTets& mesh, const ProofProblem& problem, const TetMaterials& materials,
               Proof& proof) {
  std::vector<char> bonded(materials.materials.size(), 0);
  for (const MaterialRegion& region : problem.regions)
    bonded[static_cast<std::size_t>(region.material)] = region.bonded;
  const std::vector<double> volumes = mesh.volumes();
  for (std::size_t t = 0; t < volumes.size(); ++t)
    (bonded[materials.numberOf(t)] ? proof.bonded : proof.mass) += volumes[t] * materials.of(t).density;
}

/// The planes of symmetry among the supports of a case.
std::vector<StressMirror> mirrorsOf(const QuadraticTets& mesh, const ProofProblem& problem,
                                    std::span<const FaceTies> faces, const LoadCase& c,
                                    const Grounding& grounding) {
  std::vector<StressMirror> mirrors;
  std::vector<std::uint8_t> mirrored(mesh.nodeCount(), problem.across == AcrossSheet::held ? 4 : 0);
  for (const std::size_t s : c.supports) {
    const Support& support = problem.setup.supports[s];
    const unsigned directions = mirrorAxis(support, problem.setup.faces[support.face].face);
    if (directions == 0) continue;
    StressMirror mirror;
    while (!(directions >> mirror.axis & 1)) ++mirror.axis;
    mirror.nodes = faces[support.face].nodes;
    mirror.at = mesh.nodes()[mirror.nodes.front()][mirror.axis];
    for (const std::size_t n : mirror.nodes) mirrored[n] |= static_cast<std::uint8_t>(directions);
    mirrors.push_back(std::move(mirror));
  }
  for (StressMirror& mirror : mirrors)  // nodes held otherwise too are on no plane of symmetry
    std::erase_if(mirror.nodes, [&](std::size_t n) { return mirrored[n] != grounding.directionsAt(n); });
  return mirrors;
}

/// A load needs most of its face; a support acts where there is any of it.
void refuseMissingFaces(const Setup& setup, const std::vector<FaceOnMesh>& faces, double spacing) {
  constexpr double kLeastOfLoad = 0.5;
  const auto refuse = [&](const std::string& what, std::size_t face) {
    const double share = faces[face].share();
    throw InputError(fmt::format("{} acts on face {}, but {} of that is on the solid (within {:.2g} mm)",
                                 what, setup.faces[face].name,
                                 share == 0 ? "nothing" : fmt::format("only {:.0f} %", 100 * share),
                                 kFaceReach * spacing * kMillimetresPerMetre),
                     fmt::format("give the part material there with a keep under the face, or the load some "
                                 "'backing'; or more tetrahedra, if {:.2g} mm "
                                 "is too coarse for what is there",
                                 spacing * kMillimetresPerMetre));
  };
  for (const LoadCase& c : setup.cases) {
    for (const LoadCase::Factor& f : c.loads)
      if (const Load& load = setup.loads[f.load];
          setup.actsOnFace(f.load) && faces[load.face].share() < kLeastOfLoad)
        refuse("load " + load.name, load.face);
    for (const std::size_t s : c.supports)
      for (const std::size_t face : facesOf(setup.supports[s]))
        if (faces[face].share() == 0) refuse("support " + setup.supports[s].name, face);
  }
  for (const PointMass& mass : setup.masses)
    if (faces[mass.face].share() < kLeastOfLoad) refuse("mass " + mass.name, mass.face);
  for (const Connection& connection : setup.connections)
    for (const std::size_t face : {connection.first, connection.second})
      if (faces[face].share() < kLeastOfLoad) refuse("connection " + connection.name, face);
}

/// Loads other than temperature, three per node, N; preloads of supports are none.
std::vector<double> forcesOf(const QuadraticTets& mesh, const Setup& setup, const LoadCase& c,
                             std::span<const FaceTies> faces, const TetMaterials& materials) {
  std::vector<double> forces(3 * mesh.nodeCount(), 0.0);
  naming("case", c.name, [&] { kNodeByNode.add(faceForces(setup, c, faces, mesh.nodeCount()), 1, forces); });
  if (const BodyForce force = bodyForce(setup, c); !force.isZero())
    mesh.addBodyForce(materials, force, forces);
  return forces;
}

}  // namespace

std::vector<SurfacePart> partsOf(const ProofProblem& problem, double spacing) {
  requirePositive("spacing", spacing);
  std::vector<SurfacePart> parts;
  const double reach = kFaceReach * spacing;
  constexpr double kAlong = 0.85;  // cosine between the normals: less than at any crease
  for (const NamedFace& named : problem.setup.faces) {
    const auto face = std::make_shared<const Face>(named.face);
    parts.push_back(
        {[face, reach](const Vec3& centre, const Vec3& normal) {
           return std::any_of(face->patches.begin(), face->patches.end(), [&](const Patch& patch) {
             return patch.distance(centre) < 2 * reach && patch.normal(centre).dot(normal) > kAlong;
           });
         },
         [face, reach](const Vec3& point) { return face->covers(point, reach); }});
  }
  return parts;
}

namespace {

CarriedMass carriedOn(const Setup& setup, const std::vector<FaceTies>& ties) {
  CarriedMass carried;
  for (const PointMass& mass : setup.masses) carried.carry(ties[mass.face], mass.at, mass.mass, 3);
  return carried;
}

/// What follows from the displacements of a case.
class CaseEvaluation {
 public:
  CaseEvaluation(const QuadraticTets& mesh, const ProofProblem& problem, const TetMaterials& materials,
                 const std::vector<FaceTies>& ties, const NearFaces& near)
      : mesh_(mesh),
        problem_(problem),
        materials_(materials),
        ties_(ties),
        near_(near),
        volumes_(mesh.cornerVolumes()) {
    const auto positionOf = [&](std::size_t n) { return mesh.nodes()[n]; };
    for (const Support& support : problem.setup.supports)
      on_.emplace_back(problem.setup.faces[support.face].face, ties[support.face], positionOf);
  }

  /// @param load in all, without preloads.
  /// @param bare loads without temperature, of the state `stiff`.
  /// @param result its solve and displacements; the rest is filled in.
  /// @throws RunError if the solve failed.
  void complete(const LoadCase& c, const HeldBody& held, const std::vector<double>& load,
                const std::vector<double>& bare, std::span<const double> stiff, CaseProof& result) const {
    result.name = c.name;
    result.applied = resultantOf(mesh_, load);
    for (std::size_t n = 0; n < mesh_.nodeCount(); ++n)
      result.growthForces += (kNodeByNode.at(load, n) - kNodeByNode.at(bare, n)).norm();
    if (!result.solve.succeeded())
      throw RunError(fmt::format("proof of case {}: {}", c.name, describe(result.solve.stop)),
                     "see that nothing loaded is apart from what is held; where members are thin, give more "
                     "tetrahedra");
    const std::vector<double>& u = result.displacements;
    for (const FaceTies& face : ties_) {
      const RigidMotion motion = face.area > 0 ? meanMotionOn(face, u, kNodeByNode) : RigidMotion{};
      result.faceDisplacement.push_back(motion.shift);
      result.faceRotation.push_back(motion.turn);
    }
    result.compliance = held.compliance(mesh_, materials_, bare, stiff);
    for (std::size_t n = 0; n < mesh_.nodeCount(); ++n)
      result.displacement = std::max(result.displacement, kNodeByNode.at(u, n).norm());
    std::vector<double> balance = mesh_.internalForces(materials_, u);
    for (std::size_t d = 0; d < balance.size(); ++d) balance[d] -= load[d];
    const auto exerted = held.exerted(on_.size(), u, balance);
    for (std::size_t s = 0; s < on_.size(); ++s) result.reactions.push_back(on_[s].reactionOf(exerted[s]));
    const double temperature = temperatureOf(problem_.setup, c);
    addStresses(mesh_.cornerStress(materials_, u, mirrorsOf(mesh_, problem_, ties_, c, held.grounding()),
                                   temperature),
                temperature, result);
  }

 private:
  void addStresses(const std::vector<MaterialStress>& stresses, double temperature, CaseProof& result) const {
    for (const MaterialStress& at : stresses) {
      const auto principal = principalRange(at.stress);
      result.vonMises.push_back(vonMises(at.stress));
      result.principalMost.push_back(principal[0]);
      result.principalLeast.push_back(principal[1]);
    }
    QuadraticTets::Energies energies =
        mesh_.energies(materials_, result.displacements, stresses, temperature);
    result.recoveryGap = energies.gap;
    result.energy = energies.stored;
    result.energyByMaterial = std::move(energies.storedByMaterial);
    findPeaks(mesh_, materials_, stresses, near_, volumes_, problem_.places, result);
  }

  const QuadraticTets& mesh_;
  const ProofProblem& problem_;
  const TetMaterials& materials_;
  const std::vector<FaceTies>& ties_;
  const NearFaces& near_;
  std::vector<double> volumes_;    // round each corner
  std::vector<SupportPieces> on_;  // by support
};

}  // namespace

Proof prove(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
            const ProgressCallback& progress) {
  if (mesh.surface().empty()) throw InputError("there is no body to analyse: its mesh is empty");
  requirePositive("spacing", spacing);
  validate(problem.setup);
  if (problem.setup.materials.empty()) throw InputError("there is no material", "give one or more");
  requireNotNegative("exclusion", problem.exclusion);
  if (problem.frequencies < 0)
    throw InputError(fmt::format("{} frequencies are asked for", problem.frequencies), "give 0 or more");
  if (problem.frequencies > 0 && problem.across != AcrossSheet::body)
    throw InputError("a sheet swings out of its plane first, and is held in it here",
                     "ask for no frequencies");
  for (const ShapePtr& place : problem.places) requireGiven("a place that is judged", place);
  for (const MaterialRegion& region : problem.regions) {
    requireGiven("shape of a region", region.shape);
    requireIndex("material of a region", static_cast<std::size_t>(region.material),
                 problem.setup.materials.size(), "materials");
  }
  const Setup& setup = problem.setup;
  std::vector<FaceOnMesh> faces;
  std::vector<FaceTies> ties;
  for (const NamedFace& face : setup.faces) {
    faces.emplace_back(mesh, face.face, kFaceReach * spacing);
    ties.push_back(faces.back().ties());
  }
  refuseMissingFaces(setup, faces, spacing);
  const NearFaces near(mesh, setup, faces, problem.exclusion);

  Proof proof;
  for (const FaceOnMesh& face : faces) {
    proof.faceShare.push_back(face.share());
    proof.faceOffset.push_back(face.offset());
  }
  const TetMaterials materials = materialsOf(mesh, problem);
  proof.volume = mesh.volume();
  addMasses(mesh, problem, materials, proof);
  proof.tets = mesh.tets().size();
  proof.nodes = mesh.nodeCount();
  measureQuality(mesh, proof);
  proof.cases.resize(setup.cases.size());
  const CaseEvaluation evaluation(mesh, problem, materials, ties, near);
  const std::vector<double> masses =
      problem.frequencies > 0 ? mesh.nodalMasses(materials) : std::vector<double>();
  const CarriedMass carried = problem.frequencies > 0 ? carriedOn(setup, ties) : CarriedMass();
  std::size_t done = 0;
  for (const std::vector<std::size_t>& group : casesBySupports(setup.cases)) {
    const Progress now{"solving case " + setup.cases[group.front()].name,
                       0.1 + 0.9 * static_cast<double>(done) / static_cast<double>(setup.cases.size())};
    report(progress, now.stage, now.fraction);
    done += group.size();
    const HeldBody held(mesh, spacing, problem, materials, ties, setup.cases[group.front()],
                        [&] { return !progress || progress(now); });
    // First what stiffness is told by, then, where temperature or preloads change it, the whole state.
    std::vector<std::vector<double>> bare;
    for (const std::size_t k : group) bare.push_back(forcesOf(mesh, setup, setup.cases[k], ties, materials));
    std::vector<std::vector<double>> solved = bare;
    std::vector<std::size_t> whole(group.size());  // by case: the state in which all acts
    for (std::size_t i = 0; i < group.size(); ++i) {
      whole[i] = i;
      const double change = temperatureOf(setup, setup.cases[group[i]]);
      if (change == 0 && held.preloads().empty()) continue;
      whole[i] = solved.size();
      std::vector<double> all = bare[i];
      if (change != 0) mesh.addGrowthForces(materials, change, all);
      kNodeByNode.add(held.preloads(), 1, all);
      solved.push_back(std::move(all));
    }
    if (problem.frequencies > 0) {
      proof.modes.push_back(held.modes(problem.frequencies, masses, carried));
      proof.modes.back().cases = group;
    }
    std::vector<std::vector<double>> states(solved.size(), std::vector<double>(3 * mesh.nodeCount(), 0.0));
    const std::vector<SolveReport> reports = held.solve(solved, states);
    for (std::size_t i = 0; i < group.size(); ++i) {
      CaseProof& result = proof.cases[group[i]];
      result.solve = reports[whole[i]];
      std::vector<double> load = std::move(solved[whole[i]]);
      if (whole[i] != i) kNodeByNode.add(held.preloads(), -1, load);
      std::vector<double> stiff = states[i];
      result.displacements = std::move(states[whole[i]]);
      evaluation.complete(setup.cases[group[i]], held, load, bare[i], stiff, result);
    }
  }
  return proof;
}

Vec3 CaseProof::unbalanced() const {
  Vec3 sum = applied.force;
  for (const Reaction& reaction : reactions) sum += reaction.force;
  return sum;
}

}  // namespace barelattice
