#include "barelattice/tets/quadratic_tets.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <unordered_map>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "solve/block_matrix.hpp"
#include "tet_element.hpp"

namespace barelattice {

std::array<double, 2> principalRange(const Stress& s) {
  Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> eigen;
  eigen.computeDirect(tensor(s), Eigen::EigenvaluesOnly);
  return {eigen.eigenvalues()[2], eigen.eigenvalues()[0]};
}

double vonMises(const Stress& s) {
  const double shear = s[3] * s[3] + s[4] * s[4] + s[5] * s[5];
  const double a = s[0] - s[1];
  const double b = s[1] - s[2];
  const double c = s[2] - s[0];
  return std::sqrt(0.5 * (a * a + b * b + c * c) + 3 * shear);
}

QuadraticTets::QuadraticTets(const TetMesh& mesh) {
  validate(mesh);
  std::vector<int> number(mesh.vertices.size(), -1);
  for (const auto& t : mesh.tets) {
    std::array<int, 10> tet{};
    for (std::size_t i = 0; i < 4; ++i) {
      int& n = number[static_cast<std::size_t>(t[i])];
      if (n < 0) {
        n = static_cast<int>(nodes_.size());
        nodes_.push_back(mesh.vertices[static_cast<std::size_t>(t[i])]);
      }
      tet[i] = n;
    }
    tets_.push_back(tet);
  }
  corners_ = nodes_.size();
  addEdgeNodes();
  TetMesh renumbered{{nodes_.begin(), nodes_.begin() + static_cast<std::ptrdiff_t>(corners_)}, {}};
  for (const auto& t : tets_) renumbered.tets.push_back({t[0], t[1], t[2], t[3]});
  findSurface(renumbered);
}

void QuadraticTets::addEdgeNodes() {
  std::unordered_map<std::uint64_t, int> middle;
  middle.reserve(7 * corners_);
  for (auto& t : tets_)
    for (std::size_t e = 0; e < 6; ++e) {
      const int a = std::min(t[kEdges[e][0]], t[kEdges[e][1]]);
      const int b = std::max(t[kEdges[e][0]], t[kEdges[e][1]]);
      const auto [entry, fresh] =
          middle.try_emplace(static_cast<std::uint64_t>(a) << 32 | static_cast<std::uint32_t>(b),
                             static_cast<int>(nodes_.size()));
      if (fresh) {
        nodes_.push_back(0.5 * (nodes_[static_cast<std::size_t>(a)] + nodes_[static_cast<std::size_t>(b)]));
        edges_.push_back({a, b});
      }
      t[4 + e] = entry->second;
    }
}

void QuadraticTets::findSurface(const TetMesh& mesh) {
  std::unordered_map<std::uint64_t, int> middle;
  for (std::size_t e = 0; e < edges_.size(); ++e)
    middle[static_cast<std::uint64_t>(edges_[e][0]) << 32 | static_cast<std::uint32_t>(edges_[e][1])] =
        static_cast<int>(corners_ + e);
  const auto between = [&](int a, int b) {
    return middle.at(static_cast<std::uint64_t>(std::min(a, b)) << 32 |
                     static_cast<std::uint32_t>(std::max(a, b)));
  };
  for (const auto& t : mesh.boundary().triangles)
    surface_.push_back({t[0], t[1], t[2], between(t[0], t[1]), between(t[1], t[2]), between(t[2], t[0])});
}

TriangleMesh QuadraticTets::surfaceTriangles() const {
  TriangleMesh mesh{{nodes_.begin(), nodes_.begin() + static_cast<std::ptrdiff_t>(corners_)}, {}};
  for (const auto& face : surface_) mesh.triangles.push_back({face[0], face[1], face[2]});
  return mesh;
}

std::vector<double> QuadraticTets::volumes() const {
  std::vector<double> volumes;
  for (const auto& t : tets_) {
    const auto at = [&](std::size_t i) -> const Vec3& { return nodes_[static_cast<std::size_t>(t[i])]; };
    volumes.push_back(Cell(at(0), at(1), at(2), at(3)).volume);
  }
  return volumes;
}

double QuadraticTets::volume() const {
  const std::vector<double> all = volumes();
  return std::accumulate(all.begin(), all.end(), 0.0);
}

namespace {

/// Assembles the stiffness row of nodes by row, each from the tetrahedra round its node.
class StiffnessRows {
 public:
  using Block = BlockMatrix<3, double>::Block;

