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

namespace barelattice {
namespace {

constexpr std::array<std::array<std::size_t, 2>, 6> kEdges{{{0, 1}, {1, 2}, {0, 2}, {0, 3}, {1, 3}, {2, 3}}};
constexpr std::size_t kTetsPerBlock = 256;

using Gradients = Eigen::Matrix<double, 10, 3>;  // of the ten shape functions
using Barycentric = Eigen::Matrix<double, 4, 1>;

/// Four-point rule of degree two on a tetrahedron (Hammer & Stroud 1956); equal weights.
std::array<Barycentric, 4> quadraturePoints() {
  const double a = (5 + 3 * std::sqrt(5.0)) / 20;
  const double b = (5 - std::sqrt(5.0)) / 20;
  std::array<Barycentric, 4> points;
  for (Eigen::Index i = 0; i < 4; ++i) {
    points[static_cast<std::size_t>(i)].setConstant(b);
    points[static_cast<std::size_t>(i)][i] = a;
  }
  return points;
}

/// Geometry of one tetrahedron with straight edges.
struct Cell {
  Eigen::Matrix<double, 4, 3> corner;  // gradients of the barycentric coordinates
  double volume;

  Cell(const Vec3& p0, const Vec3& p1, const Vec3& p2, const Vec3& p3) {
    Eigen::Matrix3d edges;
    edges << p1 - p0, p2 - p0, p3 - p0;
    volume = edges.determinant() / 6;
    corner.bottomRows<3>() = edges.inverse();
    corner.row(0) = -corner.bottomRows<3>().colwise().sum();
  }

  /// N_i = l_i (2 l_i - 1) at corners, N_ij = 4 l_i l_j at edge middles.
  Gradients gradients(const Barycentric& l) const {
    Gradients g;
    for (Eigen::Index i = 0; i < 4; ++i) g.row(i) = (4 * l[i] - 1) * corner.row(i);
    for (std::size_t e = 0; e < 6; ++e) {
      const auto i = static_cast<Eigen::Index>(kEdges[e][0]);
      const auto j = static_cast<Eigen::Index>(kEdges[e][1]);
      g.row(4 + static_cast<Eigen::Index>(e)) = 4 * (l[i] * corner.row(j) + l[j] * corner.row(i));
    }
    return g;
  }
};

/// @param growth what the material would press with if it were kept from growing.
Stress stressAt(const Eigen::Matrix<double, 6, 6>& law, const Gradients& g,
                const Eigen::Matrix<double, 10, 3>& u, double growth = 0) {
  const Eigen::Matrix3d d = u.transpose() * g;  // displacement gradient
  Stress strain;
  strain << d(0, 0), d(1, 1), d(2, 2), d(1, 2) + d(2, 1), d(0, 2) + d(2, 0), d(0, 1) + d(1, 0);
  Stress stress = law * strain;
  stress.head<3>().array() -= growth;
  return stress;
}

Eigen::Matrix3d tensor(const Stress& s) {
  Eigen::Matrix3d m;
  m << s[0], s[5], s[4], s[5], s[1], s[3], s[4], s[3], s[2];
  return m;
}

Eigen::Matrix<double, 10, 3> gathered(const std::array<int, 10>& tet, std::span<const double> field) {
  Eigen::Matrix<double, 10, 3> values;
  for (Eigen::Index a = 0; a < 10; ++a)
    for (Eigen::Index i = 0; i < 3; ++i)
      values(a, i) =
          field[3 * static_cast<std::size_t>(tet[static_cast<std::size_t>(a)]) + static_cast<std::size_t>(i)];
  return values;
}

/// The tetrahedra round each node.
struct Incidence {
  std::vector<std::size_t> start;
  std::vector<int> tet;
  std::vector<int> local;

