#include "barelattice/voxels/grid_ties.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "barelattice/voxels/node_support.hpp"
#include "base/check.hpp"

namespace barelattice {
namespace {

/// Of a cell and its neighbours the nearest to a point of those that exist and suit; -1 if there is none.
template <int D, class Suits>
int nearestAround(const Grid<D>& grid, const Index<D>& home, const Point<D>& point, const Suits& suits) {
  Index<D> around;
  around.fill(3);
  int best = -1;
  double least = std::numeric_limits<double>::max();
  forEachIndex<D>(around, [&](const Index<D>& offset) {
    Index<D> at = home;
    for (std::size_t i = 0; i < D; ++i) at[i] += offset[i] - 1;
    const int cell = grid.cellAt(at);
    if (cell < 0 || !suits(static_cast<std::size_t>(cell))) return;
    const double gap = (grid.frame().centre(at) - point).squaredNorm();
    if (gap < least) {
      least = gap;
      best = cell;
    }
  });
  return best;
}

/// The cell that holds `point`, or else the nearest existing one among its neighbours; -1 if there is none.
template <int D>
int cellNear(const Grid<D>& grid, const Point<D>& point) {
  const GridFrame<D>& frame = grid.frame();
  Index<D> home;
  for (std::size_t i = 0; i < D; ++i) {
    const auto e = static_cast<Eigen::Index>(i);
    home[i] = static_cast<int>(std::floor((point[e] - frame.origin[e]) / frame.size));
  }
  if (const int cell = grid.cellAt(home); cell >= 0) return cell;
  return nearestAround<D>(grid, home, point, [](std::size_t) { return true; });
}

/// The same of a domain; the nearest cell that stays solid where the one below the point need not and a
/// keep has part of it.
template <int D>
int cellNear(const Domain<D>& domain, const Point<D>& point) {
  const int cell = cellNear(domain.grid, point);
  if (cell < 0 || domain.partlyKept[static_cast<std::size_t>(cell)] == 0) return cell;
  const int firm = nearestAround<D>(domain.grid, domain.grid.cellIndex(static_cast<std::size_t>(cell)), point,
                                    [&](std::size_t c) { return domain.keep[c] != 0; });
  return firm < 0 ? cell : firm;
}

void sortEach(std::vector<std::size_t>& numbers) {
  std::sort(numbers.begin(), numbers.end());
  numbers.erase(std::unique(numbers.begin(), numbers.end()), numbers.end());
}

/// @param cellBelow the cell of a point below the face, or -1.
template <int D, class CellBelow>
GridTies tiesOf(const Grid<D>& grid, const Face& face, const CellBelow& cellBelow) {
  GridTies ties;
  ties.faceArea = face.area();
  ties.missesByCoarseness = true;
  const double size = grid.frame().size;
  for (const SurfacePoint& point : face.points) {
    requireFinite("place of a face's point", point.position);
    // Half a cell into the material: a face rarely lies on cell boundaries.
    const Vec3 below = point.position - 0.5 * size * point.normal;
    const int cell = cellBelow(Point<D>(below.head<D>()));
    if (cell < 0) continue;
    const auto c = static_cast<std::size_t>(cell);
    const Point<D> local = (point.position.head<D>() - grid.cellCentre(c)) / size + Point<D>::Constant(0.5);
    const auto nodes = grid.cellNodes(c);
    TieWeight nearest;  // the nearest corner has the largest multilinear weight
    for (int corner = 0; corner < kCorners<D>; ++corner) {
      TieWeight tie{static_cast<std::size_t>(nodes[static_cast<std::size_t>(corner)]), 1};
      for (int i = 0; i < D; ++i) tie.weight *= corner >> i & 1 ? local[i] : 1 - local[i];
      if (corner == 0 || tie.weight > nearest.weight) nearest = tie;
      ties.weights.push_back(tie);
    }
    ties.close(point);
    ties.nodes.push_back(nearest.node);
    ties.cells.push_back(c);
  }
  sortEach(ties.nodes);
  sortEach(ties.cells);
  for (const std::size_t node : ties.nodes) ties.places.push_back(placeOf(grid, node));
  return ties;
}

}  // namespace

template <int D>
GridTies tieToGrid(const Grid<D>& grid, const Face& face) {
  return tiesOf<D>(grid, face, [&](const Point<D>& below) { return cellNear<D>(grid, below); });
}

template <int D>
GridTies tieToGrid(const Domain<D>& domain, const Face& face) {
  return tiesOf<D>(domain.grid, face, [&](const Point<D>& below) { return cellNear<D>(domain, below); });
}

template BARELATTICE_API GridTies tieToGrid(const Grid<2>&, const Face&);
template BARELATTICE_API GridTies tieToGrid(const Grid<3>&, const Face&);
template BARELATTICE_API GridTies tieToGrid(const Domain<2>&, const Face&);
template BARELATTICE_API GridTies tieToGrid(const Domain<3>&, const Face&);

}  // namespace barelattice
