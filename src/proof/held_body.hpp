// A body on tetrahedra under one set of supports. Internal to the room.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "barelattice/proof/proof.hpp"
#include "solve/block_matrix.hpp"
#include "solve/eigenpairs.hpp"
#include "solve/low_rank.hpp"
#include "solve/multigrid.hpp"

namespace barelattice {

/// How displacements and forces stand in a plain vector: three per node.
inline constexpr DofOrder kNodeByNode{3, 1, 3};

/// The stiffness under one set of supports, ready to solve.
class HeldBody {
 public:
  /// @param spacing of the mesh's lattice, m. @param faces by number, tied to it. @param c a case that stands
  /// so.
  /// @param goOn asked in each iteration of a solve.
  /// @throws InputError if supports contradict each other; RunError if they leave a motion free.
  HeldBody(const QuadraticTets& mesh, double spacing, const ProofProblem& problem,
           const TetMaterials& materials, std::span<const FaceTies> faces, const LoadCase& c,
           std::function<bool()> goOn);

  /// Displacements under several loads (N, preloads among them), m. The stiffness passes once for all of
  /// those that are no sums of others. What nodes are held at, u_p, adds to each: u = u_p + v with K v = f -
  /// K u_p.
  std::vector<SolveReport> solve(std::vector<std::vector<double>> loads,
                                 std::vector<std::vector<double>>& displacements) const;

  /// The compliance of a state without preloads, see CaseProof.
  double compliance(const QuadraticTets& mesh, const TetMaterials& materials, std::span<const double> load,
                    std::span<const double> u) const;

  const NodalVectors& preloads() const { return preloads_; }
  const Grounding& grounding() const { return grounding_; }

  /// The lowest natural frequencies. @param masses of the nodes, kg.
  ModesProof modes(int count, const std::vector<double>& masses, const CarriedMass& carried) const;

  /// What each support exerts, N by node. @param u displacements, m.
  std::vector<NodalVectors> exerted(std::size_t supports, std::span<const double> u,
                                    std::span<const double> balance) const;

 private:
  class Vibration;

  Eigen::VectorXd lackOfStrain(std::span<const double> balance, const Eigen::VectorXd& strain) const;
  void refuseFreeMotions(const QuadraticTets& mesh, bool planar,
                         const std::vector<std::vector<std::size_t>>& pieces, const std::string& name) const;
  void holdInPlane(const QuadraticTets& mesh, const std::vector<std::size_t>& piece);
  void solveThose(const std::vector<std::size_t>& which, const std::vector<std::vector<double>>& loads,
                  std::vector<std::vector<double>>& displacements, std::vector<SolveReport>& reports) const;
  void project(std::span<double> field) const;

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

}  // namespace barelattice
