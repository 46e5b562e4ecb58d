#include "barelattice/solid/reinterpret.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/geometry/stl.hpp"
#include "barelattice/solid/sharpen.hpp"

namespace barelattice {
namespace {

/// Disjoint sets with path halving.
class Groups {
 public:
  explicit Groups(std::size_t count) : parent_(count) { std::iota(parent_.begin(), parent_.end(), 0); }
  int find(int i) {
    while (at(i) != i) i = at(i) = at(at(i));
    return i;
  }
  void join(int a, int b) { at(find(a)) = find(b); }

 private:
  int& at(int i) { return parent_[static_cast<std::size_t>(i)]; }
  std::vector<int> parent_;
};

double tetVolume(const TetMesh& mesh, const std::array<int, 4>& t) {
  const auto at = [&](std::size_t i) -> const Vec3& { return mesh.vertices[static_cast<std::size_t>(t[i])]; };
  return (at(1) - at(0)).cross(at(2) - at(0)).dot(at(3) - at(0)) / 6;
}

void dropUnusedVertices(TriangleMesh& mesh) {
  std::vector<int> renumbered(mesh.vertices.size(), -1);
  std::vector<Vec3> used;
  for (auto& t : mesh.triangles)
    for (int& v : t) {
      int& number = renumbered[static_cast<std::size_t>(v)];
      if (number < 0) {
        number = static_cast<int>(used.size());
        used.push_back(mesh.vertices[static_cast<std::size_t>(v)]);
      }
      v = number;
    }
  mesh.vertices = std::move(used);
}

class Reinterpretation {
 public:
  Reinterpretation(const SmoothLayout& layout, const Regions& regions, const SolidOptions& options)
      : layout_(layout), regions_(regions), options_(options) {}

  Solid at(double threshold) const {
    const Implicit f = solidFunction(layout_, regions_, threshold);
    TetMesh mesh = stuff(f, regions_.bounds(), options_.spacing);
    Solid solid;
    solid.threshold = threshold;
    solid.dropped = dropLoosePieces(mesh, regions_, solid.pieces);
    solid.surface = mesh.boundary();
    dropUnusedVertices(solid.surface);
    solid.surface = sharpenEdges(f, options_.spacing, solid.surface);
    solid.volume = solid.surface.volume();
    return solid;
  }

 private:
  const SmoothLayout& layout_;
  const Regions& regions_;
  const SolidOptions& options_;
};

}  // namespace

Dropped dropLoosePieces(TetMesh& mesh, const Regions& regions, std::size_t& pieces) {
  Groups groups(mesh.vertices.size());
  for (const auto& t : mesh.tets)
    for (std::size_t i = 1; i < 4; ++i) groups.join(t[0], t[i]);
  std::vector<double> volume(mesh.vertices.size(), 0.0);  // by group
  for (const auto& t : mesh.tets) volume[static_cast<std::size_t>(groups.find(t[0]))] += tetVolume(mesh, t);
  std::vector<char> stays(mesh.vertices.size(), 0);
  if (regions.keeps.empty()) {
    stays[static_cast<std::size_t>(std::max_element(volume.begin(), volume.end()) - volume.begin())] = 1;
  } else {
    for (std::size_t v = 0; v < mesh.vertices.size(); ++v)
      if (regions.kept(mesh.vertices[v]) <= 0)
        stays[static_cast<std::size_t>(groups.find(static_cast<int>(v)))] = 1;
  }
  Dropped dropped;
  pieces = 0;
  for (std::size_t g = 0; g < volume.size(); ++g) {
    if (volume[g] == 0) continue;
    if (stays[g]) {
      ++pieces;
    } else {
      ++dropped.pieces;
      dropped.volume += volume[g];
    }
  }
  std::erase_if(mesh.tets,
                [&](const auto& t) { return !stays[static_cast<std::size_t>(groups.find(t[0]))]; });
  return dropped;
}

Solid reinterpret(const SmoothLayout& layout, const Regions& regions, double wantedVolume,
                  const SolidOptions& options, const ProgressCallback& progress) {
  const Reinterpretation part(layout, regions, options);
  // Volume falls with the threshold: bracket and interpolate (regula falsi, with the Illinois safeguard).
  double low = 0.02;
  double high = 0.98;
  double excessLow = std::nan("");
  double excessHigh = std::nan("");
  double threshold = 0.5;
  Solid solid;
  constexpr int kTrials = 25;
  for (int trial = 0; trial < kTrials; ++trial) {
    report(progress, fmt::format("reading the layout at {:.3f}", threshold),
           static_cast<double>(trial) / kTrials);
    solid = part.at(threshold);
    solid.wantedVolume = wantedVolume;
    const double excess = solid.volume / wantedVolume - 1;
    if (std::abs(excess) <= options.volumeTolerance) {
      report(progress, "checking the surface", 0.9);
      solid.surface = roundedToStl(solid.surface);
      solid.defects = inspectMesh(solid.surface);
      return solid;
    }
    if (excess > 0) {
      low = threshold;
      if (!std::isnan(excessLow) && !std::isnan(excessHigh)) excessHigh *= 0.5;
      excessLow = excess;
    } else {
      high = threshold;
      if (!std::isnan(excessLow) && !std::isnan(excessHigh)) excessLow *= 0.5;
      excessHigh = excess;
    }
    if (high - low < 1e-6) break;
    const bool bracketed = !std::isnan(excessLow) && !std::isnan(excessHigh);
    // Before both ends are known, step by the slope a member a few cells thick has: about 2 per unit of
    // density.
    threshold = bracketed ? low + (high - low) * excessLow / (excessLow - excessHigh)
                          : std::clamp(threshold + 0.5 * excess + (excess > 0 ? 0.01 : -0.01), low + 1e-3,
                                       high - 1e-3);
  }
  throw RunError(
      fmt::format("no threshold gives the volume: at {:.3f} it is {:.4g} cm3, wanted are {:.4g} cm3",
                  solid.threshold, solid.volume * 1e6, wantedVolume * 1e6),
      "the keeps may already weigh more than the target, or the layout is too grey");
}

}  // namespace barelattice
