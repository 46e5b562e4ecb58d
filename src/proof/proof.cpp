#include "barelattice/proof/proof.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
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
      Tie tie{mesh.surface()[static_cast<std::size_t>(near.triangle)], point.area, {}};
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

  void addForce(const Vec3& force, std::vector<double>& forces) const {
    for (const Tie& tie : ties_)
      for (std::size_t k = 0; k < 6; ++k)
        for (int i = 0; i < 3; ++i)
          forces[3 * static_cast<std::size_t>(tie.nodes[k]) + static_cast<std::size_t>(i)] +=
              tie.area / area_ * tie.weight[k] * force[i];
  }

  Vec3 mean(std::span<const double> field) const {
    Vec3 sum = Vec3::Zero();
    for (const Tie& tie : ties_)
      for (std::size_t k = 0; k < 6; ++k)
        for (int i = 0; i < 3; ++i)
          sum[i] += tie.area / area_ * tie.weight[k] *
                    field[3 * static_cast<std::size_t>(tie.nodes[k]) + static_cast<std::size_t>(i)];
    return sum;
  }

  /// Nodes that carry at least a sixteenth of a point: all nodes of the triangles below the face's inside.
  void holdNodes(std::vector<std::uint8_t>& held) const {
    constexpr double kShare = 0.0625;
    for (const Tie& tie : ties_)
      for (std::size_t k = 0; k < 6; ++k)
        if (std::abs(tie.weight[k]) > kShare) held[static_cast<std::size_t>(tie.nodes[k])] = 1;
  }

 private:
  struct Tie {
    std::array<int, 6> nodes;
    double area;
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
    for (const std::size_t face : problem.supports) add(face);
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
  proof.smallestAngle = 180;
  TetMesh linear{mesh.nodes(), {}};
  for (const auto& t : mesh.tets()) linear.tets.push_back({t[0], t[1], t[2], t[3]});
  for (std::size_t t = 0; t < linear.tets.size(); ++t) {
    const auto range = dihedralRange(linear, t);
    proof.largestAngle = std::max(proof.largestAngle, range[1]);
    if (range[0] >= proof.smallestAngle) continue;
    proof.smallestAngle = range[0];
    proof.worstAt = Vec3::Zero();
    for (const int v : linear.tets[t]) proof.worstAt += 0.25 * linear.vertices[static_cast<std::size_t>(v)];
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

void findPeaks(const QuadraticTets& mesh, const ProofProblem& problem, const NearFaces& near,
               CaseProof& result) {
  for (std::size_t n = 0; n < mesh.cornerCount(); ++n) {
    const double stress = result.vonMises[n];
    if (stress > result.peakStress) {
      result.peakStress = stress;
      result.peakAt = mesh.nodes()[n];
    }
    if (stress > result.judgedStress && !near.within(mesh.nodes()[n])) {
      result.judgedStress = stress;
      result.judgedAt = mesh.nodes()[n];
    }
  }
  result.safetyFactor = problem.material.strength / result.judgedStress;
}

}  // namespace

Proof prove(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
            const ProgressCallback& progress) {
  const TriangleMesh surface = mesh.surfaceTriangles();
  const TriangleTree tree(surface);
  std::vector<MeshAttachment> attached;
  attached.reserve(problem.faces.size());
  for (const NamedFace& face : problem.faces) attached.emplace_back(mesh, tree, face, spacing);

  std::vector<std::uint8_t> held(mesh.nodeCount(), 0);
  std::vector<std::vector<std::uint8_t>> heldBy;
  for (const std::size_t support : problem.supports) {
    heldBy.emplace_back(mesh.nodeCount(), 0);
    attached[support].holdNodes(heldBy.back());
    for (std::size_t n = 0; n < held.size(); ++n) held[n] |= heldBy.back()[n];
  }

  report(progress, "assembling the stiffness", 0.05);
  const BlockMatrix<3, double> stiffness = mesh.stiffness(problem.material.poisson, held);
  const std::unique_ptr<Multigrid> multigrid = buildTetHierarchy(mesh, spacing, stiffness);
  const NearFaces near(problem, problem.exclusion);

  Proof proof;
  proof.volume = mesh.volume();
  proof.mass = proof.volume * problem.material.density;
  proof.tets = mesh.tets().size();
  proof.nodes = mesh.nodeCount();
  measureQuality(mesh, proof);
  for (const ProofCase& c : problem.cases) {
    report(progress, "solving case " + c.name,
           0.2 + 0.8 * static_cast<double>(proof.cases.size()) / static_cast<double>(problem.cases.size()));
    CaseProof result;
    result.name = c.name;
    std::vector<double> load(3 * mesh.nodeCount(), 0.0);
    for (const FaceLoad& l : c.loads) attached[l.face].addForce(l.force, load);
    result.applied = resultantOf(mesh, load, nullptr);
    std::vector<double> free = load;
    for (std::size_t n = 0; n < held.size(); ++n)
      if (held[n]) std::fill_n(free.begin() + static_cast<std::ptrdiff_t>(3 * n), 3, 0.0);
    std::vector<double>& u = result.displacements;
    u.assign(3 * mesh.nodeCount(), 0.0);
    constexpr double kEnergyTolerance = 1e-8;  // compliances to eight digits, displacements to four
    result.solve = solveConjugateGradients(
        [&](std::span<const double> x, std::span<double> y) { stiffness.apply(x, y); },
        [&](std::span<const double> r, std::span<double> z) { multigrid->apply(r, z); }, free, u,
        {kEnergyTolerance, 400});
    if (!result.solve.succeeded())
      throw RunError(fmt::format("proof of case {}: {}", c.name, describe(result.solve.stop)));
    for (double& value : u) value /= problem.material.modulus;
    for (const MeshAttachment& face : attached) result.faceDisplacement.push_back(face.mean(u));
    for (const FaceLoad& l : c.loads) result.compliance += l.force.dot(result.faceDisplacement[l.face]);
    for (std::size_t n = 0; n < mesh.nodeCount(); ++n)
      result.displacement = std::max(result.displacement, Vec3(u[3 * n], u[3 * n + 1], u[3 * n + 2]).norm());
    std::vector<double> reaction = mesh.internalForces(problem.material, u);
    for (std::size_t i = 0; i < reaction.size(); ++i) reaction[i] -= load[i];
    for (const auto& nodes : heldBy) result.reactions.push_back(resultantOf(mesh, reaction, &nodes));
    for (const Stress& stress : mesh.cornerStress(problem.material, u))
      result.vonMises.push_back(vonMises(stress));
    findPeaks(mesh, problem, near, result);
    proof.cases.push_back(std::move(result));
  }
  return proof;
}

SurfaceGap surfaceGap(const TriangleMesh& a, const TriangleMesh& b) {
  SurfaceGap gap;
  const auto oneWay = [&](const TriangleMesh& from, const TriangleMesh& to) {
    const TriangleTree tree(to);
    std::vector<char> used(from.vertices.size(), 0);
    for (const auto& t : from.triangles)
      for (const int v : t) used[static_cast<std::size_t>(v)] = 1;
    std::vector<double> distance(from.vertices.size(), 0.0);
    forEach(
        distance.size(),
        [&](std::size_t v) { distance[v] = used[v] ? tree.nearest(from.vertices[v]).distance : 0; }, 256);
    double sum = 0;
    double count = 0;
    for (std::size_t v = 0; v < distance.size(); ++v) {
      sum += distance[v];
      count += used[v];
      gap.largest = std::max(gap.largest, distance[v]);
    }
    return sum / count;
  };
  gap.mean = 0.5 * (oneWay(a, b) + oneWay(b, a));
  return gap;
}

std::optional<double> measuredDiameter(const TriangleMesh& surface, const Patch& cylinder, double tolerance) {
  const Vec3 axis = cylinder.direction();
  double sum = 0;
  int count = 0;
  for (const Vec3& vertex : surface.vertices) {
    const Vec3 offset = vertex - cylinder.origin;
    const double along = axis.dot(offset);
    if (along < 0 || along > cylinder.v.norm()) continue;
    const double radius = (offset - along * axis).norm();
    if (std::abs(radius - cylinder.radius) > tolerance) continue;
    sum += radius;
    ++count;
  }
  if (count < 8) return std::nullopt;
  return 2 * sum / count;
}

std::vector<Judgement> judge(const Proof& proof, const ProofProblem& problem,
                             const std::vector<Requirement>& requirements) {
  std::vector<Judgement> judgements;
  for (const Requirement& requirement : requirements) {
    Judgement j{requirement, 0, {}, Verdict::notMet};
    if (requirement.kind == Requirement::Kind::mass) {
      j.value = proof.mass;
    } else {
      const auto face = std::find_if(problem.faces.begin(), problem.faces.end(),
                                     [&](const NamedFace& f) { return f.name == requirement.face; });
      if (face == problem.faces.end())
        throw InputError("a requirement names the unknown face " + requirement.face);
      for (const CaseProof& c : proof.cases) {
        const double value =
            c.faceDisplacement[static_cast<std::size_t>(face - problem.faces.begin())].norm();
        if (value < j.value) continue;
        j.value = value;
        j.worstCase = c.name;
      }
    }
    j.verdict = j.value <= requirement.most ? Verdict::met : Verdict::notMet;
    judgements.push_back(std::move(j));
  }
  return judgements;
}

}  // namespace barelattice
