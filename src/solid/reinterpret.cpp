#include "barelattice/solid/reinterpret.hpp"

#include <fmt/format.h>
#include <meshoptimizer.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/triangle_tree.hpp"
#include "barelattice/shapes/surface_gap.hpp"
#include "base/check.hpp"
#include "base/groups.hpp"
#include "exact_faces.hpp"
#include "flat_triangles.hpp"
#include "round_faces.hpp"
#include "sharpen.hpp"

namespace barelattice {
namespace {

// The stages of a surface, in the order of `at` and `finish`:
//   lattice      stuffed at a spacing that shows members, finer where exact faces lie closer than it holds
//                (`refine`);
//   pieces       that hold no keep are dropped, and what that leaves as holes with them;
//   edges        where tangent planes meet are restored (sharpen.hpp); a sheet is an outline instead;
//   reduction    by quadrics to `deviation`, measured, not assumed;
//   round faces  of space, keeps and clears are divided until no edge passes further than `chord` below;
//   rounding     to what the file holds, then checked: open, doubled, pinched or crossing edges refuse it.
// Around that a root search over the threshold, until the volume is the wanted one (`VolumeSearch`).

/// Spacings of the lattice that a gap or wall has to be wide for the lattice to hold it. Points of a
/// body-centred lattice of spacing a move onto the surface (see stuff) from up to 0.29 a, which is along
/// (1 1 0), where its layers lie a / sqrt(2) apart: a gap of 1.29 a holds a layer that stays. Seen along a
/// bore, no place is further than a / 2 from a row of points: a bore of 1.58 a holds a row.
constexpr double kPerWidth = 1.6;

/// Of a lattice with so many cubes, of a sheet squares.
double finestSpacing(const Regions& regions, double cells) {
  const Vec3 sizes = regions.bounds().sizes();
  return regions.thickness > 0 ? std::sqrt(sizes.x() * sizes.y() / cells) : std::cbrt(sizes.prod() / cells);
}

bool nothingKept(const Regions& regions) {
  return regions.keeps.empty() && !regions.hasBonded();
}

/// How near a vertex on the boundary of a keep or a bonded part comes to it, given a length of the model.
double touching(double length) {
  return 1e-6 * length;
}

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

/// The surface with fewer triangles, by a quadric error (m) that is no distance.
/// @param origin where single precision counts from, m.
/// @param spared vertices that stay, and all triangles round them.
TriangleMesh simplified(const TriangleMesh& mesh, const Vec3& origin, const std::vector<char>& spared,
                        double error) {
  std::vector<float> positions;
  for (const Vec3& v : mesh.vertices)
    for (int i = 0; i < 3; ++i)
      positions.push_back(static_cast<float>(kMillimetresPerMetre * (v[i] - origin[i])));
  TriangleMesh result{mesh.vertices, {}};
  std::vector<unsigned> indices;
  for (const auto& t : mesh.triangles) {
    const bool stays =
        std::any_of(t.begin(), t.end(), [&](int v) { return spared[static_cast<std::size_t>(v)] != 0; });
    if (stays)
      result.triangles.push_back(t);
    else
      for (const int v : t) indices.push_back(static_cast<unsigned>(v));
  }
  std::vector<unsigned> fewer(indices.size());
  fewer.resize(meshopt_simplify(
      fewer.data(), indices.data(), indices.size(), positions.data(), mesh.vertices.size(), 3 * sizeof(float),
      0, static_cast<float>(error / mesh.bounds().sizes().maxCoeff()), meshopt_SimplifyLockBorder, nullptr));
  for (std::size_t i = 0; i + 2 < fewer.size(); i += 3)
    result.triangles.push_back(
        {static_cast<int>(fewer[i]), static_cast<int>(fewer[i + 1]), static_cast<int>(fewer[i + 2])});
  return result;
}

/// The vertices a surface has defects at.
std::vector<int> defectiveVertices(const TriangleMesh& mesh) {
  std::vector<int> found;
  std::vector<MeshDefect> places;
  inspectTopology(mesh, &places);
  for (const MeshDefect& defect : places)
    found.insert(found.end(), defect.vertices.begin(), defect.vertices.end());
  for (const auto& pair : findIntersections(mesh))
    for (const int t : pair) {
      const auto& corners = mesh.triangles[static_cast<std::size_t>(t)];
      found.insert(found.end(), corners.begin(), corners.end());
    }
  return found;
}

/// The surface with fewer triangles, no vertex further than `deviation` from where the surface was. The
/// quadric error the reduction goes by is no distance, so the distance is measured, and the reduction made
/// gentler until it is as promised. Where the reduced surface has defects (on flat faces, where the quadric
/// error of a triangle turned over is none), the surface is left as it was round them.
/// @param origin where single precision counts from, m.
TriangleMesh reduced(const TriangleMesh& mesh, const Vec3& origin, double deviation, double& found) {
  std::vector<char> spared(mesh.vertices.size(), 0);
  double error = deviation;
  constexpr int kTrials = 16;
  for (int trial = 0; trial < kTrials; ++trial) {
    TriangleMesh result = simplified(mesh, origin, spared, error);
    if (result.triangles.empty()) {
      error *= 0.5;
      continue;
    }
    found = surfaceGap(mesh, result).largest;
    const std::vector<int> defective = found <= deviation ? defectiveVertices(result) : std::vector<int>();
    for (const int v : defective) spared[static_cast<std::size_t>(v)] = 1;
    if (found > deviation) {
      error *= 0.5;
    } else if (defective.empty()) {
      dropUnusedVertices(result);
      return result;
    }
  }
  found = 0;
  return mesh;
}

class Reinterpretation {
 public:
  Reinterpretation(const SmoothLayout& layout, const Regions& regions, const SolidOptions& options)
      : layout_(layout),
        regions_(regions),
        options_(options),
        spacing_(options.spacing),
        origin_(originOfFiles(regions.bounds())) {}

