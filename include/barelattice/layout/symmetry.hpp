/// @file
/// Symmetries of a layout: mirrors, turns, steps and constant sections at any place and in any direction.
#pragma once

#include <Eigen/Geometry>
#include <memory>
#include <variant>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/layout/layout_map.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

/// The layout is the same on both sides of the plane normal . x = at.
struct MirrorPlane {
  Vec3 normal = Vec3::UnitX();  ///< of length one
  double at = 0;                ///< m
};

/// It is the same `times` times round an axis.
struct RepeatRound {
  Vec3 axis = Vec3::UnitZ();    ///< of length one
  Vec3 through = Vec3::Zero();  ///< a point of the axis, m
  int times = 2;                ///< 2 or more
};

/// It is the same in cells next to each other.
struct RepeatAlong {
  Vec3 direction = Vec3::UnitX();  ///< of length one
  double from = 0;                 ///< where a cell begins, along the direction from the origin, m
  double step = 0;                 ///< from one cell to the next, m
  bool mirrored = false;           ///< every second cell is the mirror image of its neighbours
};

/// It is the same all along a direction.
struct ConstantSection {
  Vec3 along = Vec3::UnitZ();  ///< of length one
};

using SymmetryRule = std::variant<MirrorPlane, RepeatRound, RepeatAlong, ConstantSection>;

/// @throws InputError for a direction that is not of length one, a number that is not finite, fewer than two
/// times, a step of nothing.
void validate(const SymmetryRule& rule);

/// The motion that carries the layout onto itself; of a repetition from one piece to the next. Of a constant
/// section it may be by any distance.
/// @param distance of that motion, m.
Eigen::Isometry3d motionOf(const SymmetryRule& rule, double distance = 1e-3);

/// Several symmetries at once.
class Symmetry {
 public:
  /// @param tolerance two places closer than this are the same, m; above zero.
  /// @throws InputError if they do not fit together: if what one of them carries over each other would have
  ///   to be the same everywhere, as with mirrors at an angle of no whole part of half a turn.
  Symmetry(const std::vector<SymmetryRule>& rules, double tolerance);

  /// The one of all places that are alike which stands for them. O(images).
  Vec3 representative(const Vec3& point) const;
  /// Whether places along a line are alike.
  bool hasSections() const { return !sections_.empty(); }

 private:
  Vec3 intoFirstCell(Vec3 point) const;
  bool before(const Vec3& a, const Vec3& b) const;
  void closeUp(const std::vector<Eigen::Isometry3d>& generators);
  bool makesAlike(const Eigen::Isometry3d& motion, double scale) const;

  double tolerance_;
  std::vector<Eigen::Isometry3d> images_;  // mirrors and turns, and all that follow from them
  std::vector<RepeatAlong> steps_;
  std::vector<ConstantSection> sections_;
};

/// The map that makes a layout symmetric. Where the symmetry carries cells onto cells it gives those that are
/// alike their mean (`OrbitAverage`). Where it does not, each cell takes the value at its representative,
/// between the cells round that: every piece is the same function, looked at in other places, and the cells
/// of the first piece are its variables. O(cells times images); 96 bytes a cell in the second case (in the
/// plane 48).
template <int D>
std::shared_ptr<const LayoutMap> symmetryMap(const Grid<D>& grid, const Symmetry& symmetry);

}  // namespace barelattice
