/// @file
/// Where faces meet the grid: loads spread over nodes, supports hold nodes.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "barelattice/elasticity/forces.hpp"
#include "barelattice/geometry/face.hpp"
#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// A force and the moment about a point.
struct Resultant {
  Vec3 force = Vec3::Zero();   ///< N
  Vec3 moment = Vec3::Zero();  ///< N m
};

/// What acts on a face: a force spread evenly over it, and a pressure along its inward normals.
struct FaceAction {
  Vec3 force = Vec3::Zero();  ///< N in total
  double pressure = 0;        ///< Pa, positive pushes into the material

  /// The force on one point's share of the face, N. @param faceArea of the whole face, m2.
  Vec3 on(const SurfacePoint& point, double faceArea) const {
    return point.area * (force / faceArea - pressure * point.normal);
  }
  FaceAction operator*(double factor) const { return {factor * force, factor * pressure}; }
};

/// Resultant of an action on a face, about `about` (m).
Resultant resultantOnFace(const Face& face, const FaceAction& action, const Vec3& about);

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

/// The rigid motions that supports leave free, each as a phrase: "sliding along x", "turning about an axis
/// along (0, 0.6, 0.8) through (10, 0, 0) mm". Empty when the body is held.
/// @param points where something is held, m, with the held directions (bit i: component i).
struct HeldPoint {
  Vec3 position;
  unsigned directions = 7;
};
/// @param planar only motions within the x-y plane count.
std::vector<std::string> freeMotions(const std::vector<HeldPoint>& points, bool planar = false);

}  // namespace barelattice