  Solid at(double threshold) const {
    Solid solid;
    solid.threshold = threshold;
    solid.spacing = spacing_;
    solid.origin = origin_;
    const Implicit f = solidFunction(layout_, regions_, threshold, options_.cleanUp, &solid.cleanedUp);
    if (regions_.thickness > 0)
      readSheet(f, solid);
    else
      readBody(f, solid);
    solid.volume = solid.surface.volume();
    return solid;
  }

  /// Makes the lattice as fine as the narrowest gap or wall between faces of space, keeps and clears wants,
  /// in the part that is read at a threshold. True if it was not.
  bool refine(double threshold) {
    const Implicit f = solidFunction(layout_, regions_, threshold, options_.cleanUp);
    const double given = options_.spacing;
    const double narrowest = narrowestPlace(f, regions_, kPerWidth * given);
    const double finest = std::min(given, finestSpacing(regions_, options_.mostCells));
    spacing_ = std::clamp(narrowest / kPerWidth, finest, given);
    return spacing_ < given;
  }

  /// The surface as it is handed out: reduced, rounded, checked.
  void finish(Solid& solid) const {
    refuseLargePieces(solid.dropped);
    const Implicit f = solidFunction(layout_, regions_, solid.threshold, options_.cleanUp);
    std::vector<SurfacePoint> exact = exactSurface(f, regions_, 0.5 * spacing_);
    if (solid.dropped.pieces) leaveOutDropped(f, solid.surface, exact);
    solid.trianglesBefore = solid.surface.triangles.size();
    // A lattice made finer for one thin place is too fine for all others.
    constexpr double kOfSpacing = 0.03;
    const double deviation = spacing_ < options_.spacing ? std::max(options_.deviation, kOfSpacing * spacing_)
                                                         : options_.deviation;
    if (deviation > 0 && regions_.thickness > 0) simplifySheet(solid, deviation);
    if (deviation > 0 && regions_.thickness == 0)
      solid.surface = reduced(roundedToStl(solid.surface, origin_), origin_, deviation, solid.deviation);
    solid.surface = roundedToStl(solid.surface, origin_);
    makeRound(f, solid);
    turnFlatTriangles(solid.surface);
    solid.volume = solid.surface.volume();
    solid.defects = inspectMesh(solid.surface);
    solid.faces = checkFaces(solid.surface, f, regions_, spacing_, std::move(exact));
  }

