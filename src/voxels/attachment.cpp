#include "barelattice/voxels/attachment.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "barelattice/base/error.hpp"
#include "voxel_operator.hpp"

namespace barelattice {
namespace {

/// The cell that holds `point`, or else the nearest existing one among its neighbours; -1 if there is none.
template <int D>
int cellNear(const Grid<D>& grid, const Point<D>& point) {
  const GridFrame<D>& frame = grid.frame();
  Index<D> home;
  Index<D> around;
  around.fill(3);
  for (std::size_t i = 0; i < D; ++i) {
    const auto e = static_cast<Eigen::Index>(i);
    home[i] = static_cast<int>(std::floor((point[e] - frame.origin[e]) / frame.size));
  }
  if (const int cell = grid.cellAt(home); cell >= 0) return cell;
  int best = -1;
  double least = std::numeric_limits<double>::max();
  forEachIndex<D>(around, [&](const Index<D>& offset) {
    Index<D> at = home;
    for (std::size_t i = 0; i < D; ++i) at[i] += offset[i] - 1;
    const int cell = grid.cellAt(at);
    if (cell < 0) return;
    const double gap = (frame.centre(at) - point).squaredNorm();
    if (gap < least) {
      least = gap;
      best = cell;
    }
  });
  return best;
}

}  // namespace

template <int D>
Attachment<D>::Attachment(const Grid<D>& grid, const Face& face) : grid_(grid) {
  const double size = grid.frame().size;
  for (const SurfacePoint& point : face.points) {
    // Half a cell into the material: a face rarely lies on cell boundaries.
    const Vec3 below = point.position - 0.5 * size * point.normal;
    const int cell = cellNear<D>(grid, below.head<D>());
    if (cell < 0) continue;
    const auto c = static_cast<std::size_t>(cell);
    const Point<D> local = (point.position.head<D>() - grid.cellCentre(c)) / size + Point<D>::Constant(0.5);
    Tie tie{c, point, {}};
    for (int corner = 0; corner < kCorners<D>; ++corner) {
      double weight = 1;
      for (int i = 0; i < D; ++i) weight *= corner >> i & 1 ? local[i] : 1 - local[i];
      tie.weight[static_cast<std::size_t>(corner)] = weight;
    }
    ties_.push_back(tie);
    tiedArea_ += point.area;
  }
  covered_ = tiedArea_ / face.area();
}

template <int D>
void Attachment<D>::addAction(const FaceAction& action, Forces& forces) const {
  if (ties_.empty()) throw InputError("the face lies on empty space");
  const FaceAction whole = action * (1 / covered_);
  for (const Tie& tie : ties_) {
    const Vec3 force = whole.on(tie.point, tiedArea_ / covered_);
    const auto nodes = grid_.cellNodes(tie.cell);
    for (std::size_t corner = 0; corner < nodes.size(); ++corner)
      for (int i = 0; i < D; ++i)
        forces[gridDof(grid_, static_cast<std::size_t>(nodes[corner]), i)] += tie.weight[corner] * force[i];
  }
}

template <int D>
std::vector<std::size_t> Attachment<D>::nodes() const {
  std::vector<std::size_t> found;
  for (const Tie& tie : ties_) {
    // The nearest corner has the largest multilinear weight.
    const auto nearest = std::max_element(tie.weight.begin(), tie.weight.end()) - tie.weight.begin();
    found.push_back(static_cast<std::size_t>(grid_.cellNodes(tie.cell)[static_cast<std::size_t>(nearest)]));
  }
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
  return found;
}

template <int D>
Vec3 Attachment<D>::meanDisplacement(std::span<const double> displacement) const {
  Vec3 sum = Vec3::Zero();
  for (const Tie& tie : ties_) {
    const auto nodes = grid_.cellNodes(tie.cell);
    for (std::size_t corner = 0; corner < nodes.size(); ++corner)
      for (int i = 0; i < D; ++i)
        sum[i] += tie.point.area / tiedArea_ * tie.weight[corner] *
                  displacement[gridDof(grid_, static_cast<std::size_t>(nodes[corner]), i)];
  }
  return sum;
}

template <int D>
std::vector<std::size_t> Attachment<D>::cells() const {
  std::vector<std::size_t> found;
  for (const Tie& tie : ties_) found.push_back(tie.cell);
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
  return found;
}

template class Attachment<2>;
template class Attachment<3>;

}  // namespace barelattice
