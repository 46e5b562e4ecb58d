// What acts in a job: from the brief's words to a setup, and whether it can act on the design space.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "barelattice/base/quantity.hpp"
#include "barelattice/mechanics/grounding.hpp"
#include "barelattice/shapes/face_pieces.hpp"
#include "barelattice/voxels/grid_ties.hpp"
#include "barelattice/voxels/node_support.hpp"
#include "base/groups.hpp"
#include "job_parts.hpp"

namespace barelattice {
namespace {

/// A face whose points mostly have no cell below them is refused; a minor part is worth a warning.
void checkCovered(Job& job, const std::string& what, const std::string& face, TextPlace place,
                  double covered) {
  constexpr double kMostly = 0.5;
  constexpr double kFully = 0.98;
  if (covered < kMostly)
    refuse(job.brief, place,
           fmt::format("[{}] acts on empty space: {:.0f} % of face {} has material below it", what,
                       100 * covered, face),
           "put a keep there, or take the face out of the clear regions");
  if (covered < kFully)
    job.warnings.push_back(
        fmt::format("[{}]: only {:.0f} % of face {} has material below it", what, 100 * covered, face));
}

/// A face with material on its outer side too is no surface: what acts on it would act inside the part.
void checkOpen(Job& job, const std::string& what, const std::string& faceName, TextPlace place) {
  const Face& face = job.face(faceName);
  const double above = 0.1 * job.brief.voxel;
  double buried = 0;
  for (const SurfacePoint& point : face.points)
    if (job.regions.available(point.position + above * point.normal) < -0.5 * above) buried += point.area;
  const double share = buried / face.area();
  constexpr double kMostly = 0.5;
  constexpr double kLittle = 0.02;
  if (share > kMostly)
    refuse(job.brief, place,
           fmt::format(
               "[{}] acts inside the design space: {:.0f} % of face {} has the space on its outer side too",
               what, 100 * share, faceName),
           "take what fills the bore or pocket out of the space, or clear it");
  if (share > kLittle)
    job.warnings.push_back(fmt::format("[{}]: {:.0f} % of face {} has the design space on its outer side too",
                                       what, 100 * share, faceName));
}

/// Whether what acts finds material to act on, hangs together and stands still, on the grid.
template <int D>
class ActingCheck {
 public:
  explicit ActingCheck(Job& job) : job_(job), grid_(std::get<Domain<D>>(job.domain).grid) {}

  void run() {
    tieSupports();
    tieLoads();
    joinPieces();
    for (const LoadCase& c : job_.setup.cases) checkConnected(c);
    checkPieces();
    for (const LoadCase& c : job_.setup.cases) {
      checkHeld(c);
      warnOfPreload(c);
      sumUp(c);
    }
  }

 private:
  const Support& support(std::size_t s) const { return job_.setup.supports[s]; }
  const Face& faceOf(std::size_t face) const { return job_.setup.faces[face].face; }

  /// Ties a face, and refuses one that is not on the space or inside it.
  /// @return the cells below it.
  std::vector<std::size_t> tie(const std::string& what, std::size_t face, TextPlace place) {
    GridTies ties = tieToGrid(grid_, faceOf(face));
    checkCovered(job_, what, job_.setup.faces[face].name, place, ties.share());
    checkOpen(job_, what, job_.setup.faces[face].name, place);
    std::vector<std::size_t> cells = std::move(ties.cells);
    faces_[face] = std::move(ties);
    return cells;
  }

  void tieSupports() {
    double area = 0;
    for (std::size_t s = 0; s < job_.setup.supports.size(); ++s) {
      std::vector<std::size_t>& cells = supportCells_.emplace_back();
      for (const std::size_t face : facesOf(support(s))) {
        const std::vector<std::size_t> own =
            tie("supports." + support(s).name, face, job_.brief.supports[s].place);
        cells.insert(cells.end(), own.begin(), own.end());
      }
      const std::size_t face = support(s).face;
      job_.supportCentre += faceOf(face).area() * faceOf(face).centroid();
      area += faceOf(face).area();
    }
    job_.supportCentre /= area;
  }

