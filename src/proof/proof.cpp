#include "barelattice/proof/proof.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <optional>
#include <unordered_map>

#include "barelattice/base/error.hpp"
#include "barelattice/base/parallel.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/geometry/triangle_tree.hpp"
#include "barelattice/proof/tet_hierarchy.hpp"

namespace barelattice {
namespace {

/// A face tied to the surface of the mesh: weights of surface nodes for every point.
class MeshAttachment {
 public:
  MeshAttachment(const QuadraticTets& mesh, const TriangleTree& tree, const NamedFace& named,
                 double spacing) {
    for (const SurfacePoint& point : named.face.points) {
      const NearestPoint near = tree.nearest(point.position);
      if (near.distance > spacing) continue;
      Tie tie{mesh.surface()[static_cast<std::size_t>(near.triangle)], point, {}};
      const Vec3& l = near.barycentric;
      for (std::size_t i = 0; i < 3; ++i) {
        const auto a = static_cast<Eigen::Index>(i);
        tie.weight[i] = l[a] * (2 * l[a] - 1);
        tie.weight[3 + i] = 4 * l[a] * l[(a + 1) % 3];
      }
      ties_.push_back(tie);
      area_ += point.area;
    }
    if (area_ < 0.5 * named.face.area())
      throw InputError(
          fmt::format("face {} is not on the solid: {:.0f} % of it lies further than {:.3g} mm away",
                      named.name, 100 * (1 - area_ / named.face.area()), spacing * kMillimetresPerMetre));
  }

  /// Where part of the face is not on the solid, the rest carries its share.
  void addAction(const FaceAction& action, double faceArea, std::vector<double>& forces) const {
    const FaceAction whole = action * (faceArea / area_);
    for (const Tie& tie : ties_) {
      const Vec3 force = whole.on(tie.point, faceArea);
      for (std::size_t k = 0; k < 6; ++k)
        for (int i = 0; i < 3; ++i)
          forces[3 * static_cast<std::size_t>(tie.nodes[k]) + static_cast<std::size_t>(i)] +=
              tie.weight[k] * force[i];
    }
  }

  Vec3 mean(std::span<const double> field) const {
    Vec3 sum = Vec3::Zero();
    for (const Tie& tie : ties_)
      for (std::size_t k = 0; k < 6; ++k)
        for (int i = 0; i < 3; ++i)
          sum[i] += tie.point.area / area_ * tie.weight[k] *
                    field[3 * static_cast<std::size_t>(tie.nodes[k]) + static_cast<std::size_t>(i)];
    return sum;
  }

  /// Nodes on the face: the corners of the mesh's surface that lie on it, and the middles between two of
  /// them. Nodes of triangles that only reach onto the face stay free, or a coarse mesh would hold a larger
  /// face than a fine one. Where the surface follows the face too loosely for that (a solid from outside),
  /// all nodes of the triangles below the face's points are held.
  void holdNodes(const QuadraticTets& mesh, const Face& face, double spacing,
                 std::vector<std::uint8_t>& held) const {
    constexpr double kOn = 0.1;     // spacings a corner may lie off the face's surface
    constexpr double kNear = 0.35;  // spacings it may lie from the nearest of the face's points
    std::unordered_map<int, char> on;
    for (const Tie& tie : ties_)
      for (std::size_t k = 0; k < 3; ++k) {
        char& fits = on[tie.nodes[k]];
        const Vec3& node = mesh.nodes()[static_cast<std::size_t>(tie.nodes[k])];
        fits = fits || ((node - tie.point.position).norm() < kNear * spacing &&
                        std::any_of(face.patches.begin(), face.patches.end(), [&](const Patch& patch) {
                          return patch.distance(node) < kOn * spacing;
                        }));
      }
    std::size_t corners = 0;
    for (const auto& [node, fits] : on) corners += fits ? 1U : 0U;
    constexpr std::size_t kEnough = 3;
    constexpr double kShare = 0.0625;
    for (const Tie& tie : ties_)
      for (std::size_t k = 0; k < 6; ++k) {
        const bool fits = k < 3 ? on[tie.nodes[k]] : on[tie.nodes[k - 3]] && on[tie.nodes[(k - 2) % 3]];
        if (corners >= kEnough ? fits : std::abs(tie.weight[k]) > kShare)
          held[static_cast<std::size_t>(tie.nodes[k])] = 1;
      }
  }