  /// The volume with round faces, m3.
  double volumeWithRoundFaces(const Solid& solid) const {
    if (options_.chord <= 0) return solid.volume;
    const Implicit f = solidFunction(layout_, regions_, solid.threshold, options_.cleanUp);
    Solid round = solid;
    makeRound(f, round);
    return round.surface.volume();
  }

 private:
  void makeRound(const Implicit& f, Solid& solid) const {
    if (options_.chord <= 0) return;
    constexpr double kOn = 1e-3;  // spacings: vertices on an exact face are nearer than that
    if (regions_.thickness > 0) {
      solid.outline = withRoundFaces(solid.outline, f, regions_, options_.chord, kOn * spacing_);
      solid.surface = roundedToStl(extruded(solid.outline, regions_.thickness), origin_);
    } else {
      solid.surface =
          roundedToStl(withRoundFaces(solid.surface, f, regions_, options_.chord, kOn * spacing_), origin_);
    }
  }

  void refuseLargePieces(const Dropped& dropped) const {
    if (!options_.largestCrumb) return;
    const double size = *options_.largestCrumb;
    const double most = regions_.thickness > 0 ? std::numbers::pi / 4 * size * size * regions_.thickness
                                               : std::numbers::pi / 6 * size * size * size;
    if (dropped.largest <= most) return;
    throw RunError(
        fmt::format("a loose piece of {:.4g} mm3 round {} is not attached to any keep and is "
                    "larger than a crumb of {:.4g} mm, which has {:.4g} mm3",
                    dropped.largest * 1e9, placeText(dropped.largestAt), size * kMillimetresPerMetre,
                    most * 1e9),
        "look at the layout; a lower threshold may join it, more iterations may dissolve it, larger crumbs "
        "let it go");
  }

  /// The surface of everything the lattice holds, crumbs as well, with chamfered edges.
  TriangleMesh bluntSurface(const Implicit& f) const {
    const Box box = regions_.bounds();
    if (regions_.thickness == 0) return stuff(f, box, spacing_).boundary();
    return extruded(outlineOf(f), regions_.thickness);
  }

  Outline outlineOf(const Implicit& f) const {
    const Box box = regions_.bounds();
    const double middle = 0.5 * regions_.thickness;
    const PlaneFunction plane = [&](const Eigen::Vector2d& p) { return f({p.x(), p.y(), middle}); };
    return traceOutline(plane, {box.min().head<2>(), box.max().head<2>()}, spacing_);
  }

  /// Takes out points that only pieces hold which were dropped.
  void leaveOutDropped(const Implicit& f, const TriangleMesh& surface,
                       std::vector<SurfacePoint>& exact) const {
    if (surface.triangles.empty()) return;
    const TriangleMesh all = bluntSurface(f);
    const TriangleTree left(surface);
    const TriangleTree before(all);
    std::erase_if(exact, [&](const SurfacePoint& p) {
      return left.nearest(p.position).distance > spacing_ && before.nearest(p.position).distance <= spacing_;
    });
  }

  void readBody(const Implicit& f, Solid& solid) const {
    TetMesh mesh = stuff(f, regions_.bounds(), spacing_);
    solid.dropped = dropLoosePieces(mesh, regions_, solid.pieces);
    solid.surface = mesh.boundary();
    dropUnusedVertices(solid.surface);
    solid.surface = sharpenEdges(f, spacing_, solid.surface, origin_);
  }

