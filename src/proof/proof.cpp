#include "barelattice/proof/proof.hpp"

#include <fmt/format.h>

#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <numbers>
#include <optional>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/mechanics/grounding.hpp"
#include "base/check.hpp"
#include "base/groups.hpp"
#include "base/parallel.hpp"
#include "meshes/point_grid.hpp"
#include "solve/conjugate_gradients.hpp"
#include "solve/eigenpairs.hpp"
#include "solve/low_rank.hpp"
#include "solve/superposition.hpp"
#include "solve/vectors.hpp"
#include "tets/face_on_mesh.hpp"
#include "tets/tet_hierarchy.hpp"

namespace barelattice {
namespace {

constexpr DofOrder kNodeByNode{3, 1, 3};

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

/// @param stresses of the corner nodes.
void findPeaks(const QuadraticTets& mesh, const TetMaterials& materials,
               const std::vector<MaterialStress>& stresses, const NearFaces& near,
               const std::vector<double>& volumes, CaseProof& result) {
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
  double most = 0;  // share of its strength a material uses
  for (std::size_t n = 0; n < mesh.cornerCount(); ++n) {
    if (apart[n]) continue;
    const double stress = result.vonMises[n];
    judged.emplace_back(stress, volumes[n]);
    total += volumes[n];
    result.tension = std::max(result.tension, result.principalMost[n]);
    result.compression = std::min(result.compression, result.principalLeast[n]);
    const double used = stress / materials.materials[stresses[n].material].strength;
    if (used > most) {
      most = used;
      result.judgedStress = stress;
      result.judgedAt = mesh.nodes()[n];
      result.judgedIn = stresses[n].material;
      result.judgedSpread = stresses[n].spread;
    }
  }
  // The largest of many nodes is one whose tetrahedra happen to agree or not: how far they differ there says
  // less than how far they differ wherever the stress is as high.
  constexpr double kAsHigh = 0.95;
  double squares = 0;
  double count = 0;
  for (std::size_t n = 0; n < mesh.cornerCount(); ++n) {
    if (apart[n] || stresses[n].material != result.judgedIn ||
        result.vonMises[n] < kAsHigh * result.judgedStress)
      continue;
    squares += stresses[n].spread * stresses[n].spread;
    ++count;
  }
  constexpr double kOfAll = 2;  // by the table in docs/performance.md, "Whether the proof's errors are true"
  if (count > 0) result.judgedSpread = std::max(result.judgedSpread, kOfAll * std::sqrt(squares / count));
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

/// The nodes of each piece of the mesh, in the order of its first node.
std::vector<std::vector<std::size_t>> piecesOf(const QuadraticTets& mesh) {
  Groups groups(mesh.nodeCount());
  for (const auto& tet : mesh.tets())
    for (const int n : tet) groups.join(tet[0], n);
  std::vector<std::vector<std::size_t>> pieces;
  std::vector<int> place(mesh.nodeCount(), -1);  // by the node that stands for the piece
  for (std::size_t n = 0; n < mesh.nodeCount(); ++n) {
    int& piece = place[static_cast<std::size_t>(groups.find(static_cast<int>(n)))];
    if (piece < 0) {
      piece = static_cast<int>(pieces.size());
      pieces.emplace_back();
    }
    pieces[static_cast<std::size_t>(piece)].push_back(n);
  }
  return pieces;
}

/// The stiffness under one set of supports, ready to solve.
class HeldBody {
 public:
  HeldBody(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
           const TetMaterials& materials, std::span<const FaceTies> faces, const LoadCase& c,
           std::function<bool()> goOn)
      : goOn_(std::move(goOn)),
        modulus_(materials.materials.front().modulus),
        grounding_(grounded(problem.setup, c, faces)) {
    if (problem.across == AcrossSheet::held)
      for (std::size_t n = 0; n < mesh.nodeCount(); ++n)
        grounding_.hold(n, Vec3::UnitZ(), Grounding::kNobody);
    const std::vector<std::vector<std::size_t>> pieces = piecesOf(mesh);
    refuseFreeMotions(mesh, problem.across != AcrossSheet::body, pieces, c.name);
    if (problem.across == AcrossSheet::free)
      for (const std::vector<std::size_t>& piece : pieces) holdInPlane(mesh, piece);
    supports_ = grounding_.nodes();
    for (const NodeSupport<3>& support : supports_)
      requireIndex("node of a support", support.node, mesh.nodeCount(), "nodes");
    for (const Coupling& coupling : grounding_.couplings())
      for (const NodalVectors& motion : coupling.motions)
        for (const NodalVector& at : motion)
          requireIndex("node of a coupling", at.node, mesh.nodeCount(), "nodes");
    moved_ = grounding_.moved();
    preloads_ = grounding_.preloads();
    if (!moved_.empty()) {
      std::vector<double> moved(3 * mesh.nodeCount(), 0.0);
      kNodeByNode.add(moved_, 1, moved);
      pull_ = mesh.internalForces(materials, moved);
      for (const NodeSupport<3>& support : supports_)
        kNodeByNode.add({{support.node, support.spring * kNodeByNode.at(moved, support.node)}}, 1, pull_);
    }
    stiffness_ = mesh.stiffness(materials, supports_);
    added_ = LowRank(grounding_.couplings(), kNodeByNode, 3 * mesh.nodeCount(), modulus_, spacing,
                     [this](std::span<double> field) { project(field); });
    multigrid_ = buildTetHierarchy(mesh, spacing, stiffness_, added_);
    if (!added_.empty())
      added_.renew([&](const auto& r, const auto& z) { multigrid_->apply(r, z); }, 3 * mesh.nodeCount());
  }

  /// Displacements under several loads (N, preloads among them), m. The stiffness passes once for all of
  /// those that are no sums of others. What nodes are held at, u_p, adds to each: u = u_p + v with K v = f -
  /// K u_p.
  std::vector<SolveReport> solve(std::vector<std::vector<double>> loads,
                                 std::vector<std::vector<double>>& displacements) const {
    for (std::vector<double>& load : loads) {
      for (std::size_t d = 0; d < pull_.size(); ++d) load[d] -= pull_[d];
      project(load);
    }
    const auto count = static_cast<Eigen::Index>(loads.size());
    Eigen::MatrixXd products(count, count);
    for (std::size_t i = 0; i < loads.size(); ++i)
      for (std::size_t j = 0; j < loads.size(); ++j)
        products(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = dot(loads[i], loads[j]);
    const Superposition sums = superposed(products);
    std::vector<SolveReport> reports(loads.size());
    solveThose(sums.base, loads, displacements, reports);
    std::vector<std::size_t> inDoubt;
    for (std::size_t k = 0; k < loads.size(); ++k) {
      if (sums.isBase(k)) continue;
      double error = 0;  // energy norm; those of the parts add up
      for (std::size_t b = 0; b < sums.base.size(); ++b) {
        const double factor = sums.combination(static_cast<Eigen::Index>(k), static_cast<Eigen::Index>(b));
        const std::vector<double>& own = displacements[sums.base[b]];
        forEach(own.size(), [&](std::size_t d) { displacements[k][d] += factor * own[d]; });
        error +=
            std::abs(factor) * std::sqrt(reports[sums.base[b]].energyError * dot(loads[sums.base[b]], own));
      }
      reports[k].energyError = error * error / dot(loads[k], displacements[k]);
      if (!(reports[k].energyError <= kSumsErrorBy * kEnergyTolerance)) inDoubt.push_back(k);
    }
    if (!inDoubt.empty()) solveThose(inDoubt, loads, displacements, reports);
    // Coarse corrections leave values at held components, where there is no stiffness to see them.
    for (std::vector<double>& u : displacements) {
      project(u);
      for (double& value : u) value /= modulus_;
      kNodeByNode.add(moved_, 1, u);
    }
    return reports;
  }

  /// The compliance of a state without preloads, see CaseProof.
  double compliance(const QuadraticTets& mesh, const TetMaterials& materials, std::span<const double> load,
                    std::span<const double> u) const {
    double work = 0;
    for (std::size_t d = 0; d < load.size(); ++d) work += load[d] * u[d];
    if (moved_.empty()) return work;
    const std::vector<double> internal = mesh.internalForces(materials, u);
    return work + kNodeByNode.dot(moved_, load) - kNodeByNode.dot(moved_, internal);
  }
  const NodalVectors& preloads() const { return preloads_; }
  const Grounding& grounding() const { return grounding_; }

  /// The lowest natural frequencies. @param masses of the nodes, kg.
  ModesProof modes(int count, const std::vector<double>& masses, const CarriedMass& carried) const {
    constexpr double kTolerance = 1e-5;  // of squared frequencies: meshes err by more
    constexpr int kMostIterations = 120;
    Vibration system(*this, masses, carried);
    Eigenpairs found = lowestEigenpairs(system, count, kTolerance, kMostIterations, goOn_);
    ModesProof result;
    result.converged = found.converged;
    for (std::size_t i = 0; i < found.vectors.size(); ++i) {
      const double squared = modulus_ * found.values[static_cast<Eigen::Index>(i)];
      result.modes.push_back(
          {std::sqrt(std::max(0.0, squared)) / (2 * std::numbers::pi), std::move(found.vectors[i])});
    }
    return result;
  }

  /// What each support exerts, N by node. @param u displacements, m.
  std::vector<NodalVectors> exerted(std::size_t supports, std::span<const double> u,
                                    std::span<const double> balance) const {
    Eigen::VectorXd strain = modulus_ * added_.times(u).forces;
    if (added_.isHard()) strain += lackOfStrain(balance, strain);
    return grounding_.forces(supports, u, balance, {strain.data(), static_cast<std::size_t>(strain.size())},
                             kNodeByNode);
  }

 private:
  /// What a coupling takes up is S' W^T u, and where it is much stiffer than the body that is told by small
  /// differences, a tenth off when the energy is right to eight digits. But the forces K u - f that the body
  /// asks for at its nodes are right; so what they are off by, r, is laid on the couplings: by least squares
  /// over nodes that nothing else holds,
  ///   d = -(W^T W)^-1 W^T r.
  Eigen::VectorXd lackOfStrain(std::span<const double> balance, const Eigen::VectorXd& strain) const {
    std::vector<double> rest(balance.begin(), balance.end());
    added_.add(strain, 1, std::span<double>(rest));
    kNodeByNode.add(preloads_, -1, rest);
    const Eigen::Index count = strain.size();
    Eigen::MatrixXd squares = Eigen::MatrixXd::Zero(count, count);
    Eigen::VectorXd right = Eigen::VectorXd::Zero(count);
    std::vector<std::uint8_t> held(rest.size() / 3, 0);
    for (const NodeSupport<3>& support : supports_) held[support.node] = 1;
    std::vector<double> column(rest.size(), 0.0);
    for (Eigen::Index i = 0; i < count; ++i) {
      const LowRank::Column& own = added_.columns()[static_cast<std::size_t>(i)];
      for (std::size_t k = 0; k < own.dofs.size(); ++k)
        if (!held[own.dofs[k] / 3]) column[own.dofs[k]] = own.values[k];
      for (Eigen::Index j = 0; j < count; ++j) {
        const LowRank::Column& other = added_.columns()[static_cast<std::size_t>(j)];
        for (std::size_t k = 0; k < other.dofs.size(); ++k)
          squares(i, j) += column[other.dofs[k]] * other.values[k];
      }
      for (const std::size_t dof : own.dofs) {
        right[i] -= column[dof] * rest[dof];
        column[dof] = 0;
      }
    }
    // Displacements and turns are of different size.
    const Eigen::VectorXd scale =
        squares.diagonal().cwiseSqrt().unaryExpr([](double x) { return x > 0 ? 1 / x : 0.0; });
    const Eigen::MatrixXd scaled = scale.asDiagonal() * squares * scale.asDiagonal();
    return scale.cwiseProduct(scaled.completeOrthogonalDecomposition().solve(scale.cwiseProduct(right)));
  }

  /// On a finished part a support acts only where the part touches its face, which may be too little. Pieces
  /// that are not joined are each held by themselves, or not at all.
  void refuseFreeMotions(const QuadraticTets& mesh, bool planar,
                         const std::vector<std::vector<std::size_t>>& pieces, const std::string& name) const {
    for (const std::vector<std::size_t>& piece : pieces) {
      const std::vector<std::string> motions = grounding_.motionsLeft(
          [&](std::size_t n) { return mesh.nodes()[n]; },
          [&](std::size_t n) { return std::binary_search(piece.begin(), piece.end(), n); }, planar);
      if (motions.empty()) continue;
      Box box;
      for (const std::size_t n : piece) box.extend(mesh.nodes()[n]);
      throw RunError(
          fmt::format("in case {} what {} touches of its supports does not hold it: {}", name,
                      pieces.size() == 1
                          ? std::string("the body")
                          : fmt::format("the piece of the body between {} and {}, one of {} not joined,",
                                        placeText(box.min()), placeText(box.max()), pieces.size()),
                      motions.front()),
          "make it reach the supports with a keep there, or let more supports act");
    }
  }

  /// A sheet in plane stress may get thinner: held across is only what keeps each piece from leaving its
  /// plane, three nodes far apart, as near to the middle of its thickness as there are.
  void holdInPlane(const QuadraticTets& mesh, const std::vector<std::size_t>& piece) {
    Box bounds;
    for (const std::size_t n : piece) bounds.extend(mesh.nodes()[n]);
    const double middle = bounds.center().z();
    double least = std::numeric_limits<double>::max();
    for (const std::size_t n : piece) least = std::min(least, std::abs(mesh.nodes()[n].z() - middle));
    const auto best = [&](const auto& score) {
      std::size_t found = piece.front();
      double most = -1;
      for (const std::size_t n : piece) {
        const Vec3& p = mesh.nodes()[n];
        if (std::abs(p.z() - middle) > least + 1e-9 * bounds.sizes().z() || score(p) <= most) continue;
        most = score(p);
        found = n;
      }
      grounding_.hold(found, Vec3::UnitZ(), Grounding::kNobody);
      return mesh.nodes()[found];
    };
    const Vec3 first = best([&](const Vec3& p) { return (p - bounds.center()).norm(); });
    const Vec3 second = best([&](const Vec3& p) { return (p - first).norm(); });
    best([&](const Vec3& p) { return (p - first).cross(second - first).norm(); });
  }

  /// K and M, in units of the modulus and of kilograms.
  class Vibration final : public ModalSystem {
   public:
    Vibration(const HeldBody& body, const std::vector<double>& masses, const CarriedMass& carried)
        : body_(body), masses_(masses), carried_(carried) {}
    std::size_t size() const override { return 3 * masses_.size(); }
    void stiff(std::span<const double> x, std::span<double> y) override {
      body_.stiffness_.apply({x}, {y});
      if (!body_.added_.empty()) body_.added_.add(body_.added_.times(x).forces, 1, y);
      body_.project(y);
    }
    void weigh(std::span<double> x) const override {
      std::vector<double> apart;
      if (!carried_.empty()) apart.assign(x.begin(), x.end());
      forEach(x.size(), [&](std::size_t d) { x[d] *= masses_[d / 3]; });
      if (!carried_.empty()) carried_.add(apart, kNodeByNode, x);
    }
    void precondition(std::span<const double> r, std::span<double> z) override {
      const Fields<const double> from{r};
      const Fields<double> to{z};
      body_.multigrid_->apply(from, to);
      if (!body_.added_.empty()) body_.added_.correct(z);
      body_.project(z);
    }
    void project(std::span<double> x) const override { body_.project(x); }

   private:
    const HeldBody& body_;
    const std::vector<double>& masses_;
    const CarriedMass& carried_;
  };

  static constexpr double kEnergyTolerance = 1e-8;  // compliances to eight digits, displacements to four

  void solveThose(const std::vector<std::size_t>& which, const std::vector<std::vector<double>>& loads,
                  std::vector<std::vector<double>>& displacements, std::vector<SolveReport>& reports) const {
    Fields<const double> f;
    Fields<double> u;
    for (const std::size_t k : which) {
      f.emplace_back(loads[k]);
      u.emplace_back(displacements[k]);
    }
    constexpr int kMostIterations = 400;
    const std::vector<SolveReport> found = solveConjugateGradients(
        [&](const Fields<const double>& x, const Fields<double>& y) {
          stiffness_.apply(x, y);
          for (std::size_t k = 0; k < x.size() && !added_.empty(); ++k)
            added_.add(added_.times(x[k]).forces, 1, y[k]);
        },
        [&](const Fields<const double>& r, const Fields<double>& z) {
          multigrid_->apply(r, z);
          for (std::size_t k = 0; k < z.size() && !added_.empty(); ++k) added_.correct(z[k]);
        },
        f, u, {kEnergyTolerance, kMostIterations, goOn_});
    for (std::size_t i = 0; i < which.size(); ++i) reports[which[i]] = found[i];
  }

  void project(std::span<double> field) const {
    for (const NodeSupport<3>& support : supports_) {
      const Vec3 moved = support.free * kNodeByNode.at(field, support.node);
      for (int i = 0; i < 3; ++i) field[kNodeByNode(support.node, i)] = moved[i];
    }
  }

  std::function<bool()> goOn_;
  double modulus_;  // the stiffness is in units of it
  Grounding grounding_;
  std::vector<NodeSupport<3>> supports_;  // what it comes to
  NodalVectors moved_;                    // u_p
  NodalVectors preloads_;                 // W p
  std::vector<double> pull_;              // K u_p; empty for nothing
  LowRank added_;
  BlockMatrix<3, double> stiffness_;
  std::unique_ptr<Multigrid> multigrid_;
};

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
  std::vector<NodalVectors> motions;
  std::vector<double> masses;
  for (const PointMass& mass : setup.masses) {
    const auto own = meanMotions(ties[mass.face], Eigen::Matrix3d::Identity(), mass.at);
    for (std::size_t i = 0; i < 3; ++i) {
      motions.push_back(own[i]);
      masses.push_back(mass.mass);
    }
  }
  return {std::move(motions), std::move(masses)};
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
    findPeaks(mesh_, materials_, stresses, near_, volumes_, result);
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
