#include "barelattice/grid/domain.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

/// Points of a cell through which a surface passes: a lattice of rank one, the best of its size by the figure
/// P2 (Sloan & Joe 1994, Lattice methods for multiple integration). Along every axis no two points share a
/// coordinate, so a face along the grid is placed to a 67th of a cell; as many points on a cubic lattice
/// place it to a quarter.
constexpr int kSamples = 67;
template <int D>
constexpr std::array<int, 3> kGenerator{1, D == 2 ? 18 : 36, 54};

double least(const std::vector<ShapePtr>& shapes, const Vec3& point) {
  double value = std::numeric_limits<double>::max();
  for (const ShapePtr& shape : shapes) value = std::min(value, shape->distance(point));
  return value;
}

struct Shares {
  double available = 0;
  double kept = 0;
  double bonded = 0;
};

/// A shape near one place, asked about many points there. It remembers its answers: a point closer to an
/// earlier one than that is to the boundary lies on the same side of it, because shapes never overestimate a
/// distance.
class LocalShape {
 public:
  explicit LocalShape(ShapePtr shape) : shape_(std::move(shape)) {}
  LocalShape(const ShapePtr& shape, const Vec3& centre, double reach, double distance)
      : shape_(shape->local(centre, reach)), answers_{{centre, distance}} {}

  const ShapePtr& shape() const { return shape_; }
  bool contains(const Vec3& point) {
    for (const Answer& known : answers_)
      if ((point - known.point).squaredNorm() < known.distance * known.distance) return known.distance < 0;
    answers_.push_back({point, shape_->distance(point)});
    return answers_.back().distance < 0;
  }

 private:
  struct Answer {
    Vec3 point;
    double distance;
  };
  ShapePtr shape_;
  std::vector<Answer> answers_;
};

/// A union of shapes reduced to those whose boundary may pass through one place.
class LocalUnion {
 public:
  LocalUnion() = default;
  explicit LocalUnion(const std::vector<ShapePtr>& shapes) : near_(shapes.begin(), shapes.end()) {}

  /// @param reach no point of the place is farther from its centre: shapes never overestimate a distance, so
  ///   beyond it their sign is the same in the whole place.
  LocalUnion within(const Vec3& centre, double reach) const {
    LocalUnion local;
    local.covers_ = covers_;
    if (covers_) return local;
    for (const LocalShape& near : near_) {
      const double distance = near.shape()->distance(centre);
      if (distance < -reach) {
        local.covers_ = true;
        local.near_.clear();
        return local;
      }
      if (distance <= reach) local.near_.emplace_back(near.shape(), centre, reach, distance);
    }
    return local;
  }
  bool decided() const { return covers_ || near_.empty(); }
  bool contains(const Vec3& point) {
    return covers_ ||
           std::any_of(near_.begin(), near_.end(), [&](LocalShape& s) { return s.contains(point); });
  }

 private:
  bool covers_ = false;
  std::vector<LocalShape> near_;
};

/// The regions as they are in one place.
struct LocalRegions {
  LocalUnion space;
  LocalUnion keeps;
  LocalUnion clears;
  LocalUnion bonded;

  LocalRegions within(const Vec3& centre, double reach) const {
    return {space.within(centre, reach), keeps.within(centre, reach), clears.within(centre, reach),
            bonded.within(centre, reach)};
  }
  bool decided() const { return bonded.decided() && clears.decided() && keeps.decided() && space.decided(); }
  Shares at(const Vec3& point) {
    const bool joined = bonded.contains(point);
    const bool free = !clears.contains(point);
    const bool kept = joined || (free && keeps.contains(point));
    return {kept || (free && space.contains(point)) ? 1.0 : 0.0, kept ? 1.0 : 0.0, joined ? 1.0 : 0.0};
  }
};

LocalRegions everywhere(const Regions& regions) {
  std::vector<ShapePtr> bonded;
  for (const MaterialRegion& region : regions.materials)
    if (region.bonded) bonded.push_back(region.shape);
  return {LocalUnion({regions.space}), LocalUnion(regions.keeps), LocalUnion(regions.clears),
          LocalUnion(bonded)};
}

/// A point of the grid's space in three dimensions.
template <int D>
Vec3 lifted(const Regions& regions, const Point<D>& point) {
  if constexpr (D == 3)
    return point;
  else
    return {point.x(), point.y(), 0.5 * regions.thickness};
}

/// Finds what every cell holds, block by block: blocks no boundary passes through are decided at once, the
/// others halved until they are cells.
template <int D>
class Sampler {
 public:
  Sampler(const Regions& regions, const GridFrame<D>& frame)
      : regions_(regions), frame_(frame), shares_(frame.boxCells()) {}