  void tieLoads() {
    for (std::size_t l = 0; l < job_.setup.loads.size(); ++l) {
      const Load& load = job_.setup.loads[l];
      loadCells_.emplace_back();
      if (!job_.setup.actsOnFace(l)) continue;
      loadCells_.back() = tie("loads." + load.name, load.face, job_.brief.loads[l].place);
      try {
        forcesAt(load.kind, faceOf(load.face).points);
      } catch (const InputError& error) {
        refuse(job_.brief, job_.brief.loads[l].place, fmt::format("[loads.{}]: {}", load.name, error.what()),
               error.cure());
      }
      if (const Resultant all = resultantOnFace(faceOf(load.face), load.kind, Vec3::Zero());
          all.force.isZero(0) && all.moment.isZero(0))
        refuse(job_.brief, job_.brief.loads[l].place,
               fmt::format("[loads.{}] does nothing to its face", load.name),
               "a liquid must stand higher than the face's lowest point");
    }
    for (std::size_t m = 0; m < job_.setup.masses.size(); ++m) {
      const PointMass& mass = job_.setup.masses[m];
      massCells_.push_back(tie("masses." + mass.name, mass.face, job_.brief.masses[m].place));
    }
  }

  /// Pieces that connections join are one for all that follows.
  void joinPieces() {
    pieceOfNode_ = nodePieces();
    Groups groups(pieces_.cells.size());
    for (std::size_t k = 0; k < job_.setup.connections.size(); ++k) {
      const Connection& connection = job_.setup.connections[k];
      int piece = -1;
      for (const std::size_t face : {connection.first, connection.second})
        for (const std::size_t cell :
             tie("connections." + connection.name, face, job_.brief.connections[k].place)) {
          if (piece >= 0) groups.join(piece, pieces_.ofCell[cell]);
          piece = pieces_.ofCell[cell];
        }
    }
    for (int& piece : pieces_.ofCell)
      if (piece >= 0) piece = groups.find(piece);
    const std::set<int> apart(pieces_.ofCell.begin(), pieces_.ofCell.end());
    if (apart.size() > 1) proposed_ = proposedConnections(job_, pieces_.ofCell);
  }

  /// A cure, with the connections that may have been meant.
  std::string orJoin(const std::string& cure) const {
    return proposed_.empty() ? cure : cure + ". Or: " + proposed_;
  }

  /// No rigid motion may be left. Every piece of the space that is loaded has to stand by itself.
  void checkHeld(const LoadCase& c) const {
    const Grounding grounding = groundedOrRefused(c);
    std::set<std::size_t> pieces;
    const auto add = [&](const std::vector<std::size_t>& cells) {
      for (const std::size_t cell : cells) pieces.insert(static_cast<std::size_t>(pieces_.ofCell[cell]));
    };
    for (const LoadCase::Factor& f : c.loads) add(loadCells_[f.load]);
    for (const std::vector<std::size_t>& cells : massCells_) add(cells);
    if (pieces.empty())
      for (const std::size_t s : c.supports) add(supportCells_[s]);
    const std::vector<int> joined = grounding.joinedBodies(
        [&](std::size_t n) { return static_cast<int>(pieceOfNode_[n]); }, pieces_.cells.size());
    for (const std::size_t piece : pieces) {
      std::vector<int> number(joined.size(), -1);  // of the pieces that hang together with this one
      int count = 0;
      for (std::size_t p = 0; p < number.size(); ++p)
        if (joined[p] == joined[piece]) number[p] = count++;
      const std::vector<std::string> motions = grounding.motionsLeft(
          [&](std::size_t n) { return placeOf(grid_, n); },
          [&](std::size_t n) { return number[pieceOfNode_[n]]; }, static_cast<std::size_t>(count), D == 2);
      if (!motions.empty())
        refuse(job_.brief, job_.brief.supports.front().place,
               fmt::format("the supports of case {} leave a rigid motion {}free: {}", c.name,
                           pieces.size() == 1 ? "" : "of a piece of the design space ",
                           fmt::join(motions, "; ")),
               orJoin("hold another face or direction, or a wider face"));
    }
  }