  Incidence(const std::vector<std::array<int, 10>>& tets, std::size_t nodes) : start(nodes + 1, 0) {
    for (const auto& t : tets)
      for (const int n : t) ++start[static_cast<std::size_t>(n) + 1];
    std::partial_sum(start.begin(), start.end(), start.begin());
    std::vector<std::size_t> next(start.begin(), start.end() - 1);
    tet.resize(start.back());
    local.resize(start.back());
    for (std::size_t t = 0; t < tets.size(); ++t)
      for (std::size_t a = 0; a < 10; ++a) {
        const std::size_t at = next[static_cast<std::size_t>(tets[t][a])]++;
        tet[at] = static_cast<int>(t);
        local[at] = static_cast<int>(a);
      }
  }
};

using Law = Eigen::Matrix<double, 6, 6>;

/// From strain to stress, Pa.
std::vector<Law> lawsOf(const TetMaterials& materials) {
  std::vector<Law> laws;
  for (const Material& m : materials.materials) laws.push_back(m.modulus * constitutiveMatrix<3>(m.poisson));
  return laws;
}

/// What each material would press with in all directions if it were kept from growing, Pa.
std::vector<double> growthStresses(const TetMaterials& materials, double temperature) {
  std::vector<double> stresses;
  for (const Material& m : materials.materials)
    stresses.push_back(m.modulus * hydrostaticStiffness<3>(m.poisson) * m.expansion * temperature);
  return stresses;
}

/// Stress at an integration point.
struct Sample {
  Vec3 position;
  Stress stress;
};

/// Stress is linear in a tetrahedron with straight edges: its value v_a at a corner follows from those at the
/// four points, s_q = b (v_0 + v_1 + v_2 + v_3) + (a - b) v_q with a + 3 b = 1, so that both sums agree.
Stress cornerValue(const std::array<Sample, 4>& samples, std::size_t corner) {
  const Barycentric point = quadraturePoints()[0];
  const double far = point.minCoeff();
  const Stress sum = samples[0].stress + samples[1].stress + samples[2].stress + samples[3].stress;
  return (samples[corner].stress - far * sum) / (point.maxCoeff() - far);
}

/// The image of a stress behind a plane of symmetry: shear with one index along its normal changes sign.
void reflect(Vec3& position, Stress& stress, const StressMirror& mirror) {
  position[mirror.axis] = 2 * mirror.at - position[mirror.axis];
  constexpr std::array<std::array<int, 2>, 3> kShear{{{4, 5}, {3, 5}, {3, 4}}};  // of yz, xz, xy
  for (const int s : kShear[static_cast<std::size_t>(mirror.axis)]) stress[s] = -stress[s];
}

}  // namespace

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

void validate(const TetMaterials& materials, std::size_t tets) {
  if (materials.materials.empty()) throw InputError("there is no material", "give one or more");
  for (const Material& material : materials.materials) validate(material);
  requireCountOrNone("number of materials", materials.number.size(), tets, "tetrahedra");
  for (const std::uint8_t number : materials.number)
    requireIndex("number of a material", number, materials.materials.size(), "materials");
}

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

namespace {

// Recovery (Zienkiewicz & Zhu 1992). Displacements are quadratic, so found stress is linear in a tetrahedron
// and jumps between them; at the four points of the rule of degree two it is an order better than elsewhere.
// At each corner x_0 a linear function is fitted to the samples s_q at x_q of the tetrahedra round it,
// weighted with their volumes V:
//
//   minimise sum_q V_q |a + G (x_q - x_0) - s_q|^2                                (1)
//   t = (1, (x - x_0) / reach):  (sum V t t^T) A = sum V t s^T,  stress = row 0 of A     (2)
//
// Inside it is exact for linear stress; on a plane of symmetry the patch is one-sided and would extrapolate,
// so the mirror images of all samples are added, which (1) may take as given. Shear with one index along the
// plane's normal changes sign there.
//
// The recovered stress s*, linear between corners, is nearer the truth than the found s; so the energy
//
//   G = integral of (s* - s)^T C^-1 (s* - s)                                      (3)
//
// estimates the error's energy, and falls with its order.

/// Stress at corners of the mesh, each a linear fit over the points of the tetrahedra round it.
class StressRecovery {
 public:
  StressRecovery(const QuadraticTets& mesh, const TetMaterials& materials,
                 std::span<const double> displacement, const std::vector<StressMirror>& mirrors,
                 double temperature)
      : mesh_(mesh),
        materials_(materials),
        mirrors_(mirrors),
        samples_(mesh.tets().size()),
        volume_(mesh.tets().size()),
        round_(mesh.tets(), mesh.nodes().size()) {
    const std::vector<Law> laws = lawsOf(materials);
    const std::vector<double> growth = growthStresses(materials, temperature);
    const auto points = quadraturePoints();
    forEach(
        samples_.size(),
        [&](std::size_t k) {
          const auto& t = mesh.tets()[k];
          const auto at = [&](std::size_t i) -> const Vec3& { return node(static_cast<std::size_t>(t[i])); };
          const Cell cell(at(0), at(1), at(2), at(3));
          const auto u = gathered(t, displacement);
          volume_[k] = cell.volume;
          for (std::size_t q = 0; q < 4; ++q) {
            Vec3 position = Vec3::Zero();
            for (std::size_t i = 0; i < 4; ++i) position += points[q][static_cast<Eigen::Index>(i)] * at(i);
            const std::size_t material = materials.numberOf(k);
            samples_[k][q] = {position,
                              stressAt(laws[material], cell.gradients(points[q]), u, growth[material])};
          }
        },
        kTetsPerBlock);
  }

