/// @file
/// Ten-node tetrahedra: the mesh with nodes on its edges, and its stiffness.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "barelattice/elasticity/block_matrix.hpp"
#include "barelattice/elasticity/material.hpp"
#include "barelattice/geometry/tet_mesh.hpp"

namespace barelattice {

/// Symmetric stress tensor in Voigt order xx, yy, zz, yz, xz, xy, Pa.
using Stress = Eigen::Matrix<double, 6, 1>;

/// The largest and the smallest principal stress, Pa; tension is positive.
std::array<double, 2> principalRange(const Stress& stress);

/// sqrt of half the sum of squared differences of the principal stresses, Pa.
double vonMises(const Stress& stress);

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
  double volume() const;  ///< m3

  /// Stiffness for unit modulus, rows and columns of held components zero. Four-point integration, exact for
  /// straight edges. @param held the held components of each node: bit 0 x, bit 1 y, bit 2 z.
  BlockMatrix<3, double> stiffness(double poisson, const std::vector<std::uint8_t>& held) const;

  /// Nodal forces of the stresses of a displacement field, without any support: K u for the given material,
  /// N.
  std::vector<double> internalForces(const Material& material, std::span<const double> displacement) const;

  /// The share of the volume each corner node stands for, m3.
  std::vector<double> cornerVolumes() const;

  /// Stress at the corner nodes, recovered from the integration points of the tetrahedra round each: the
  /// value there of the linear function that fits them best (Zienkiewicz & Zhu 1992, superconvergent patch
  /// recovery). Exact where the stress is linear. Nodes with few tetrahedra take those round their neighbours
  /// in as well.
  std::vector<Stress> cornerStress(const Material& material, std::span<const double> displacement) const;

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