  std::vector<Shares> sample() {
    Index<D> blocks{};
    std::size_t count = 1;
    for (std::size_t i = 0; i < D; ++i) {
      blocks[i] = (frame_.cells[i] + kBlock - 1) / kBlock;
      count *= static_cast<std::size_t>(blocks[i]);
    }
    const LocalRegions all = everywhere(regions_);
    forEach(
        count,
        [&](std::size_t block) {
          Index<D> low{};
          for (std::size_t i = 0, rest = block; i < D; ++i) {
            low[i] = kBlock * static_cast<int>(rest % static_cast<std::size_t>(blocks[i]));
            rest /= static_cast<std::size_t>(blocks[i]);
          }
          fill(low, kBlock, all);
        },
        1);
    return std::move(shares_);
  }

 private:
  static constexpr int kBlock = 16;  // cells along the edge; a power of two

  void fill(const Index<D>& low, int edge, const LocalRegions& outer) {
    Point<D> centre = frame_.origin;
    for (std::size_t i = 0; i < D; ++i) {
      if (low[i] >= frame_.cells[i]) return;
      centre[static_cast<Eigen::Index>(i)] += (low[i] + 0.5 * edge) * frame_.size;
    }
    const double reach = 0.5 * std::sqrt(static_cast<double>(D)) * edge * frame_.size;
    LocalRegions local = outer.within(lifted<D>(regions_, centre), reach);
    if (local.decided()) {
      const Shares same = local.at(lifted<D>(regions_, centre));
      forEachIndex<D>(clipped(low, edge), [&](const Index<D>& offset) { shares_[at(low, offset)] = same; });
      return;
    }
    if (edge == 1) {
      shares_[frame_.linear(low)] = sampleCell(centre, local);
      return;
    }
    Index<D> two{};
    two.fill(2);
    forEachIndex<D>(two, [&](const Index<D>& half) {
      Index<D> child = low;
      for (std::size_t i = 0; i < D; ++i) child[i] += half[i] * edge / 2;
      fill(child, edge / 2, local);
    });
  }

  /// The part of a block inside the frame.
  Index<D> clipped(const Index<D>& low, int edge) const {
    Index<D> size{};
    for (std::size_t i = 0; i < D; ++i) size[i] = std::min(edge, frame_.cells[i] - low[i]);
    return size;
  }
  std::size_t at(Index<D> low, const Index<D>& offset) const {
    for (std::size_t i = 0; i < D; ++i) low[i] += offset[i];
    return frame_.linear(low);
  }

  Shares sampleCell(const Point<D>& centre, LocalRegions& local) const {
    Shares sum;
    for (int sample = 0; sample < kSamples; ++sample) {
      Point<D> point = centre;
      for (std::size_t i = 0; i < D; ++i)
        point[static_cast<Eigen::Index>(i)] +=
            frame_.size * ((sample * kGenerator<D>[i] % kSamples + 0.5) / kSamples - 0.5);
      const Shares shares = local.at(lifted<D>(regions_, point));
      sum.available += shares.available / kSamples;
      sum.kept += shares.kept / kSamples;
      sum.bonded += shares.bonded / kSamples;
    }
    return sum;
  }

  const Regions& regions_;
  const GridFrame<D>& frame_;
  std::vector<Shares> shares_;
};

/// The smallest box of whole cells round the regions, shifted so that places fall between cells.
template <int D>
GridFrame<D> frameOf(const Regions& regions, double size, const BetweenCells& between) {
  const Box box = regions.bounds();
  GridFrame<D> frame;
  frame.size = size;
  double count = 1;
  for (int i = 0; i < D; ++i) {
    // A box that is a whole number of cells long up to rounding must not gain a layer of empty cells.
    const double slack = 1e-6 * size;
    double low = box.min()[i];
    const std::optional<double>& place = between[static_cast<std::size_t>(i)];
    if (place) low = *place - std::ceil((*place - low - slack) / size) * size;
    const double cells = std::ceil((box.max()[i] - low - slack) / size);
    count *= std::max(cells, 1.0);
    if (count > kMostCells)
      throw InputError(
          fmt::format("the box round the design space holds more than {:.0e} voxels of {:.4g} mm", kMostCells,
                      size * kMillimetresPerMetre),
          "choose a larger voxel");
    frame.cells[static_cast<std::size_t>(i)] = std::max(1, static_cast<int>(cells));
    if (!place) low -= 0.5 * (cells * size - (box.max()[i] - low));
    frame.origin[i] = low;
  }
  return frame;
}

}  // namespace

