#include "held_body.hpp"

#include <fmt/format.h>

#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "base/groups.hpp"
#include "base/parallel.hpp"
#include "solve/conjugate_gradients.hpp"
#include "solve/superposition.hpp"
#include "solve/vectors.hpp"
#include "tets/tet_hierarchy.hpp"

namespace barelattice {
namespace {

constexpr double kEnergyTolerance = 1e-8;  // compliances to eight digits, displacements to four

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

}  // namespace

/// K and M, in units of the modulus and of kilograms.
class HeldBody::Vibration final : public ModalSystem {
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

HeldBody::HeldBody(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
                   const TetMaterials& materials, std::span<const FaceTies> faces, const LoadCase& c,
                   std::function<bool()> goOn)
    : goOn_(std::move(goOn)),
      modulus_(materials.materials.front().modulus),
      grounding_(grounded(problem.setup, c, faces)) {
  if (problem.across == AcrossSheet::held)
    for (std::size_t n = 0; n < mesh.nodeCount(); ++n) grounding_.hold(n, Vec3::UnitZ(), Grounding::kNobody);
  for (const NodeSupport<3>& support : grounding_.nodes())  // of one's own kind they may be anything
    requireIndex("node of a support", support.node, mesh.nodeCount(), "nodes");
  for (const Coupling& coupling : grounding_.couplings())
    for (const NodalVectors& motion : coupling.motions)
      for (const NodalVector& at : motion)
        requireIndex("node of a coupling", at.node, mesh.nodeCount(), "nodes");
  const std::vector<std::vector<std::size_t>> pieces = piecesOf(mesh);
  refuseFreeMotions(mesh, problem.across != AcrossSheet::body, pieces, c.name);
  if (problem.across == AcrossSheet::free)
    for (const std::vector<std::size_t>& piece : pieces) holdInPlane(mesh, piece);
  supports_ = grounding_.nodes();
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

std::vector<SolveReport> HeldBody::solve(std::vector<std::vector<double>> loads,
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

double HeldBody::compliance(const QuadraticTets& mesh, const TetMaterials& materials,
                            std::span<const double> load, std::span<const double> u) const {
  double work = 0;
  for (std::size_t d = 0; d < load.size(); ++d) work += load[d] * u[d];
  if (moved_.empty()) return work;
  const std::vector<double> internal = mesh.internalForces(materials, u);
  return work + kNodeByNode.dot(moved_, load) - kNodeByNode.dot(moved_, internal);
}

ModesProof HeldBody::modes(int count, const std::vector<double>& masses, const CarriedMass& carried) const {
  constexpr double kTolerance = 1e-5;  // of squared frequencies: meshes err by more
  constexpr int kMostIterations = 120;
  Vibration system(*this, masses, carried);
  Eigenpairs found = lowestEigenpairs(system, {count, kTolerance, kMostIterations}, {}, goOn_);
  ModesProof result;
  result.converged = found.converged;
  for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i) {
    const double squared = modulus_ * found.values[static_cast<Eigen::Index>(i)];
    result.modes.push_back(
        {std::sqrt(std::max(0.0, squared)) / (2 * std::numbers::pi), std::move(found.vectors[i])});
  }
  return result;
}

std::vector<NodalVectors> HeldBody::exerted(std::size_t supports, std::span<const double> u,
                                            std::span<const double> balance) const {
  Eigen::VectorXd strain = modulus_ * added_.times(u).forces;
  if (added_.isHard()) strain += lackOfStrain(balance, strain);
  return grounding_.forces(supports, u, balance, {strain.data(), static_cast<std::size_t>(strain.size())},
                           kNodeByNode);
}

/// What a coupling takes up is S' W^T u, and where it is much stiffer than the body that is told by small
/// differences, a tenth off when the energy is right to eight digits. But the forces K u - f that the body
/// asks for at its nodes are right; so what they are off by, r, is laid on the couplings: by least squares
/// over nodes that nothing else holds,
///   d = -(W^T W)^-1 W^T r.
Eigen::VectorXd HeldBody::lackOfStrain(std::span<const double> balance, const Eigen::VectorXd& strain) const {
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
void HeldBody::refuseFreeMotions(const QuadraticTets& mesh, bool planar,
                                 const std::vector<std::vector<std::size_t>>& pieces,
                                 const std::string& name) const {
  std::vector<std::size_t> pieceOf(mesh.nodeCount());
  for (std::size_t p = 0; p < pieces.size(); ++p)
    for (const std::size_t n : pieces[p]) pieceOf[n] = p;
  const std::vector<int> joined =
      grounding_.joinedBodies([&](std::size_t n) { return static_cast<int>(pieceOf[n]); }, pieces.size());
  for (std::size_t p = 0; p < pieces.size(); ++p) {
    if (joined[p] != static_cast<int>(p)) continue;
    std::vector<int> number(pieces.size(), -1);
    int count = 0;
    Box box;
    for (std::size_t other = 0; other < pieces.size(); ++other) {
      if (joined[other] != static_cast<int>(p)) continue;
      number[other] = count++;
      for (const std::size_t n : pieces[other]) box.extend(mesh.nodes()[n]);
    }
    const std::vector<std::string> motions = grounding_.motionsLeft(
        [&](std::size_t n) { return mesh.nodes()[n]; }, [&](std::size_t n) { return number[pieceOf[n]]; },
        static_cast<std::size_t>(count), planar);
    if (motions.empty()) continue;
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
void HeldBody::holdInPlane(const QuadraticTets& mesh, const std::vector<std::size_t>& piece) {
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

void HeldBody::solveThose(const std::vector<std::size_t>& which,
                          const std::vector<std::vector<double>>& loads,
                          std::vector<std::vector<double>>& displacements,
                          std::vector<SolveReport>& reports) const {
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

void HeldBody::project(std::span<double> field) const {
  for (const NodeSupport<3>& support : supports_) {
    const Vec3 moved = support.free * kNodeByNode.at(field, support.node);
    for (int i = 0; i < 3; ++i) field[kNodeByNode(support.node, i)] = moved[i];
  }
}

}  // namespace barelattice