  /// In the material that uses most of its strength there.
  MaterialStress at(std::size_t corner) const {
    std::vector<std::size_t> numbers;
    for (std::size_t k = round_.start[corner]; k < round_.start[corner + 1]; ++k)
      numbers.push_back(materials_.numberOf(static_cast<std::size_t>(round_.tet[k])));
    std::sort(numbers.begin(), numbers.end());
    numbers.erase(std::unique(numbers.begin(), numbers.end()), numbers.end());
    MaterialStress result;
    double most = -1;
    for (const std::size_t number : numbers) {
      MaterialStress own{fitted(corner, number), number};
      own.spread = spread(corner, own);
      const double used = vonMises(own.stress) / materials_.materials[number].strength;
      if (used <= most) continue;
      most = used;
      result = own;
    }
    return result;
  }

 private:
  const Vec3& node(std::size_t n) const { return mesh_.nodes()[n]; }

  void appendRound(std::size_t corner, std::size_t material, std::vector<int>& patch) const {
    for (std::size_t k = round_.start[corner]; k < round_.start[corner + 1]; ++k)
      if (materials_.numberOf(static_cast<std::size_t>(round_.tet[k])) == material)
        patch.push_back(round_.tet[k]);
  }

  /// The tetrahedra a corner's fit is made over: those round it, and if with their images they are few, the
  /// ones beside them.
  std::vector<int> patchOf(std::size_t corner, std::size_t material, std::size_t images) const {
    constexpr std::size_t kFew = 10;  // a corner inside has some 24
    std::vector<int> patch;
    appendRound(corner, material, patch);
    if (images * patch.size() >= kFew) return patch;
    const std::vector<int> own = patch;
    for (const int k : own)
      for (std::size_t i = 0; i < 4; ++i)
        appendRound(static_cast<std::size_t>(mesh_.tets()[static_cast<std::size_t>(k)][i]), material, patch);
    std::sort(patch.begin(), patch.end());
    patch.erase(std::unique(patch.begin(), patch.end()), patch.end());
    return patch;
  }

  /// The value at a corner of the linear function that fits the stress round it best, by least squares
  /// weighted with volume. Planes of symmetry through the corner add the images of all points.
  Stress fitted(std::size_t corner, std::size_t material) const {
    std::vector<const StressMirror*> through;
    for (const StressMirror& mirror : mirrors_)
      if (std::binary_search(mirror.nodes.begin(), mirror.nodes.end(), corner)) through.push_back(&mirror);
    const std::size_t images = std::size_t{1} << through.size();
    const std::vector<int> patch = patchOf(corner, material, images);
    double reach = 0;
    for (const int k : patch)
      for (const Sample& s : samples_[static_cast<std::size_t>(k)])
        reach = std::max(reach, (s.position - node(corner)).norm());
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    Eigen::Matrix<double, 4, 6> right = Eigen::Matrix<double, 4, 6>::Zero();
    for (const int k : patch)
      for (const Sample& sample : samples_[static_cast<std::size_t>(k)])
        for (std::size_t image = 0; image < images; ++image) {
          Sample s = sample;
          for (std::size_t m = 0; m < through.size(); ++m)
            if (image >> m & 1) reflect(s.position, s.stress, *through[m]);
          Eigen::Vector4d terms;
          terms << 1, (s.position - node(corner)) / reach;  // (2)
          normal += volume_[static_cast<std::size_t>(k)] * terms * terms.transpose();
          right += volume_[static_cast<std::size_t>(k)] * terms * s.stress.transpose();
        }
    // A patch in one plane has no slope across it; a trace of regularisation leaves it flat there.
    normal.diagonal().tail<3>().array() += 1e-13 * normal(0, 0);
    return normal.ldlt().solve(right).row(0).transpose();
  }