 private:
  struct Tie {
    std::array<int, 6> nodes;
    SurfacePoint point;
    std::array<double, 6> weight;
  };
  std::vector<Tie> ties_;
  double area_ = 0;
};

/// Distance from points to the nearest support or load face, through a hash grid of the faces' points.
class NearFaces {
 public:
  NearFaces(const ProofProblem& problem, double reach) : reach_(reach) {
    if (!(reach > 0)) return;
    const auto add = [&](std::size_t face) {
      for (const SurfacePoint& point : problem.faces[face].face.points)
        cells_[key(index(point.position))].push_back(point.position);
    };
    for (const FaceHold& support : problem.supports) add(support.face);
    for (const ProofCase& c : problem.cases)
      for (const FaceLoad& load : c.loads) add(load.face);
  }
  bool within(const Vec3& point) const {
    if (!(reach_ > 0)) return false;
    const auto home = index(point);
    for (int k = 0; k < 27; ++k) {
      const auto found =
          cells_.find(key({home[0] + k % 3 - 1, home[1] + k / 3 % 3 - 1, home[2] + k / 9 - 1}));
      if (found == cells_.end()) continue;
      for (const Vec3& p : found->second)
        if ((p - point).squaredNorm() < reach_ * reach_) return true;
    }
    return false;
  }