void validate(const Regions& regions) {
  requireGiven("space", regions.space);
  for (const ShapePtr& keep : regions.keeps) requireGiven("a keep", keep);
  for (const ShapePtr& clear : regions.clears) requireGiven("a clear", clear);
  for (const MaterialRegion& region : regions.materials) {
    requireGiven("shape of a region of another material", region.shape);
    if (region.material < 1 || region.material > std::numeric_limits<std::uint8_t>::max())
      throw InputError(fmt::format("material of a region is {}", region.material), "give 1 to 255");
  }
  requireNotNegative("thickness", regions.thickness);
}

double Regions::available(const Vec3& point) const {
  const double designed =
      std::max(std::min(space->distance(point), least(keeps, point)), -least(clears, point));
  return std::max(std::min(designed, bonded(point)), withinSheet(point));
}

double Regions::kept(const Vec3& point) const {
  return std::max(std::min(std::max(least(keeps, point), -least(clears, point)), bonded(point)),
                  withinSheet(point));
}

double Regions::bonded(const Vec3& point) const {
  double value = std::numeric_limits<double>::max();
  for (const MaterialRegion& region : materials)
    if (region.bonded) value = std::min(value, region.shape->distance(point));
  return value;
}

bool Regions::hasBonded() const {
  return std::any_of(materials.begin(), materials.end(), [](const MaterialRegion& r) { return r.bonded; });
}

int Regions::materialAt(const Vec3& point) const {
  return bonded(point) < 0 ? nearestBondedMaterial(point) : designedMaterial(point);
}

int Regions::nearestBondedMaterial(const Vec3& point) const {
  int material = 0;
  double least = std::numeric_limits<double>::max();
  for (const MaterialRegion& region : materials) {
    if (!region.bonded) continue;
    const double distance = region.shape->distance(point);
    if (distance >= least) continue;
    least = distance;
    material = region.material;
  }
  return material;
}

int Regions::designedMaterial(const Vec3& point) const {
  for (const MaterialRegion& region : materials)
    if (!region.bonded && region.shape->distance(point) < 0) return region.material;
  return 0;
}

double Regions::withinSheet(const Vec3& point) const {
  if (thickness == 0) return std::numeric_limits<double>::lowest();
  return std::max(-point.z(), point.z() - thickness);
}

Box Regions::bounds() const {
  Box box = space->bounds();
  for (const ShapePtr& keep : keeps) box.extend(keep->bounds());
  for (const MaterialRegion& region : materials)
    if (region.bonded) box.extend(region.shape->bounds());
  if (thickness > 0) {
    box.min().z() = 0;
    box.max().z() = thickness;
  }
  return box;
}

template <int D>
double Domain<D>::volume() const {
  double sum = 0;
  for (const double share : fill) sum += share;
  return sum * cellVolume();
}

template <int D>
Domain<D> sampleRegions(const Regions& regions, double size, const BetweenCells& between) {
  validate(regions);
  if (D == 2) requirePositive("thickness of the sheet", regions.thickness);
  requirePositive("size of a cell", size);
  for (const std::optional<double>& place : between)
    if (place) requireFinite("place between cells", *place);
  const GridFrame<D> frame = frameOf<D>(regions, size, between);
  const std::vector<Shares> shares = Sampler<D>(regions, frame).sample();
  std::vector<std::uint8_t> inDomain(shares.size());
  for (std::size_t i = 0; i < shares.size(); ++i) inDomain[i] = shares[i].available > 0;
  Domain<D> domain{Grid<D>(frame, inDomain), {}, {}, {}, {}, {}, regions.thickness};
  if (domain.grid.cellCount() == 0)
    throw InputError("the design space is empty once the clear regions are taken out");
  for (std::size_t c = 0; c < domain.grid.cellCount(); ++c) {
    const Shares& s = shares[frame.linear(domain.grid.cellIndex(c))];
    domain.fill.push_back(s.available);
    domain.keep.push_back(s.kept > 0.5 * s.available);
    domain.partlyKept.push_back(s.kept > 0 && domain.keep.back() == 0);
    domain.bonded.push_back(s.bonded);
  }
  domain.material.assign(domain.grid.cellCount(), 0);
  if (!regions.materials.empty())
    forEach(
        domain.material.size(),
        [&](std::size_t c) {
          const Vec3 centre = lifted<D>(regions, frame.centre(domain.grid.cellIndex(c)));
          // The centre of a cell at the edge of a bonded part may lie outside of it.
          domain.material[c] = static_cast<std::uint8_t>(
              domain.isBonded(c) ? regions.nearestBondedMaterial(centre) : regions.designedMaterial(centre));
        },
        1024);
  return domain;
}

template struct Domain<2>;
template struct Domain<3>;
template BARELATTICE_API Domain<2> sampleRegions<2>(const Regions&, double, const BetweenCells&);
template BARELATTICE_API Domain<3> sampleRegions<3>(const Regions&, double, const BetweenCells&);

}  // namespace barelattice