  void readSheet(const Implicit& f, Solid& solid) const {
    const double middle = 0.5 * regions_.thickness;
    const Outline all = outlineOf(f);
    solid.pieces = 0;
    double most = 0;
    std::vector<Outline> pieces = piecesOf(all);
    for (const Outline& piece : pieces) most = std::max(most, piece.area());
    for (const Outline& piece : pieces) {
      if (nothingKept(regions_) ? piece.area() == most : hangsOnKeep(piece)) {
        ++solid.pieces;
        solid.outline.loops.insert(solid.outline.loops.end(), piece.loops.begin(), piece.loops.end());
      } else {
        Eigen::AlignedBox2d around;
        for (const Eigen::Vector2d& p : piece.loops.front()) around.extend(p);
        solid.dropped.add(piece.area() * regions_.thickness,
                          {around.center().x(), around.center().y(), middle});
      }
    }
    // Straight runs need no corner at every lattice line.
    constexpr double kStraight = 1e-3;
    solid.outline = simplified(solid.outline, kStraight * spacing_);
    solid.surface = extruded(solid.outline, regions_.thickness);
  }

  bool hangsOnKeep(const Outline& piece) const {
    Eigen::AlignedBox2d box;
    for (const Eigen::Vector2d& p : piece.loops.front()) box.extend(p);
    const double step = 0.5 * spacing_;
    for (double y = box.min().y(); y <= box.max().y(); y += step)
      for (double x = box.min().x(); x <= box.max().x(); x += step)
        if (regions_.kept({x, y, 0.5 * regions_.thickness}) <= 0 && contains(piece, {x, y})) return true;
    // What touches a bonded part lies beside it, not in it.
    return std::any_of(piece.loops.front().begin(), piece.loops.front().end(), [&](const Eigen::Vector2d& p) {
      return regions_.bonded({p.x(), p.y(), 0.5 * regions_.thickness}) <= touching(spacing_);
    });
  }

  void simplifySheet(Solid& solid, double deviation) const {
    constexpr int kTrials = 4;
    for (int trial = 0; trial < kTrials; ++trial, deviation *= 0.5) {
      const Outline fewer = simplified(solid.outline, deviation);
      const TriangleMesh surface = extruded(fewer, regions_.thickness);
      if (!inspectMesh(surface).sound()) continue;
      solid.deviation = surfaceGap(surface, solid.surface).largest;
      solid.outline = fewer;
      solid.surface = surface;
      return;
    }
  }

