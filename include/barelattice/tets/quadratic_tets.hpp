/// @file
/// Ten-node tetrahedra: the mesh with nodes on its edges, and its stiffness.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/mechanics/grounding.hpp"
#include "barelattice/mechanics/material.hpp"
#include "barelattice/meshes/tet_mesh.hpp"

namespace barelattice BARELATTICE_API {

template <int B, class Real>
class BlockMatrix;

/// Symmetric stress tensor in Voigt order xx, yy, zz, yz, xz, xy, Pa.
using Stress = Eigen::Matrix<double, 6, 1>;

/// The largest and the smallest principal stress, Pa; tension is positive.
std::array<double, 2> principalRange(const Stress& stress);

/// sqrt of half the sum of squared differences of the principal stresses, Pa.
double vonMises(const Stress& stress);

/// What the tetrahedra of a mesh are made of.
struct TetMaterials {
  std::vector<Material> materials;   ///< one or more
  std::vector<std::uint8_t> number;  ///< of each tetrahedron's material; empty if all are of the first

  std::size_t numberOf(std::size_t tet) const { return number.empty() ? 0 : number[tet]; }
  const Material& of(std::size_t tet) const { return materials[numberOf(tet)]; }
};

/// A stress and the material it is in.
struct MaterialStress {
  Stress stress = Stress::Zero();
  std::size_t material = 0;  ///< number
  /// How far the tetrahedra round the node differ from it there: the von Mises measure of the difference,
  /// root mean square by volume, Pa.
  double spread = 0;
};

/// A plane of symmetry the body ends at: rollers on a flat face along a coordinate axis.
struct StressMirror {
  int axis = 0;                    ///< of its normal
  double at = 0;                   ///< m
  std::vector<std::size_t> nodes;  ///< that lie on it, ascending
};

/// A tetrahedral mesh with straight edges and a node in the middle of each. Corner nodes come first, numbered
/// as the vertices of the mesh it was made from (without unused ones); displacements have three components
/// per node.
class QuadraticTets {
 public:
  explicit QuadraticTets(const TetMesh& mesh);

  std::size_t nodeCount() const { return nodes_.size(); }
  std::size_t cornerCount() const { return corners_; }
  const std::vector<Vec3>& nodes() const { return nodes_; }
  /// Corners 0 to 3, then the middles of the edges 01, 12, 02, 03, 13, 23 (the order of VTK's quadratic
  /// tetrahedron).
  const std::vector<std::array<int, 10>>& tets() const { return tets_; }
  /// The two ends of the edge middle node `corners + i` lies on.
  const std::vector<std::array<int, 2>>& edges() const { return edges_; }
  /// Faces on the surface, facing outward: three corners, then the middles of 01, 12, 20.
  const std::vector<std::array<int, 6>>& surface() const { return surface_; }
  /// The same faces as triangles between corner nodes.
  TriangleMesh surfaceTriangles() const;
  std::vector<double> volumes() const;  ///< of the tetrahedra, m3
  double volume() const;                ///< m3

  /// Stiffness in units of the first material's modulus, with the springs of supports, between what they
  /// leave free: Q K Q. Four-point integration, exact for straight edges. Where a held direction is no axis,
  /// its own stiffness is one like that of its node, joined to nothing, so that blocks of the diagonal have
  /// inverses.
  /// @param supports ordered by node, each node once.
  BlockMatrix<3, double> stiffness(const TetMaterials& materials,
                                   const std::vector<NodeSupport<3>>& supports) const;

  /// Nodal forces of a force on all mass, N: the integral of its density times shape functions, exactly. Adds
  /// to `forces`.
  void addBodyForce(const TetMaterials& materials, const BodyForce& force, std::span<double> forces) const;

  /// Nodal forces of a body that is warmer by `change` (K) and kept from growing, N: the integral of
  /// B^T C alpha change. Adds to `forces`.
  void addGrowthForces(const TetMaterials& materials, double change, std::span<double> forces) const;

  /// The mass each node stands for, kg, so that a diagonal takes the place of the mass matrix: the consistent
  /// one's diagonal, scaled to the mass of each tetrahedron (Hinton, Rock & Zienkiewicz 1976): 1/36 of it for
  /// a corner, 4/27 for the middle of an edge.
  std::vector<double> nodalMasses(const TetMaterials& materials) const;

  /// Nodal forces of the stresses of a displacement field, without any support: K u, N.
  std::vector<double> internalForces(const TetMaterials& materials,
                                     std::span<const double> displacement) const;

  /// The share of the volume each corner node stands for, m3.
  std::vector<double> cornerVolumes() const;

  /// Stress at the corner nodes, recovered from the integration points of the tetrahedra round each: the
  /// value there of the linear function that fits them best (Zienkiewicz & Zhu 1992, superconvergent patch
  /// recovery). Exact where the stress is linear. Nodes with few tetrahedra take those round their neighbours
  /// in as well. Stresses jump where materials meet: a node there gets that of the material nearest to its
  /// strength, recovered from that material's tetrahedra only. On mirrors the patch goes on behind them.
  /// @param temperature how much warmer the body is than where it is free of stress, K.
  std::vector<MaterialStress> cornerStress(const TetMaterials& materials,
                                           std::span<const double> displacement,
                                           const std::vector<StressMirror>& mirrors = {},
                                           double temperature = 0) const;

  /// What a displacement field holds of energy, and what recovered stress makes of it.
  struct Energies {
    double stored = 0;  ///< integral of s : C^-1 : s, twice the strain energy, J
    double gap = 0;     ///< integral of d : C^-1 : d, what recovered stress and stress differ by, J
    std::vector<double> storedByMaterial;  ///< `stored` by number of the material, J
  };
  /// The gap is the energy of what recovered stress and stress differ by: twice the strain energy of the
  /// error as far as the recovered stress is the better one (Zienkiewicz & Zhu 1992). Tetrahedra with a
  /// corner recovered in another material are left out of it.
  Energies energies(const TetMaterials& materials, std::span<const double> displacement,
                    const std::vector<MaterialStress>& recovered, double temperature = 0) const;

 private:
  void addEdgeNodes();
  void findSurface(const TetMesh& mesh);

  std::size_t corners_ = 0;
  std::vector<Vec3> nodes_;
  std::vector<std::array<int, 10>> tets_;
  std::vector<std::array<int, 2>> edges_;
  std::vector<std::array<int, 6>> surface_;
};

}  // namespace barelattice
