/// @file
/// Where faces meet the grid: loads spread over nodes, supports hold nodes.
#pragma once

#include <span>
#include <vector>

#include "barelattice/grid/grid.hpp"
#include "barelattice/mechanics/face_action.hpp"
#include "barelattice/voxels/forces.hpp"

namespace barelattice {

/// Ties each point of a face to the cell just below it. In two dimensions z is ignored.
template <int D>
class Attachment {
 public:
  Attachment(const Grid<D>& grid, const Face& face);

  /// Share of the face's area that has a cell below it, 0 to 1.
  double covered() const { return covered_; }

  /// Adds an action to nodal forces. Each point's share goes to the corners of
  /// its cell with multilinear weights. Those weights reproduce linear functions, so the resultant force and
  /// moment are the face's own, whatever the cells look like. Where part of the face has no cell below it,
  /// the rest carries its share.
  /// @throws InputError if no cell lies below the face.
  void addAction(const FaceAction& action, Forces& forces) const;

  /// The nodes on the face: of each cell the corner nearest to the point above it. Ascending.
  std::vector<std::size_t> nodes() const;

  /// A displacement field averaged over the face, m.
  Vec3 meanDisplacement(std::span<const double> displacement) const;

  /// The cells below the face, ascending.
  std::vector<std::size_t> cells() const;

 private:
  struct Tie {
    std::size_t cell;
    SurfacePoint point;
    std::array<double, kCorners<D>>
        weight;  // of the cell's corners; outside 0 to 1 for a point above the cell
  };
  const Grid<D>& grid_;
  std::vector<Tie> ties_;
  double tiedArea_ = 0;
  double covered_ = 0;
};

}  // namespace barelattice