  StiffnessRows(const std::vector<Vec3>& nodes, const std::vector<std::array<int, 10>>& tets,
                const TetMaterials& materials, const std::vector<NodeSupport<3>>& supports)
      : nodes_(nodes),
        tets_(tets),
        materials_(materials),
        round_(tets, nodes.size()),
        supportOf_(nodes.size(), nullptr),
        points_(quadraturePoints()) {
    for (const NodeSupport<3>& support : supports) supportOf_[support.node] = &support;
    for (const Material& m : materials.materials) {
      const double modulus = m.modulus / materials.materials.front().modulus;
      laws_.push_back(
          {modulus * m.poisson / ((1 + m.poisson) * (1 - 2 * m.poisson)), 0.5 * modulus / (1 + m.poisson)});
    }
  }

  /// The nodes that share a tetrahedron with one, ascending.
  std::vector<int> neighbours(std::size_t n) const {
    std::vector<int> columns;
    for (std::size_t k = round_.start[n]; k < round_.start[n + 1]; ++k) {
      const auto& t = tets_[static_cast<std::size_t>(round_.tet[k])];
      columns.insert(columns.end(), t.begin(), t.end());
    }
    std::sort(columns.begin(), columns.end());
    columns.erase(std::unique(columns.begin(), columns.end()), columns.end());
    return columns;
  }

  /// Adds up the blocks of a node's row, one for each of its columns.
  void fill(std::size_t n, const std::vector<int>& columns, Block* row) const {
    if (isFixed(n)) return;
    const auto entryOf = [&](int column) {
      return row + (std::lower_bound(columns.begin(), columns.end(), column) - columns.begin());
    };
    double own = 0;  // mean of the node's diagonal
    for (std::size_t k = round_.start[n]; k < round_.start[n + 1]; ++k) {
      const auto tet = static_cast<std::size_t>(round_.tet[k]);
      const auto& t = tets_[tet];
      const auto at = [&](std::size_t i) -> const Vec3& { return nodes_[static_cast<std::size_t>(t[i])]; };
      const Cell cell(at(0), at(1), at(2), at(3));
      std::array<Gradients, 4> gradients;
      for (std::size_t q = 0; q < 4; ++q) gradients[q] = cell.gradients(points_[q]);
      for (Eigen::Index b = 0; b < 10; ++b) {
        const int column = t[static_cast<std::size_t>(b)];
        const auto across = static_cast<std::size_t>(column);
        if (isFixed(across)) continue;
        Eigen::Matrix3d coupling =
            couplingOf(gradients, cell.volume, round_.local[k], b, laws_[materials_.numberOf(tet)]);
        if (across == n) own += coupling.trace() / 3;
        if (supportOf_[n]) coupling = (supportOf_[n]->free * coupling).eval();
        if (supportOf_[across]) coupling = (coupling * supportOf_[across]->free).eval();
        *entryOf(column) += coupling;
      }
    }
    if (!supportOf_[n]) return;
    const NodeSupport<3>& support = *supportOf_[n];
    Block& diagonal = *entryOf(static_cast<int>(n));
    diagonal += support.free * support.spring * support.free / materials_.materials.front().modulus;
    if (!support.free.isDiagonal(0)) diagonal += own * (Eigen::Matrix3d::Identity() - support.free);
  }

 private:
  struct Lame {  // in units of the first material's modulus
    double lambda;
    double mu;
  };

