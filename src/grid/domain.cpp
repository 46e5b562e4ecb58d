#include "barelattice/grid/domain.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "barelattice/base/error.hpp"
#include "barelattice/base/parallel.hpp"
#include "barelattice/base/quantity.hpp"

namespace barelattice {
namespace {

constexpr int kSamplesPerAxis = 5;
constexpr double kSamplesPerCell = kSamplesPerAxis * kSamplesPerAxis * kSamplesPerAxis;

double least(const std::vector<ShapePtr>& shapes, const Vec3& point) {
  double value = std::numeric_limits<double>::max();
  for (const ShapePtr& shape : shapes) value = std::min(value, shape->distance(point));
  return value;
}

struct Shares {
  double available = 0;
  double kept = 0;
};

/// A region reduced to the shapes whose boundary may pass through one cell.
class LocalRegion {
 public:
  /// @param reach half the diagonal of the cell: shapes never overestimate a distance, so beyond it their
  /// sign
  ///   is the same in the whole cell.
  LocalRegion(const Vec3& centre, double reach) : centre_(centre), reach_(reach) {}

  void add(const ShapePtr& shape) {
    const double distance = shape->distance(centre_);
    if (distance < -reach_)
      covers_ = true;
    else if (distance <= reach_)
      near_.push_back(shape.get());
  }
  bool decided() const { return covers_ || near_.empty(); }
  bool contains(const Vec3& point) const {
    return covers_ ||
           std::any_of(near_.begin(), near_.end(), [&](const Shape* s) { return s->distance(point) < 0; });
  }

 private:
  Vec3 centre_;
  double reach_;
  bool covers_ = false;
  std::vector<const Shape*> near_;
};

Shares sampleCell(const Regions& regions, const Vec3& centre, double size) {
  const double reach = 0.5 * std::sqrt(3.0) * size;
  LocalRegion space(centre, reach);
  LocalRegion keep(centre, reach);
  LocalRegion clear(centre, reach);
  space.add(regions.space);
  for (const ShapePtr& shape : regions.keeps) keep.add(shape);
  for (const ShapePtr& shape : regions.clears) clear.add(shape);
  const auto sharesAt = [&](const Vec3& point) {
    const bool free = !clear.contains(point);
    const bool kept = free && keep.contains(point);
    return Shares{kept || (free && space.contains(point)) ? 1.0 : 0.0, kept ? 1.0 : 0.0};
  };
  if (space.decided() && keep.decided() && clear.decided()) return sharesAt(centre);
  Shares sum;
  for (int k = 0; k < kSamplesPerAxis; ++k)
    for (int j = 0; j < kSamplesPerAxis; ++j)
      for (int i = 0; i < kSamplesPerAxis; ++i) {
        const Vec3 offset = (Vec3(i, j, k) + Vec3::Constant(0.5)) / kSamplesPerAxis - Vec3::Constant(0.5);
        const Shares shares = sharesAt(centre + size * offset);
        sum.available += shares.available;
        sum.kept += shares.kept;
      }
  return {sum.available / kSamplesPerCell, sum.kept / kSamplesPerCell};
}

/// The smallest box of whole cells round the regions; shifted so that a mirror plane falls between cells.
GridFrame<3> frameOf(const Regions& regions, double size, const std::optional<MirrorPlane>& mirror) {
  const Box box = regions.bounds();
  GridFrame<3> frame;
  frame.size = size;
  double count = 1;
  for (int i = 0; i < 3; ++i) {
    // A box that is a whole number of cells long up to rounding must not gain a layer of empty cells.
    const double slack = 1e-6 * size;
    double low = box.min()[i];
    if (mirror && mirror->axis == i) low = mirror->at - std::ceil((mirror->at - low - slack) / size) * size;
    const double cells = std::ceil((box.max()[i] - low - slack) / size);
    count *= std::max(cells, 1.0);
    if (count > kMostCells)
      throw InputError(
          fmt::format("the box round the design space holds more than {:.0e} voxels of {:.4g} mm", kMostCells,
                      size * kMillimetresPerMetre),
          "choose a larger voxel");
    frame.cells[static_cast<std::size_t>(i)] = std::max(1, static_cast<int>(cells));
    if (!(mirror && mirror->axis == i)) low -= 0.5 * (cells * size - (box.max()[i] - low));
    frame.origin[i] = low;
  }
  return frame;
}

}  // namespace

double Regions::available(const Vec3& point) const {
  return std::max(std::min(space->distance(point), least(keeps, point)), -least(clears, point));
}

double Regions::kept(const Vec3& point) const {
  return std::max(least(keeps, point), -least(clears, point));
}

Box Regions::bounds() const {
  Box box = space->bounds();
  for (const ShapePtr& keep : keeps) box.extend(keep->bounds());
  return box;
}

double Domain::volume() const {
  double sum = 0;
  for (const double share : fill) sum += share;
  return sum * cellVolume();
}

double Domain::keepVolume() const {
  double sum = 0;
  for (std::size_t c = 0; c < fill.size(); ++c) sum += keep[c] ? fill[c] : 0;
  return sum * cellVolume();
}

Domain sampleRegions(const Regions& regions, double size, const std::optional<MirrorPlane>& mirror) {
  const GridFrame<3> frame = frameOf(regions, size, mirror);
  const auto rows = static_cast<std::size_t>(frame.cells[1]) * static_cast<std::size_t>(frame.cells[2]);
  std::vector<Shares> shares(frame.boxCells());
  forEach(
      rows,
      [&](std::size_t row) {
        Index<3> at{0, static_cast<int>(row) % frame.cells[1], static_cast<int>(row) / frame.cells[1]};
        for (at[0] = 0; at[0] < frame.cells[0]; ++at[0])
          shares[frame.linear(at)] = sampleCell(regions, frame.centre(at), size);
      },
      16);
  std::vector<std::uint8_t> inDomain(shares.size());
  for (std::size_t i = 0; i < shares.size(); ++i) inDomain[i] = shares[i].available > 0;
  Domain domain{Grid<3>(frame, inDomain), {}, {}};
  if (domain.grid.cellCount() == 0)
    throw InputError("the design space is empty once the clear regions are taken out");
  for (std::size_t c = 0; c < domain.grid.cellCount(); ++c) {
    const Shares& s = shares[frame.linear(domain.grid.cellIndex(c))];
    domain.fill.push_back(s.available);
    domain.keep.push_back(s.kept > 0.5 * s.available);
  }
  return domain;
}

}  // namespace barelattice
