// One ten-node tetrahedron with straight edges: shape functions, integration points, stress. Internal to the
// room.
#pragma once

#include <Eigen/LU>
#include <array>
#include <cmath>
#include <numeric>
#include <span>
#include <vector>

#include "barelattice/tets/quadratic_tets.hpp"
#include "base/check.hpp"

namespace barelattice {

inline constexpr std::array<std::array<std::size_t, 2>, 6> kEdges{
    {{0, 1}, {1, 2}, {0, 2}, {0, 3}, {1, 3}, {2, 3}}};
inline constexpr std::size_t kTetsPerBlock = 256;

using Gradients = Eigen::Matrix<double, 10, 3>;  // of the ten shape functions
using Barycentric = Eigen::Matrix<double, 4, 1>;

/// Four-point rule of degree two on a tetrahedron (Hammer & Stroud 1956); equal weights.
inline std::array<Barycentric, 4> quadraturePoints() {
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
inline Stress stressAt(const Eigen::Matrix<double, 6, 6>& law, const Gradients& g,
                       const Eigen::Matrix<double, 10, 3>& u, double growth = 0) {
  const Eigen::Matrix3d d = u.transpose() * g;  // displacement gradient
  Stress strain;
  strain << d(0, 0), d(1, 1), d(2, 2), d(1, 2) + d(2, 1), d(0, 2) + d(2, 0), d(0, 1) + d(1, 0);
  Stress stress = law * strain;
  stress.head<3>().array() -= growth;
  return stress;
}

inline Eigen::Matrix3d tensor(const Stress& s) {
  Eigen::Matrix3d m;
  m << s[0], s[5], s[4], s[5], s[1], s[3], s[4], s[3], s[2];
  return m;
}

inline Eigen::Matrix<double, 10, 3> gathered(const std::array<int, 10>& tet, std::span<const double> field) {
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
inline std::vector<Law> lawsOf(const TetMaterials& materials) {
  std::vector<Law> laws;
  for (const Material& m : materials.materials) laws.push_back(m.modulus * constitutiveMatrix<3>(m.poisson));
  return laws;
}

/// What each material would press with in all directions if it were kept from growing, Pa.
inline std::vector<double> growthStresses(const TetMaterials& materials, double temperature) {
  std::vector<double> stresses;
  for (const Material& m : materials.materials)
    stresses.push_back(m.modulus * hydrostaticStiffness<3>(m.poisson) * m.expansion * temperature);
  return stresses;
}

inline void validate(const TetMaterials& materials, std::size_t tets) {
  if (materials.materials.empty()) throw InputError("there is no material", "give one or more");
  for (const Material& material : materials.materials) validate(material);
  requireCountOrNone("number of materials", materials.number.size(), tets, "tetrahedra");
  for (const std::uint8_t number : materials.number)
    requireIndex("number of a material", number, materials.materials.size(), "materials");
}

}  // namespace barelattice