  Grounding groundedOrRefused(const LoadCase& c) const {
    try {
      return grounded(job_.setup, c, faces_);
    } catch (const InputError& error) {
      const std::string what = error.what();
      TextPlace place = job_.brief.supports.front().place;
      for (const BriefSupport& each : job_.brief.supports)
        if (what.starts_with("support " + each.name + ":")) place = each.place;
      refuse(job_.brief, place, fmt::format("in case {}: {}", c.name, what), error.cure());
    }
  }

  /// A bolt that is tightened presses the part against what it stands on.
  void warnOfPreload(const LoadCase& c) const {
    const auto presses = [&](std::size_t s) {
      const Bolt* bolt = std::get_if<Bolt>(&support(s).kind);
      return bolt && bolt->preload > 0;
    };
    if (std::any_of(c.supports.begin(), c.supports.end(), presses) &&
        std::all_of(c.supports.begin(), c.supports.end(),
                    [&](std::size_t s) { return std::holds_alternative<Bolt>(support(s).kind); }))
      job_.warnings.push_back(fmt::format(
          "in case {} bolts are tightened, and nothing but bolts holds the part: they press it against "
          "nothing. Let the face it stands on be held, or bedded",
          c.name));
  }

  /// What is on a piece of the space of its own is on no part: a keep or support in mid-air.
  void checkPieces() const {
    std::vector<char> loaded(pieces_.cells.size(), 0);
    const auto mark = [&](const std::vector<std::size_t>& cells) {
      for (const std::size_t cell : cells) loaded[static_cast<std::size_t>(pieces_.ofCell[cell])] = 1;
    };
    for (const auto& cells : loadCells_) mark(cells);
    for (const auto& cells : massCells_) mark(cells);
    if (std::none_of(loaded.begin(), loaded.end(), [](char is) { return is; }))  // all acts on the whole part
      for (const auto& cells : supportCells_) mark(cells);
    const std::string cure = orJoin(
        "correct its place, or what cuts the design space apart; the places above are where "
        "it lies and where the space is");
    const Box space = job_.regions.space->bounds();
    const auto where = [&](const Vec3& place) {
      return fmt::format("round {}, while the design space goes from {} to {}", placeText(place),
                         placeText(space.min()), placeText(space.max()));
    };
    for (std::size_t s = 0; s < supportCells_.size(); ++s) {
      const std::vector<std::size_t>& cells = supportCells_[s];
      if (std::none_of(cells.begin(), cells.end(), [&](std::size_t cell) {
            return loaded[static_cast<std::size_t>(pieces_.ofCell[cell])];
          }))
        refuse(job_.brief, job_.brief.supports[s].place,
               fmt::format("[supports.{}] holds a piece that nothing joins to any load, {}", support(s).name,
                           where(faceOf(support(s).face).centroid())),
               cure);
    }
    for (std::size_t k = 0; k < job_.brief.keeps.size(); ++k) {
      if (job_.brief.keeps[k].assumed) continue;
      Box keep;
      bool joined = false;  // to what is loaded, or too thin for any voxel and yet at the space
      for (std::size_t cell = 0; cell < pieces_.ofCell.size() && !joined; ++cell) {
        const Vec3 centre = cellCentre(std::get<Domain<D>>(job_.domain), cell, job_.regions);
        if (job_.regions.keeps[k]->distance(centre) > 0) continue;
        keep.extend(centre);
        joined = loaded[static_cast<std::size_t>(pieces_.ofCell[cell])];
      }
      if (keep.isEmpty()) {
        joined = touchesSpace(*job_.regions.keeps[k]);
        keep = job_.regions.keeps[k]->bounds();
      }
      if (!joined)
        refuse(job_.brief, job_.brief.keeps[k].place,
               fmt::format("keep \"{}\" is on a piece that nothing joins to any load, {}",
                           job_.brief.nameOf(job_.brief.keeps[k]), where(keep.center())),
               cure);
    }
    const auto parts = std::count(loaded.begin(), loaded.end(), 1);
    if (parts > 1)
      job_.warnings.push_back(fmt::format(
          "the design space is {} pieces that are loaded and do not touch: it will be so many parts{}", parts,
          proposed_.empty() ? "" : ". " + proposed_));
  }