  const SmoothLayout& layout_;
  const Regions& regions_;
  const SolidOptions& options_;
  double spacing_;  // of the lattice, m
  Vec3 origin_;     // where the coordinates of the solid's files count from, m
};

}  // namespace

void Dropped::add(double piece, const Vec3& centre) {
  ++pieces;
  volume += piece;
  if (piece <= largest) return;
  largest = piece;
  largestAt = centre;
}

void validate(const SolidOptions& options) {
  requirePositive("spacing", options.spacing);
  requirePositive("mostCells", options.mostCells);
  requireFinite("threshold", options.threshold);
  requirePositive("volumeTolerance", options.volumeTolerance);
  requireNotNegative("voidSize", options.cleanUp.voidSize);
  requireNotNegative("gap", options.cleanUp.gap);
  requireNotNegative("fillet", options.cleanUp.fillet);
  if (options.largestCrumb) requireNotNegative("largestCrumb", *options.largestCrumb);
  requireNotNegative("deviation", options.deviation);
  requireNotNegative("chord", options.chord);
}

double narrowestHeld(const Regions& regions) {
  validate(regions);
  return kPerWidth * finestSpacing(regions, kMostLatticeCells);
}

Dropped dropLoosePieces(TetMesh& mesh, const Regions& regions, std::size_t& pieces) {
  validate(mesh);
  pieces = 0;
  if (mesh.tets.empty()) return {};
  Groups groups(mesh.vertices.size());
  for (const auto& t : mesh.tets)
    for (std::size_t i = 1; i < 4; ++i) groups.join(t[0], t[i]);
  std::vector<double> volume(mesh.vertices.size(), 0.0);         // by group
  std::vector<Vec3> moment(mesh.vertices.size(), Vec3::Zero());  // volume times centre
  for (const auto& t : mesh.tets) {
    const auto g = static_cast<std::size_t>(groups.find(t[0]));
    const double size = tetVolume(mesh, t);
    volume[g] += size;
    for (const int v : t) moment[g] += 0.25 * size * mesh.vertices[static_cast<std::size_t>(v)];
  }
  std::vector<char> stays(mesh.vertices.size(), 0);
  if (nothingKept(regions)) {
    stays[static_cast<std::size_t>(std::max_element(volume.begin(), volume.end()) - volume.begin())] = 1;
  } else {
    const double touch = touching(regions.bounds().diagonal().norm());
    for (std::size_t v = 0; v < mesh.vertices.size(); ++v)
      if (regions.kept(mesh.vertices[v]) <= touch || regions.bonded(mesh.vertices[v]) <= touch)
        stays[static_cast<std::size_t>(groups.find(static_cast<int>(v)))] = 1;
  }
  Dropped dropped;
  for (std::size_t g = 0; g < volume.size(); ++g) {
    if (volume[g] == 0) continue;
    if (stays[g]) {
      ++pieces;
    } else {
      dropped.add(volume[g], moment[g] / volume[g]);
    }
  }
  std::erase_if(mesh.tets,
                [&](const auto& t) { return !stays[static_cast<std::size_t>(groups.find(t[0]))]; });
  return dropped;
}

std::vector<double> volumesByMaterial(const Implicit& part, const Regions& regions, double spacing) {
  validate(regions);
  requireGiven("part", part);
  requirePositive("spacing", spacing);
  int most = 0;
  for (const MaterialRegion& region : regions.materials) most = std::max(most, region.material);
  std::vector<double> volumes(static_cast<std::size_t>(most) + 1, 0.0);
  const TetMesh mesh = stuff(part, regions.bounds(), spacing);
  for (const auto& t : mesh.tets) {
    Vec3 centre = Vec3::Zero();
    for (const int v : t) centre += 0.25 * mesh.vertices[static_cast<std::size_t>(v)];
    volumes[static_cast<std::size_t>(regions.materialAt(centre))] += tetVolume(mesh, t);
  }
  return volumes;
}

namespace {

[[noreturn]] void refuseVolume(double threshold, double volume, double wanted) {
  throw RunError(
      fmt::format("no threshold gives the volume: at {:.3f} it is {:.4g} cm3, wanted are {:.4g} cm3",
                  threshold, volume * 1e6, wanted * 1e6),
      "the keeps may already weigh more than the target, or the layout is too grey");
}

/// Off the wanted volume by less than this share, a part is taken where the volume jumps at the threshold: a
/// bar that joins or parts, a piece that hangs on or is dropped.
constexpr double kJump = 0.02;

/// The part of the wanted volume, or the nearest to it where that jumps or no threshold gives it. Volume
/// falls with the threshold: bracket and interpolate (regula falsi, with the Illinois safeguard).
/// @param threshold to begin with.
Solid readAtVolume(const Reinterpretation& part, double threshold, double wantedVolume, double tolerance,
                   const ProgressCallback& progress) {
  double low = 0.02;
  double high = 0.98;
  double excessLow = std::nan("");
  double excessHigh = std::nan("");
  Solid solid;
  Solid best;
  double off = std::numeric_limits<double>::max();  // of the best
  constexpr int kTrials = 25;
  for (int trial = 0; trial < kTrials; ++trial) {
    report(progress, fmt::format("reading the layout at {:.3f}", threshold),
           static_cast<double>(trial) / kTrials);
    solid = part.at(threshold);
    const double excess = solid.volume / wantedVolume - 1;
    if (std::abs(excess) <= tolerance) return solid;
    if (std::abs(excess) < off) {
      off = std::abs(excess);
      best = solid;
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
  return best;
}

/// Seeks the part of the wanted volume. The threshold is sought on the lattice that was asked for. What a
/// finer one and round faces add or take is near enough the same at the next threshold, if it is little. If
/// it is much, or the part comes out too heavy and too light in turn, the threshold is sought on the finer
/// lattice itself, within what was found so far.
class VolumeSearch {
 public:
  /// @param rough reads on the lattice that was asked for.
  /// @param part reads on it too until it is refined.
  VolumeSearch(const Reinterpretation& rough, Reinterpretation& part, double wanted, double tolerance,
               const ProgressCallback& progress)
      : rough_(rough), part_(part), wanted_(wanted), tolerance_(tolerance), progress_(progress) {}

  /// @throws RunError if no threshold gives the volume.
  Solid found() {
    Solid best;
    double off = std::numeric_limits<double>::max();  // excess of the reading that is taken
    constexpr int kRounds = 12;
    for (int round = 0; round <= kRounds && std::abs(off) > tolerance_; ++round) {
      Solid read = little_ && !bracketed() ? readFromGiven(round == 0) : readBetween();
      const double excess = volume_ / wanted_ - 1;
      (excess > 0 ? heavy_ : light_) = {threshold_, excess};
      if (std::abs(excess) >= std::abs(off)) continue;
      off = excess;
      best = std::move(read);
    }
    if (std::abs(off) > kJump) refuseVolume(best.threshold, (1 + off) * wanted_, wanted_);
    return best;
  }

 private:
  struct Reading {
    double threshold;
    double excess;  // share of the wanted volume
  };

  bool bracketed() const { return !std::isnan(heavy_.excess) && !std::isnan(light_.excess); }

  /// On the lattice that was asked for, less what the finer one is known to gain.
  Solid readFromGiven(bool first) {
    const double sought = (1 - gain_) * wanted_;
    Solid read = readAtVolume(rough_, threshold_, sought, 0.5 * tolerance_, progress_);
    threshold_ = read.threshold;
    const double before = read.volume;
    if (first) {
      report(progress_, "looking for thin gaps and walls", 0.8);
      finer_ = part_.refine(threshold_);
    }
    // What this lattice does not hold at any threshold, a finer one may.
    little_ = std::abs(before / sought - 1) <= kJump;
    if (!little_ && !finer_) refuseVolume(threshold_, before, wanted_);
    if (finer_) read = part_.at(threshold_);
    volume_ = part_.volumeWithRoundFaces(read);
    constexpr double kLittle = 0.1;
    gain_ = (volume_ - before) / wanted_;
    little_ = little_ && std::abs(gain_) < kLittle;
    return read;
  }

  /// Regula falsi on the finer lattice, kept away from the ends: the volume may jump between them.
  Solid readBetween() {
    constexpr double kInner = 0.1;
    const double share =
        bracketed() ? std::clamp(heavy_.excess / (heavy_.excess - light_.excess), kInner, 1 - kInner) : 0.5;
    threshold_ = heavy_.threshold + share * (light_.threshold - heavy_.threshold);
    report(progress_, fmt::format("reading the layout at {:.3f}", threshold_), 0.8);
    Solid read = part_.at(threshold_);
    volume_ = part_.volumeWithRoundFaces(read);
    return read;
  }

  const Reinterpretation& rough_;
  Reinterpretation& part_;
  double wanted_;
  double tolerance_;
  const ProgressCallback& progress_;
  Reading heavy_{0, std::nan("")}, light_{1, std::nan("")};
  double threshold_ = 0.5;
  double volume_ = 0;   // of what was read last, with round faces
  double gain_ = 0;     // of the finer lattice and round faces, as a share of the wanted volume
  bool little_ = true;  // whether that says what it is at the next threshold
  bool finer_ = false;
};

}  // namespace

Solid reinterpret(const SmoothLayout& layout, const Regions& regions, double wantedVolume,
                  const SolidOptions& options, const ProgressCallback& progress) {
  validate(regions);
  validate(options);
  if (options.keepVolume) requirePositive("wantedVolume", wantedVolume);
  const Reinterpretation rough(layout, regions, options);
  Reinterpretation part(layout, regions, options);
  Solid solid;
  if (options.keepVolume) {
    solid = VolumeSearch(rough, part, wantedVolume, options.volumeTolerance, progress).found();
  } else {
    part.refine(options.threshold);
    solid = part.at(options.threshold);
  }
  solid.wantedVolume = wantedVolume;
  report(progress, "checking the surface", 0.9);
  part.finish(solid);
  return solid;
}

}  // namespace barelattice
