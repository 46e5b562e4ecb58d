// Where a tool reaches on a finished surface. Internal to the room.
#pragma once

#include <Eigen/Core>
#include <array>
#include <vector>

#include "barelattice/layout/tool.hpp"
#include "meshes/parallel_rays.hpp"

namespace barelattice {

/// A map of heights seen from a side, found by rays, and what a tool leaves of it: the inverse tool offset of
/// machining. Nothing of it knows of voxels.
class ToolReach {
 public:
  /// @param rays along the side, of the solid. @param side unit vector from the part to the tool.
  /// @param tolerance by which a surface may lie off what the tool leaves, m; no less than a five-hundredth
  /// of
  ///   the part is told apart.
  /// O(n) nodes of the map times those across a tool, for each step of its profile.
  ToolReach(const TriangleMesh& solid, const ParallelRays& rays, const Vec3& side, const Tool& tool,
            double tolerance);

  /// Whether the tool gets to a place in the open, to the tolerance.
  bool reaches(const Vec3& point) const;

 private:
  /// A slice of a tool: it is as wide as `radius` from `height` above its tip.
  struct Disc {
    double radius, height;
  };
  static std::vector<Disc> discsOf(const Tool& tool, double deep, double pitch, double slimmer, bool cutting,
                                   double widestHolder);
  void settlePitch(const Tool& tool, double deep, double width, double length);
  std::size_t place(int u, int v) const;
  void measureHeights(const ParallelRays& rays);
  template <bool kLargest>
  std::vector<double> bestOf(const std::vector<double>& field, const std::vector<Disc>& discs) const;

  Eigen::Matrix3d turn_;  // the side becomes the third axis
  double tolerance_;
  double pitch_ = 0;
  std::array<double, 2> low_{};
  std::array<int, 2> count_{};
  double bottom_ = 0;
  std::vector<double> height_;  // of the solid, seen from the side
  std::vector<double> left_;    // by the tool
};

}  // namespace barelattice