  /// Every loaded face must hang together with a held one through cells that exist.
  void checkConnected(const LoadCase& c) const {
    std::vector<char> heldPiece(pieces_.cells.size(), 0);
    for (const std::size_t s : c.supports)
      for (const std::size_t cell : supportCells_[s])
        heldPiece[static_cast<std::size_t>(pieces_.ofCell[cell])] = 1;
    for (const LoadCase::Factor& f : c.loads)
      for (const std::size_t cell : loadCells_[f.load])
        if (!heldPiece[static_cast<std::size_t>(pieces_.ofCell[cell])])
          refuse(job_.brief, job_.brief.loads[f.load].place,
                 fmt::format("[loads.{}] is not connected with any support through the design space",
                             job_.setup.loads[f.load].name),
                 orJoin("join the regions, or check that no clear cuts them apart"));
  }

  /// Whether anything of a small shape lies within half a voxel of the design space.
  bool touchesSpace(const Shape& shape) const {
    constexpr int kSteps = 24;
    const Box box = shape.bounds();
    const double near = 0.5 * grid_.frame().size;
    bool touches = false;
    forEachIndex<3>({kSteps, kSteps, kSteps}, [&](const Index<3>& at) {
      const Vec3 share((at[0] + 0.5) / kSteps, (at[1] + 0.5) / kSteps, (at[2] + 0.5) / kSteps);
      const Vec3 point = box.min() + share.cwiseProduct(box.sizes());
      touches = touches || (shape.distance(point) < 0 && job_.regions.space->distance(point) < near);
    });
    return touches;
  }

  std::vector<std::size_t> nodePieces() const {
    std::vector<std::size_t> piece(grid_.nodeCount(), 0);
    for (std::size_t cell = 0; cell < grid_.cellCount(); ++cell)
      for (const auto node : grid_.cellNodes(cell))
        piece[static_cast<std::size_t>(node)] = static_cast<std::size_t>(pieces_.ofCell[cell]);
    return piece;
  }

  void sumUp(const LoadCase& c) {
    CaseSummary summary{c.name, c.weight, resultantOf(job_.setup, c, job_.supportCentre), {}};
    for (const LoadCase::Factor& f : c.loads)
      if (f.factor != 0 && !job_.setup.actsOnFace(f.load))
        summary.onAll.push_back(job_.setup.loads[f.load].name);
    double sizes = 0;
    for (const LoadCase::Factor& f : c.loads)
      sizes += resultantOf(job_.setup, {{}, 1, {f}, {}}, job_.supportCentre).force.norm();
    constexpr double kCancels = 0.05;
    if (c.loads.size() > 1 && sizes > 0 && summary.resultant.force.norm() < kCancels * sizes)
      job_.warnings.push_back(fmt::format(
          "the loads of case {} nearly cancel: their forces add up to {:.3g} N of {:.3g} N. Loads that "
          "never act together belong in cases of their own",
          c.name, summary.resultant.force.norm(), sizes));
    job_.summaries.push_back(summary);
  }