  bool isFixed(std::size_t n) const { return supportOf_[n] && supportOf_[n]->free.isZero(0); }

  /// For isotropic material the 3 x 3 coupling of two shape functions follows from M = integral of grad N_a
  /// grad N_b^T:
  ///   K_ab = lambda M + mu M^T + mu trace(M) I.
  static Eigen::Matrix3d couplingOf(const std::array<Gradients, 4>& gradients, double volume, Eigen::Index a,
                                    Eigen::Index b, const Lame& law) {
    Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
    for (const Gradients& g : gradients) m += g.row(a).transpose() * g.row(b);
    m *= volume / 4;
    return law.lambda * m + law.mu * m.transpose() + law.mu * m.trace() * Eigen::Matrix3d::Identity();
  }

  const std::vector<Vec3>& nodes_;
  const std::vector<std::array<int, 10>>& tets_;
  const TetMaterials& materials_;
  Incidence round_;
  std::vector<const NodeSupport<3>*> supportOf_;
  std::vector<Lame> laws_;
  decltype(quadraturePoints()) points_;
};

}  // namespace

BlockMatrix<3, double> QuadraticTets::stiffness(const TetMaterials& materials,
                                                const std::vector<NodeSupport<3>>& supports) const {
  const StiffnessRows rows(nodes_, tets_, materials, supports);
  BlockMatrix<3, double> matrix;
  matrix.rowStart.assign(nodes_.size() + 1, 0);
  forEach(
      nodes_.size(), [&](std::size_t n) { matrix.rowStart[n + 1] = rows.neighbours(n).size(); },
      kTetsPerBlock);
  std::partial_sum(matrix.rowStart.begin(), matrix.rowStart.end(), matrix.rowStart.begin());
  matrix.column.resize(matrix.rowStart.back());
  matrix.block.assign(matrix.rowStart.back(), BlockMatrix<3, double>::Block::Zero());
  forEach(
      nodes_.size(),
      [&](std::size_t n) {
        const std::vector<int> columns = rows.neighbours(n);
        const auto first = static_cast<std::ptrdiff_t>(matrix.rowStart[n]);
        std::copy(columns.begin(), columns.end(), matrix.column.begin() + first);
        rows.fill(n, columns, matrix.block.data() + first);
      },
      kTetsPerBlock);
  return matrix;
}

// A force that is linear in space is sum_j l_j b_j with its values b_j at the corners. By the integral of
// products of barycentric coordinates, 6 V a! b! c! d! / (a + b + c + d + 3)!,
//   integral N_i l_j  = 0 (j = i), -V / 60 (j another corner)          N_i = l_i (2 l_i - 1),
//   integral N_ab l_j = V / 15 (j = a, b), V / 30 (j another corner)   N_ab = 4 l_a l_b.
void QuadraticTets::addBodyForce(const TetMaterials& materials, const BodyForce& force,
                                 std::span<double> forces) const {
  validate(materials, tets_.size());
  requireCount("forces", forces.size(), 3 * nodes_.size(), "degrees of freedom");
  const auto add = [&](int node, const Vec3& value) {
    for (std::size_t i = 0; i < 3; ++i)
      forces[3 * static_cast<std::size_t>(node) + i] += value[static_cast<Eigen::Index>(i)];
  };
  for (std::size_t k = 0; k < tets_.size(); ++k) {
    const auto& t = tets_[k];
    const auto at = [&](std::size_t i) -> const Vec3& { return nodes_[static_cast<std::size_t>(t[i])]; };
    const double mass = materials.of(k).density * Cell(at(0), at(1), at(2), at(3)).volume;
    std::array<Vec3, 4> b;
    Vec3 sum = Vec3::Zero();
    for (std::size_t i = 0; i < 4; ++i) sum += b[i] = force.at(at(i));
    for (std::size_t i = 0; i < 4; ++i) add(t[i], -mass / 60 * (sum - b[i]));
    for (std::size_t e = 0; e < 6; ++e) add(t[4 + e], mass / 30 * (sum + b[kEdges[e][0]] + b[kEdges[e][1]]));
  }
}

void QuadraticTets::addGrowthForces(const TetMaterials& materials, double change,
                                    std::span<double> forces) const {
  validate(materials, tets_.size());
  requireCount("forces", forces.size(), 3 * nodes_.size(), "degrees of freedom");
  const std::vector<double> stresses = growthStresses(materials, change);
  const auto points = quadraturePoints();
  for (std::size_t k = 0; k < tets_.size(); ++k) {
    const auto& t = tets_[k];
    const auto at = [&](std::size_t i) -> const Vec3& { return nodes_[static_cast<std::size_t>(t[i])]; };
    const Cell cell(at(0), at(1), at(2), at(3));
    Gradients sum = Gradients::Zero();
    for (const Barycentric& point : points) sum += cell.volume / 4 * cell.gradients(point);
    for (Eigen::Index a = 0; a < 10; ++a)
      for (Eigen::Index i = 0; i < 3; ++i)
        forces[3 * static_cast<std::size_t>(t[static_cast<std::size_t>(a)]) + static_cast<std::size_t>(i)] +=
            stresses[materials.numberOf(k)] * sum(a, i);
  }
}

std::vector<double> QuadraticTets::nodalMasses(const TetMaterials& materials) const {
  validate(materials, tets_.size());
  std::vector<double> masses(nodes_.size(), 0.0);
  for (std::size_t k = 0; k < tets_.size(); ++k) {
    const auto& t = tets_[k];
    const auto at = [&](std::size_t i) -> const Vec3& { return nodes_[static_cast<std::size_t>(t[i])]; };
    const double mass = materials.of(k).density * Cell(at(0), at(1), at(2), at(3)).volume;
    for (std::size_t a = 0; a < 10; ++a)
      masses[static_cast<std::size_t>(t[a])] += mass * (a < 4 ? 1.0 / 36 : 4.0 / 27);
  }
  return masses;
}

std::vector<double> QuadraticTets::internalForces(const TetMaterials& materials,
                                                  std::span<const double> displacement) const {
  validate(materials, tets_.size());
  requireCount("displacement", displacement.size(), 3 * nodes_.size(), "degrees of freedom");
  const std::vector<Law> laws = lawsOf(materials);
  const auto points = quadraturePoints();
  std::vector<double> forces(3 * nodes_.size(), 0.0);
  for (std::size_t k = 0; k < tets_.size(); ++k) {
    const auto& t = tets_[k];
    const Law& law = laws[materials.numberOf(k)];
    const auto at = [&](std::size_t i) -> const Vec3& { return nodes_[static_cast<std::size_t>(t[i])]; };
    const Cell cell(at(0), at(1), at(2), at(3));
    const auto u = gathered(t, displacement);
    Eigen::Matrix<double, 10, 3> f = Eigen::Matrix<double, 10, 3>::Zero();
    for (const Barycentric& point : points) {
      const Gradients g = cell.gradients(point);
      f += cell.volume / 4 * g * tensor(stressAt(law, g, u));
    }
    for (Eigen::Index a = 0; a < 10; ++a)
      for (Eigen::Index i = 0; i < 3; ++i)
        forces[3 * static_cast<std::size_t>(t[static_cast<std::size_t>(a)]) + static_cast<std::size_t>(i)] +=
            f(a, i);
  }
  return forces;
}

std::vector<double> QuadraticTets::cornerVolumes() const {
  std::vector<double> share(corners_, 0.0);
  for (const auto& t : tets_) {
    const auto at = [&](std::size_t i) -> const Vec3& { return nodes_[static_cast<std::size_t>(t[i])]; };
    const double volume = Cell(at(0), at(1), at(2), at(3)).volume;
    for (std::size_t i = 0; i < 4; ++i) share[static_cast<std::size_t>(t[i])] += 0.25 * volume;
  }
  return share;
}

}  // namespace barelattice
