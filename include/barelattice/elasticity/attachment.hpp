/// @file
/// Where faces meet the grid: loads spread over nodes, supports hold nodes.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "barelattice/geometry/face.hpp"
#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// A force and the moment about a point.
struct Resultant {
  Vec3 force = Vec3::Zero();   ///< N
  Vec3 moment = Vec3::Zero();  ///< N m
};

/// Resultant of a force spread evenly over a face, about `about` (m).
Resultant resultantOnFace(const Face& face, const Vec3& force, const Vec3& about);

/// Ties each point of a face to the cell just below it.
class Attachment {
 public:
  Attachment(const Grid<3>& grid, const Face& face);

  /// Share of the face's area that has a cell below it, 0 to 1.
  double covered() const { return covered_; }

  /// Adds `force` (N), spread evenly over the face, to nodal forces ordered as gridDof says. Each point's
  /// share goes to the corners of its cell with multilinear weights. Those weights reproduce linear
  /// functions, so the resultant force and moment are the face's own, whatever the cells look like.
  /// @throws InputError if no cell lies below the face.
  void addForce(const Vec3& force, std::span<double> forces) const;

  /// The nodes on the face: of each cell the corner nearest to the point above it. Ascending.
  std::vector<std::size_t> nodes() const;

  /// A displacement field averaged over the face, m.
  Vec3 meanDisplacement(std::span<const double> displacement) const;

  /// The cells below the face, ascending.
  std::vector<std::size_t> cells() const;

 private:
  struct Tie {
    std::size_t cell;
    double area;
    std::array<double, 8> weight;  // of the cell's corners; may be outside 0 to 1 for a point above the cell
  };
  const Grid<3>& grid_;
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
std::vector<std::string> freeMotions(const std::vector<HeldPoint>& points);

}  // namespace barelattice
