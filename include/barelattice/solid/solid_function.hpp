/// @file
/// The finished part as one signed function of space.
#pragma once

#include <cstddef>
#include <functional>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/domain.hpp"
#include "barelattice/meshes/tet_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// A layout between the cell centres: smoothed, and continued beyond the domain so that not the grid but the
/// exact shapes decide where the part ends there. The layout of a sheet does not change along z.
class SmoothLayout {
 public:
  /// @param level one entry per cell of the domain's grid, 0 to 1: a density, or better what it is projected
  ///   from.
  /// @param reach distance over which the level changes by one, m; 2.5 cells for a density that is a step.
  /// @param passes binomial smoothing passes (1 2 1 along each axis); after n of them a sharp step has a
  /// standard
  ///   deviation of sqrt(n / 2) cells. One blurs the stairs of the cells; each further one costs slim members
  ///   more of their thickness, which the threshold then gives to the stout ones.
  template <int D>
  SmoothLayout(const Domain<D>& domain, std::span<const double> level, double reach, int passes = 1);

  /// Multilinear between cell centres; 0 to 1.
  double operator()(const Vec3& point) const { return interpolate(values_, point); }

  double cellSize() const { return frame_.size; }
  double reach() const { return reach_; }
  /// The cells the layout is held on: those of the domain with some more on every side; one layer for a
  /// sheet.
  const GridFrame<3>& frame() const { return frame_; }
  bool flat() const { return flat_; }

  /// The value at every cell of `frame`, the first coordinate running fastest.
  const std::vector<float>& values() const { return values_; }
  /// Makes cells of `frame` full, by number.
  void fill(std::span<const std::size_t> cells);

  /// A field on the cells of `frame` between their centres, like the layout itself.
  double interpolate(const std::vector<float>& field, const Vec3& point) const;

  /// The layout beside the keeps, on the cells of `frame`: continued into them as beyond the domain, so that
  /// a member that ends at a keep runs on in it, and a keep in the open has none. Empty without keeps.
  const std::vector<float>& besideKeeps() const { return besideKeeps_; }

 private:
  GridFrame<3> frame_;  // padded
  bool flat_ = false;
  double reach_ = 0;
  std::vector<float> values_;
  std::vector<float> besideKeeps_;
};

/// What is cleaned up when a layout is read.
struct CleanUp {
  double voidSize = 0;  ///< enclosed voids of less than a ball (disc) of this diameter are filled, m
  double gap = 0;       ///< gaps narrower than this are closed, m; two cells or more are seen reliably
  double fillet = 0;    ///< radius of the fillet where members end at keeps, m; one cell or more shows
};

/// What the clean-up did.
struct CleanUpReport {
  std::size_t voids = 0;  ///< how many were filled
  double voidVolume = 0;  ///< m3 (m2 for a sheet)
};

/// Bonded parts are no piece of the designed part, but of the body it is analysed as.
enum class BondedParts { cutOut, joined };

/// Signed function of the part read at a threshold, negative inside, in metres near the surface (a lower
/// bound of the distance to exact shapes; a scaled density elsewhere):
///   (layout above threshold, inside the space; or keeps), without clears; and without or with bonded parts.
/// Gaps are closed by growing the part by half the gap and shrinking it again (morphological closing), with
/// distances found anew before either step; what closing and fillets add stays inside the space and out of
/// clears. A fillet has its radius where a member ends at a keep squarely, and where the layout is as steep
/// as its reach says: about. Layout and regions are copied.
Implicit solidFunction(const SmoothLayout& layout, const Regions& regions, double threshold,
                       const CleanUp& cleanUp = {}, CleanUpReport* report = nullptr,
                       BondedParts parts = BondedParts::cutOut);

}  // namespace barelattice