 private:
  std::array<int, 3> index(const Vec3& p) const {
    return {static_cast<int>(std::floor(p.x() / reach_)), static_cast<int>(std::floor(p.y() / reach_)),
            static_cast<int>(std::floor(p.z() / reach_))};
  }
  static std::uint64_t key(const std::array<int, 3>& i) {
    constexpr std::uint64_t kMask = (1U << 21) - 1;
    std::uint64_t k = 0;
    for (const int n : i) k = k << 21 | (static_cast<std::uint64_t>(n) & kMask);
    return k;
  }
  double reach_;
  std::unordered_map<std::uint64_t, std::vector<Vec3>> cells_;
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

Resultant resultantOf(const QuadraticTets& mesh, const std::vector<double>& forces,
                      const std::vector<std::uint8_t>* only) {
  Resultant sum;
  for (std::size_t n = 0; n < mesh.nodeCount(); ++n) {
    if (only && !(*only)[n]) continue;
    const Vec3 f(forces[3 * n], forces[3 * n + 1], forces[3 * n + 2]);
    sum.force += f;
    sum.moment += mesh.nodes()[n].cross(f);
  }
  return sum;
}

/// Sums a field of nodal forces over the nodes that `owner` gives to one support.
Resultant resultantAt(const QuadraticTets& mesh, const std::vector<double>& forces,
                      const std::vector<int>& owner, int support) {
  std::vector<std::uint8_t> only(owner.size());
  for (std::size_t n = 0; n < owner.size(); ++n) only[n] = owner[n] == support;
  return resultantOf(mesh, forces, &only);
}

/// @param in the material the stress of each corner node is in.
void findPeaks(const QuadraticTets& mesh, const TetMaterials& materials, const std::vector<std::size_t>& in,
               const NearFaces& near, const std::vector<double>& volumes, CaseProof& result) {
  std::vector<std::pair<double, double>> judged;  // stress and volume
  double total = 0;
  double most = 0;  // share of its strength a material uses
  for (std::size_t n = 0; n < mesh.cornerCount(); ++n) {
    const double stress = result.vonMises[n];
    if (stress > result.peakStress) {
      result.peakStress = stress;
      result.peakAt = mesh.nodes()[n];
    }
    if (near.within(mesh.nodes()[n])) continue;
    judged.emplace_back(stress, volumes[n]);
    total += volumes[n];
    result.tension = std::max(result.tension, result.principalMost[n]);
    result.compression = std::min(result.compression, result.principalLeast[n]);
    const double used = stress / materials.materials[in[n]].strength;
    if (used > most) {
      most = used;
      result.judgedStress = stress;
      result.judgedAt = mesh.nodes()[n];
      result.judgedIn = in[n];
    }
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
  TetMaterials materials{{problem.material}, {}};
  if (problem.materials.empty()) return materials;
  materials.materials.insert(materials.materials.end(), problem.otherMaterials.begin(),
                             problem.otherMaterials.end());
  Regions regions;
  regions.materials = problem.materials;
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
  for (const MaterialRegion& region : problem.materials)
    bonded[static_cast<std::size_t>(region.material)] = region.bonded;
  const std::vector<double> volumes = mesh.volumes();
  for (std::size_t t = 0; t < volumes.size(); ++t)
    (bonded[materials.numberOf(t)] ? proof.bonded : proof.mass) += volumes[t] * materials.of(t).density;
}

/// The stiffness under one set of supports, ready to solve.
class Held {
 public:
  Held(const QuadraticTets& mesh, double spacing, const ProofProblem& problem, const TetMaterials& materials,
       const std::vector<MeshAttachment>& attached, const std::vector<std::size_t>& supports)
      : mask_(mesh.nodeCount(), problem.holdAcross ? 4 : 0), owner_(mesh.nodeCount(), -1) {
    for (const std::size_t s : supports) {
      std::vector<std::uint8_t> nodes(mesh.nodeCount(), 0);
      const std::size_t face = problem.supports[s].face;
      attached[face].holdNodes(mesh, problem.faces[face].face, spacing, nodes);
      for (std::size_t n = 0; n < nodes.size(); ++n) {
        if (!nodes[n]) continue;
        mask_[n] |= static_cast<std::uint8_t>(problem.supports[s].directions);
        if (owner_[n] < 0) owner_[n] = static_cast<int>(s);  // a node of two faces is counted once
      }
    }
    stiffness_ = mesh.stiffness(materials, mask_);
    multigrid_ = buildTetHierarchy(mesh, spacing, stiffness_);
  }

  /// Displacements in units of the inverse of the first material's modulus.
  SolveReport solve(std::vector<double> load, std::vector<double>& u) const {
    clear(load);
    constexpr double kEnergyTolerance = 1e-8;  // compliances to eight digits, displacements to four
    constexpr int kMostIterations = 400;
    const SolveReport report = solveConjugateGradients(
        [&](std::span<const double> x, std::span<double> y) { stiffness_.apply(x, y); },
        [&](std::span<const double> r, std::span<double> z) { multigrid_->apply(r, z); }, load, u,
        {kEnergyTolerance, kMostIterations});
    clear(u);  // coarse corrections leave values at held components, where there is no stiffness to see them
    return report;
  }
  const std::vector<int>& owner() const { return owner_; }

 private:
  void clear(std::vector<double>& field) const {
    for (std::size_t n = 0; n < mask_.size(); ++n)
      for (std::size_t i = 0; i < 3; ++i)
        if (mask_[n] >> i & 1) field[3 * n + i] = 0;
  }

  std::vector<std::uint8_t> mask_;  // held components by node
  std::vector<int> owner_;          // the support a node's reaction is told with, or -1
  BlockMatrix<3, double> stiffness_;
  std::unique_ptr<Multigrid> multigrid_;
};

}  // namespace

Proof prove(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
            const ProgressCallback& progress) {
  const TriangleMesh surface = mesh.surfaceTriangles();
  if (surface.triangles.empty()) throw InputError("there is no body to analyse: its mesh is empty");
  const TriangleTree tree(surface);
  std::vector<MeshAttachment> attached;
  attached.reserve(problem.faces.size());
  for (const NamedFace& face : problem.faces) attached.emplace_back(mesh, tree, face, spacing);
  const NearFaces near(problem, problem.exclusion);
  const std::vector<double> volumes = mesh.cornerVolumes();

  Proof proof;
  const TetMaterials materials = materialsOf(mesh, problem);
  proof.volume = mesh.volume();
  addMasses(mesh, problem, materials, proof);
  proof.tets = mesh.tets().size();
  proof.nodes = mesh.nodeCount();
  measureQuality(mesh, proof);
  std::unique_ptr<Held> held;
  const std::vector<std::size_t>* heldFor = nullptr;
  for (const ProofCase& c : problem.cases) {
    report(progress, "solving case " + c.name,
           0.1 + 0.9 * static_cast<double>(proof.cases.size()) / static_cast<double>(problem.cases.size()));
    if (!heldFor || *heldFor != c.supports) {
      held.reset();  // before the next one is built: two would not fit side by side
      held = std::make_unique<Held>(mesh, spacing, problem, materials, attached, c.supports);
      heldFor = &c.supports;
    }
    CaseProof result;
    result.name = c.name;
    std::vector<double> load(3 * mesh.nodeCount(), 0.0);
    for (const FaceLoad& l : c.loads)
      attached[l.face].addAction(l.action, problem.faces[l.face].face.area(), load);
    result.applied = resultantOf(mesh, load, nullptr);
    std::vector<double>& u = result.displacements;
    u.assign(3 * mesh.nodeCount(), 0.0);
    result.solve = held->solve(load, u);
    if (!result.solve.succeeded())
      throw RunError(fmt::format("proof of case {}: {}", c.name, describe(result.solve.stop)),
                     "see that nothing loaded is apart from what is held; where members are thin, give more "
                     "tetrahedra");
    for (double& value : u) value /= problem.material.modulus;
    for (const MeshAttachment& face : attached) result.faceDisplacement.push_back(face.mean(u));
    for (std::size_t i = 0; i < load.size(); ++i) result.compliance += load[i] * u[i];
    for (std::size_t n = 0; n < mesh.nodeCount(); ++n)
      result.displacement = std::max(result.displacement, Vec3(u[3 * n], u[3 * n + 1], u[3 * n + 2]).norm());
    std::vector<double> reaction = mesh.internalForces(materials, u);
    for (std::size_t i = 0; i < reaction.size(); ++i) reaction[i] -= load[i];
    for (std::size_t s = 0; s < problem.supports.size(); ++s)
      result.reactions.push_back(resultantAt(mesh, reaction, held->owner(), static_cast<int>(s)));
    std::vector<std::size_t> in;
    for (const auto& [stress, material] : mesh.cornerStress(materials, u)) {
      const auto principal = principalRange(stress);
      in.push_back(material);
      result.vonMises.push_back(vonMises(stress));
      result.principalMost.push_back(principal[0]);
      result.principalLeast.push_back(principal[1]);
    }
    findPeaks(mesh, materials, in, near, volumes, result);
    proof.cases.push_back(std::move(result));
  }
  return proof;
}

Vec3 CaseProof::unbalanced() const {
  Vec3 sum = applied.force;
  for (const Resultant& reaction : reactions) sum += reaction.force;
  return sum;
}

Estimated extrapolated(double coarse, double fine, double ratio, int order) {
  return {fine, coarse, std::abs(fine - coarse) / (std::pow(ratio, order) - 1)};
}

std::string describe(Verdict verdict) {
  switch (verdict) {
    case Verdict::met:
      return "met";
    case Verdict::notMet:
      return "not met";
    case Verdict::inconclusive:
      return "inconclusive";
  }
  return {};
}

Estimated factorFrom(const Estimated& used) {
  const double factor = 1 / used.value;
  return {factor, 1 / used.coarse, used.error == 0 ? 0 : factor - 1 / (used.value + used.error)};
}

namespace {

int rank(Verdict verdict) {
  return verdict == Verdict::met ? 0 : verdict == Verdict::inconclusive ? 1 : 2;
}

/// About how many tetrahedra bring an error of an order below a margin.
/// @param perRatio their number on the fine mesh over that on the coarse one, `ratio` the same for spacings.
double tetsFor(double margin, double error, int order, double tets, double perRatio, double ratio) {
  constexpr double kMost = 20e6;
  const double dimension = std::clamp(std::log(perRatio) / std::log(ratio), 2.0, 3.0);
  const double needed = tets * std::pow(error / margin, dimension / order);
  return needed < kMost ? needed : 0;
}

/// One figure, which is to be at most `bound`, from both meshes.
Judgement judged(const Requirement& requirement, double coarse, double fine, int order, double bound,
                 double ratio, double agreement) {
  Judgement j{requirement, extrapolated(coarse, fine, ratio, order), {}, Verdict::inconclusive};
  const double over = j.value.value - bound;
  // Meshes that disagree are too coarse for the assumed order: the customary factor of three for studies of
  // two meshes (Roache 1994) then keeps the estimate on the safe side.
  if (j.value.difference() > agreement) j.value.error *= 3;
  if (over + j.value.error <= 0) j.verdict = Verdict::met;
  if (over - j.value.error > 0) j.verdict = Verdict::notMet;
  return j;
}

}  // namespace

Verdict overall(const std::vector<Judgement>& judgements) {
  Verdict worst = Verdict::met;
  for (const Judgement& j : judgements)
    if (rank(j.verdict) > rank(worst)) worst = j.verdict;
  return worst;
}

std::vector<Judgement> judge(const Proof& coarse, const Proof& proof, double ratio, double agreement,
                             const ProofProblem& problem, const std::vector<Requirement>& requirements) {
  constexpr int kChamferOrder = 2;  // what meshes cut off edges goes with the square of the spacing
  std::vector<Judgement> judgements;
  for (const Requirement& requirement : requirements) {
    const bool least = requirement.kind == Requirement::Kind::safetyFactor;
    // Of a safety factor the share of the strength that is used is judged.
    const double bound = least ? 1 / requirement.bound : requirement.bound;
    int order = kChamferOrder;
    std::optional<Judgement> worst;
    const auto account = [&](double rough, double fine, const std::string& name) {
      Judgement j = judged(requirement, rough, fine, order, bound, ratio, agreement);
      j.worstCase = name;
      const bool worse = !worst || rank(j.verdict) > rank(worst->verdict) ||
                         (j.verdict == worst->verdict && j.value.value > worst->value.value);
      if (worse) worst = std::move(j);
    };
    if (requirement.kind == Requirement::Kind::mass) {
      account(coarse.mass, proof.mass, {});
    } else {
      const auto face = std::find_if(problem.faces.begin(), problem.faces.end(),
                                     [&](const NamedFace& f) { return f.name == requirement.face; });
      if (!least && face == problem.faces.end())
        throw InputError("a requirement names the unknown face " + requirement.face);
      const auto number = static_cast<std::size_t>(face - problem.faces.begin());
      order = least ? kStressOrder : kDisplacementOrder;
      for (std::size_t k = 0; k < proof.cases.size(); ++k) {
        const CaseProof& rough = coarse.cases[k];
        const CaseProof& fine = proof.cases[k];
        if (least)
          account(1 / rough.safetyFactor, 1 / fine.safetyFactor, fine.name);
        else
          account(rough.faceDisplacement[number].norm(), fine.faceDisplacement[number].norm(), fine.name);
      }
    }
    if (!worst) continue;
    if (worst->verdict == Verdict::inconclusive && coarse.tets > 0)
      worst->decidingTets = tetsFor(
          std::abs(worst->value.value - bound), worst->value.error, order, static_cast<double>(proof.tets),
          static_cast<double>(proof.tets) / static_cast<double>(coarse.tets), ratio);
    if (least) worst->value = factorFrom(worst->value);
    judgements.push_back(std::move(*worst));
  }
  return judgements;
}

std::vector<std::string> doubts(const Proof& coarse, const Proof& proof) {
  constexpr double kUnbalanced = 0.01;  // of the load; a solve at its tolerance leaves far less
  constexpr double kApart = 10;
  std::vector<std::string> sentences;
  for (std::size_t k = 0; k < proof.cases.size(); ++k) {
    const CaseProof& c = proof.cases[k];
    // Loads in balance with each other have no resultant: then the force that the work done stands for.
    double force = std::max(c.applied.force.norm(), c.displacement > 0 ? c.compliance / c.displacement : 0);
    for (const Resultant& reaction : c.reactions) force = std::max(force, reaction.force.norm());
    const double left = c.unbalanced().norm();
    if (left > kUnbalanced * force)
      sentences.push_back(
          fmt::format("in case {} {:.3g} of {:.3g} N are not balanced: the body may be free to move", c.name,
                      left, force));
    const double ratio = c.compliance / coarse.cases[k].compliance;
    if (ratio > kApart || ratio < 1 / kApart)
      sentences.push_back(fmt::format(
          "in case {} the compliances of both meshes are {:.2g} to 1: the body hardly holds together, or is "
          "free to move",
          c.name, std::max(ratio, 1 / ratio)));
  }
  return sentences;
}

}  // namespace barelattice