  Job& job_;
  const Grid<D>& grid_;
  Pieces pieces_ = findPieces(grid_, std::vector<std::uint8_t>(grid_.cellCount(), 1));
  std::vector<std::size_t> pieceOfNode_;
  std::string proposed_;  // connections
  std::vector<FaceTies> faces_ =
      std::vector<FaceTies>(job_.setup.faces.size());  // those that something acts on
  std::vector<std::vector<std::size_t>> supportCells_;
  std::vector<std::vector<std::size_t>> loadCells_;
  std::vector<std::vector<std::size_t>> massCells_;
};

/// A torque turns about the axis of a round face or the normal of a flat one, in the sense that is
/// right-handed about its positive direction: that of its largest component.
Remote torqueOf(const Brief& brief, const BriefLoad& load, const Face& face) {
  std::optional<Vec3> axis;
  for (const FacePiece& piece : piecesOf(face)) {
    const std::optional<Vec3> own = directionOf(face, piece);
    constexpr double kParallel = 1e-6;
    if (!own || (axis && axis->cross(*own).norm() > kParallel))
      refuse(brief, load.place,
             fmt::format("[loads.{}]: face {} has no axis a torque could turn about", load.name,
                         brief.faces[load.face].name),
             "give moment = [...] about the axes x, y and z instead");
    axis = own;
  }
  if (!axis) return {};  // a face without points is refused as such
  Eigen::Index most = 0;
  axis->cwiseAbs().maxCoeff(&most);
  if ((*axis)[most] < 0) axis = -*axis;
  return {{}, Vec3::Zero(), *load.torque * *axis};
}

}  // namespace

Setup setupOf(const Brief& brief, std::vector<NamedFace> faces) {
  Setup setup;
  setup.materials = {brief.material};
  for (const BriefRegion& region : brief.regions) setup.materials.push_back(region.material);
  setup.faces = std::move(faces);
  setup.supports.assign(brief.supports.begin(), brief.supports.end());
  for (const BriefLoad& load : brief.loads) {
    setup.loads.push_back(load);
    if (load.torque) setup.loads.back().kind = torqueOf(brief, load, setup.faces[load.face].face);
  }
  setup.masses.assign(brief.masses.begin(), brief.masses.end());
  setup.connections.assign(brief.connections.begin(), brief.connections.end());
  setup.cases.assign(brief.cases.begin(), brief.cases.end());
  return setup;
}

void checkActing(Job& job) {
  if (job.flat())
    ActingCheck<2>(job).run();
  else
    ActingCheck<3>(job).run();
}

template <int D>
std::vector<std::uint8_t> attachedCells(const Grid<D>& grid, const Job& job, double reach) {
  std::vector<std::uint8_t> attached(grid.cellCount(), 0);
  std::vector<std::size_t> faces;
  for (const Support& support : job.setup.supports)
    for (const std::size_t face : facesOf(support)) faces.push_back(face);
  for (std::size_t l = 0; l < job.setup.loads.size(); ++l)
    if (job.setup.actsOnFace(l)) faces.push_back(job.setup.loads[l].face);
  for (const std::size_t face : loadedFaces(job.setup, {})) faces.push_back(face);
  const int around = static_cast<int>(std::ceil(reach / grid.frame().size));
  Index<D> window;
  window.fill(2 * around + 1);
  for (const std::size_t face : faces)
    for (const std::size_t cell : tieToGrid(grid, job.setup.faces[face].face).cells)
      forEachIndex<D>(window, [&](const Index<D>& offset) {
        Index<D> at = grid.cellIndex(cell);
        double squared = 0;
        for (std::size_t i = 0; i < D; ++i) {
          at[i] += offset[i] - around;
          squared += (offset[i] - around) * (offset[i] - around);
        }
        const int other = grid.cellAt(at);
        if (other >= 0 && squared <= static_cast<double>(around) * around)
          attached[static_cast<std::size_t>(other)] = 1;
      });
  return attached;
}

template std::vector<std::uint8_t> attachedCells(const Grid<2>&, const Job&, double);
template std::vector<std::uint8_t> attachedCells(const Grid<3>&, const Job&, double);

}  // namespace barelattice