  /// See MaterialStress::spread.
  double spread(std::size_t corner, const MaterialStress& fit) const {
    double sum = 0;
    double total = 0;
    for (std::size_t i = round_.start[corner]; i < round_.start[corner + 1]; ++i) {
      const auto k = static_cast<std::size_t>(round_.tet[i]);
      if (materials_.numberOf(k) != fit.material) continue;
      const Stress here = cornerValue(samples_[k], static_cast<std::size_t>(round_.local[i]));
      const double off = vonMises(here - fit.stress);
      sum += volume_[k] * off * off;
      total += volume_[k];
    }
    return std::sqrt(sum / total);
  }

  const QuadraticTets& mesh_;
  const TetMaterials& materials_;
  const std::vector<StressMirror>& mirrors_;
  std::vector<std::array<Sample, 4>> samples_;
  std::vector<double> volume_;
  Incidence round_;
};

}  // namespace

std::vector<MaterialStress> QuadraticTets::cornerStress(const TetMaterials& materials,
                                                        std::span<const double> displacement,
                                                        const std::vector<StressMirror>& mirrors,
                                                        double temperature) const {
  validate(materials, tets_.size());
  requireCount("displacement", displacement.size(), 3 * nodes_.size(), "degrees of freedom");
  const StressRecovery recovery(*this, materials, displacement, mirrors, temperature);
  std::vector<MaterialStress> stress(corners_);
  forEach(
      corners_, [&](std::size_t n) { stress[n] = recovery.at(n); }, kTetsPerBlock);
  return stress;
}

QuadraticTets::Energies QuadraticTets::energies(const TetMaterials& materials,
                                                std::span<const double> displacement,
                                                const std::vector<MaterialStress>& recovered,
                                                double temperature) const {
  validate(materials, tets_.size());
  requireCount("displacement", displacement.size(), 3 * nodes_.size(), "degrees of freedom");
  requireCount("recovered", recovered.size(), corners_, "corner nodes");
  const std::vector<Law> laws = lawsOf(materials);
  std::vector<Law> compliances;
  for (const Law& law : laws) compliances.push_back(law.inverse());
  const std::vector<double> growth = growthStresses(materials, temperature);
  const auto points = quadraturePoints();
  const std::size_t blocks = (tets_.size() + kTetsPerBlock - 1) / kTetsPerBlock;
  std::vector<Energies> parts(blocks);
  forEach(
      blocks,
      [&](std::size_t block) {
        Energies& sum = parts[block];
        sum.storedByMaterial.assign(laws.size(), 0.0);
        const std::size_t end = std::min(tets_.size(), (block + 1) * kTetsPerBlock);
        for (std::size_t k = block * kTetsPerBlock; k < end; ++k) {
          const auto& t = tets_[k];
          const std::size_t material = materials.numberOf(k);
          const auto own = [&](std::size_t i) -> const MaterialStress& {
            return recovered[static_cast<std::size_t>(t[i])];
          };
          const bool within = own(0).material == material && own(1).material == material &&
                              own(2).material == material && own(3).material == material;
          const auto at = [&](std::size_t i) -> const Vec3& {
            return nodes_[static_cast<std::size_t>(t[i])];
          };
          const Cell cell(at(0), at(1), at(2), at(3));
          const auto u = gathered(t, displacement);
          for (const Barycentric& point : points) {
            const Stress found = stressAt(laws[material], cell.gradients(point), u, growth[material]);
            sum.storedByMaterial[material] += cell.volume / 4 * found.dot(compliances[material] * found);
            if (!within) continue;
            Stress gap = -found;
            for (std::size_t i = 0; i < 4; ++i) gap += point[static_cast<Eigen::Index>(i)] * own(i).stress;
            sum.gap += cell.volume / 4 * gap.dot(compliances[material] * gap);  // (3)
          }
        }
      },
      1);
  Energies total;
  total.storedByMaterial.assign(laws.size(), 0.0);
  for (const Energies& part : parts) {
    total.gap += part.gap;
    for (std::size_t m = 0; m < laws.size(); ++m) total.storedByMaterial[m] += part.storedByMaterial[m];
  }
  for (const double stored : total.storedByMaterial) total.stored += stored;
  return total;
}

}  // namespace barelattice
