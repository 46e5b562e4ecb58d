// Connections that a job may have meant: where bores of bodies that do not touch line up, a pin may join
// them.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "barelattice/base/quantity.hpp"
#include "job_parts.hpp"

namespace barelattice {
namespace {

constexpr double kMm = kMillimetresPerMetre;

/// A bore of the space or of a keep, with the piece of the space it is in.
struct Bore {
  std::size_t shape;  ///< of the brief
  double radius;      ///< m
  Vec3 middle;        ///< of what there is of its axis, m
  Vec3 axis;          ///< unit vector, its largest component positive
  int piece;
  bool oneFace;  ///< with the bore of one other piece, which the brief cannot choose apart from it
};

/// One patch may be the wall of bores in several pieces, as a rod through all of them leaves it.
std::vector<Bore> boresOf(const Job& job, std::size_t shape, const Patch& patch,
                          const std::vector<int>& pieceOfCell) {
  const Grid<3>& grid = std::get<Domain<3>>(job.domain).grid;
  const GridFrame<3>& frame = grid.frame();
  constexpr double kOn = 0.02;  // of a voxel: the boundary
  Vec3 axis = patch.direction();
  Eigen::Index most = 0;
  axis.cwiseAbs().maxCoeff(&most);
  if (axis[most] < 0) axis = -axis;
  std::map<int, std::vector<double>> along;  // by piece, places of points
  for (const SurfacePoint& point : patch.sample(std::max(frame.size, 0.2 * patch.radius))) {
    if (std::abs(job.regions.available(point.position)) > kOn * frame.size) continue;
    const Vec3 below = point.position - 0.5 * frame.size * point.normal;
    Index<3> at;
    for (std::size_t i = 0; i < 3; ++i) {
      const auto e = static_cast<Eigen::Index>(i);
      at[i] = static_cast<int>(std::floor((below[e] - frame.origin[e]) / frame.size));
    }
    if (const int cell = grid.cellAt(at); cell >= 0)
      along[pieceOfCell[static_cast<std::size_t>(cell)]].push_back(axis.dot(point.position - patch.origin));
  }
  std::vector<Bore> bores;
  for (const auto& [piece, places] : along) {
    constexpr std::size_t kAll = 6;  // fewer are a rest of one
    if (places.size() < kAll) continue;
    const auto [low, high] = std::minmax_element(places.begin(), places.end());
    bores.push_back(
        {shape, patch.radius, patch.origin + 0.5 * (*low + *high) * axis, axis, piece, along.size() == 2});
  }
  return bores;
}

std::vector<Bore> boresOf(const Job& job, const std::vector<int>& pieceOfCell) {
  std::set<std::size_t> shapes{job.brief.space};
  for (const BriefKeep& keep : job.brief.keeps)
    if (keep.shape) shapes.insert(*keep.shape);
  std::vector<Bore> bores;
  for (const std::size_t shape : shapes) {
    std::vector<Patch> patches;
    job.brief.shape(shape)->appendPatches(patches);
    for (const Patch& patch : patches) {
      if (patch.kind != Patch::Kind::cylinder || !patch.isHole()) continue;
      for (const Bore& bore : boresOf(job, shape, patch, pieceOfCell)) {
        // The same bore may be one of the space and one of a keep.
        const auto same = [&](const Bore& other) {
          return bore.piece == other.piece && (bore.middle - other.middle).norm() < 0.5 * job.brief.voxel;
        };
        if (std::none_of(bores.begin(), bores.end(), same)) bores.push_back(bore);
      }
    }
  }
  return bores;
}

/// Whether a pin can go through both.
bool lineUp(const Bore& a, const Bore& b, double length) {
  constexpr double kParallel = 1e-4;
  constexpr double kOff = 0.05;  // of the radius
  return a.piece != b.piece && a.axis.cross(b.axis).norm() < kParallel &&
         (b.middle - a.middle).cross(a.axis).norm() < kOff * a.radius &&
         std::abs(b.radius / a.radius - 1) < kOff && (b.middle - a.middle).norm() < length;
}

std::string millimetres(double metres) {
  return fmt::format("\"{:.6g} mm\"", metres * kMm + 0.0);
}

/// As a brief chooses it.
std::string faceText(const Job& job, const std::string& name, const Bore& bore) {
  return fmt::format(
      "  {} = {{ of = \"{}\", kind = \"cylinder\", side = \"hole\", radius = {}, near = [{}, {}, {}] }}\n",
      name, job.brief.shapes[bore.shape].name, millimetres(bore.radius), millimetres(bore.middle.x()),
      millimetres(bore.middle.y()), millimetres(bore.middle.z()));
}

/// Turning about the pin is left free.
std::string turnText(const Vec3& axis) {
  constexpr double kAlong = 1 - 1e-9;
  for (Eigen::Index i = 0; i < 3; ++i) {
    if (axis[i] < kAlong) continue;
    std::string list;
    for (Eigen::Index k = 0; k < 3; ++k)
      list += fmt::format("{}\"{}\"", k > 0 ? ", " : "", k == i ? "0 N m/rad" : "rigid");
    return "turn = [" + list + "]";
  }
  const Vec3 across = axis.unitOrthogonal();
  return fmt::format(
      "turn = [\"rigid\", \"rigid\", \"0 N m/rad\"], frame = {{ z = [{:.6g}, {:.6g}, {:.6g}], x = [{:.6g}, "
      "{:.6g}, "
      "{:.6g}] }}",
      axis.x(), axis.y(), axis.z(), across.x(), across.y(), across.z());
}

}  // namespace

std::string proposedConnections(const Job& job, const std::vector<int>& pieceOfCell) {
  if (job.flat()) return {};
  const std::vector<Bore> bores = boresOf(job, pieceOfCell);
  const double length = job.regions.bounds().diagonal().norm();
  std::string faces;
  std::string connections;
  constexpr int kMost = 4;  // as many as one reads
  int count = 0;
  for (std::size_t a = 0; a < bores.size(); ++a)
    for (std::size_t b = a + 1; b < bores.size() && count < kMost; ++b) {
      if (!lineUp(bores[a], bores[b], length)) continue;
      const std::string name = fmt::format("pin_{}", ++count);
      if (bores[a].oneFace && bores[b].oneFace && bores[a].shape == bores[b].shape) {
        faces += faceText(job, name, bores[a]);
        connections +=
            fmt::format("  {} = {{ between = \"{}\", {} }}\n", name, name, turnText(bores[a].axis));
      } else {
        faces += faceText(job, name + "_a", bores[a]) + faceText(job, name + "_b", bores[b]);
        connections += fmt::format("  {} = {{ between = [\"{}_a\", \"{}_b\"], {} }}\n", name, name, name,
                                   turnText(bores[a].axis));
      }
    }
  if (count == 0) return {};
  return fmt::format(
      "bores of bodies that do not touch line up; if a pin joins them, add to [faces]\n{}and to "
      "[connections]\n{}",
      faces, connections);
}

}  // namespace barelattice
