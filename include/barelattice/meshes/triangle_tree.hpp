/// @file
/// A tree of bounding boxes over triangles, for nearest points and overlaps.
#pragma once

#include <functional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// The point of a surface nearest to a given one.
struct NearestPoint {
  int triangle = -1;
  Vec3 position = Vec3::Zero();     ///< on the triangle, m
  Vec3 barycentric = Vec3::Zero();  ///< weights of its corners, each 0 to 1, sum 1
  double distance = 0;              ///< m, not negative
};

/// Holds a reference: the mesh must outlive the tree and stay as it is.
class TriangleTree {
 public:
  explicit TriangleTree(const TriangleMesh& mesh);
  explicit TriangleTree(TriangleMesh&&) = delete;

  /// The nearest point on the surface. The mesh must have a triangle. O(log n) typically.
  NearestPoint nearest(const Vec3& point) const;

  /// The nearest point closer than `within` (m) on the triangles that count; triangle -1 if there is none.
  NearestPoint nearestWhere(const Vec3& point, double within,
                            const std::function<bool(int triangle)>& counts) const;

  /// The nearest point on the given triangles; of none, triangle -1.
  NearestPoint nearestOf(const Vec3& point, const std::vector<int>& triangles) const;

  /// The triangles with a point within `reach` (m) of `centre`, ascending; rounding is on the safe side.
  std::vector<int> within(const Vec3& centre, double reach) const;
  /// The same of the given triangles, in their order.
  std::vector<int> within(const Vec3& centre, double reach, const std::vector<int>& triangles) const;

  /// Appends every triangle whose bounding box meets `box`, once each, ascending.
  void appendOverlaps(const Box& box, std::vector<int>& triangles) const;

 private:
  struct Node {
    Box box;
    int first = 0;  // leaf: first entry of order_; inner: left child (the right one follows at second)
    int second = 0;
    int count = 0;  // above zero for a leaf
  };
  struct Piece {  // of a triangle
    int triangle;
    Box box;
  };
  static double squaredGap(const Node& node, const Vec3& point);
  void improve(const Vec3& point, int triangle, NearestPoint& best, double& bestSquared) const;
  template <class Counts>
  NearestPoint search(const Vec3& point, double within, const Counts& counts) const;
  bool reaches(const Vec3& centre, double reach, int triangle) const;
  int build(int begin, int end, std::vector<Piece>& pieces);

  const TriangleMesh& mesh_;
  std::vector<int> order_;  // the triangles of the leaves' pieces
  std::vector<Node> nodes_;
  std::vector<Vec3> normals_;  // of the triangles; zero where there is none
};

}  // namespace barelattice
