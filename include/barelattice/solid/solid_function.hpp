/// @file
/// The finished part as one signed function of space.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "barelattice/geometry/tet_mesh.hpp"
#include "barelattice/grid/domain.hpp"

namespace barelattice {

/// A layout between the cell centres: smoothed, and continued beyond the domain so that not the grid but the
/// exact shapes decide where the part ends there.
class SmoothLayout {
 public:
  /// @param density one entry per cell of the domain's grid, 0 to 1.
  /// @param passes binomial smoothing passes (1 2 1 along each axis); after n of them a sharp step has a
  /// standard
  ///   deviation of sqrt(n / 2) cells. One blurs the stairs of the cells; each further one costs slim members
  ///   more of their thickness, which the threshold then gives to the stout ones.
  SmoothLayout(const Domain& domain, std::span<const double> density, int passes = 1);

  /// Trilinear between cell centres; 0 to 1.
  double operator()(const Vec3& point) const;

  double cellSize() const { return size_; }

 private:
  GridFrame<3> frame_;  // padded
  double size_;
  std::vector<float> values_;
};

/// Signed function of the part read at a threshold, negative inside, in metres near the surface (a lower
/// bound of the distance to exact shapes; a scaled density elsewhere):
///   (layout above threshold, inside the space; or keeps), without clears.
/// @param layout and `regions` must outlive the result.
Implicit solidFunction(const SmoothLayout& layout, const Regions& regions, double threshold);

}  // namespace barelattice
