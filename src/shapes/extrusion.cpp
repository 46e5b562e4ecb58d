#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <map>
#include <memory>
#include <numbers>
#include <utility>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "shape_parts.hpp"

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;

double cross2(const Vec2& a, const Vec2& b) {
  return a.x() * b.y() - a.y() * b.x();
}

/// A straight or round piece of an outline.
struct Piece {
  Vec2 from;
  Vec2 to;
  bool round = false;
  Vec2 centre = Vec2::Zero();
  double radius = 0;
  double sweep = 0;  // signed angle from `from` to `to` about the centre, counter-clockwise positive
  int curve = 0;     // of its loop, see OutlineCorner

  double startAngle() const { return std::atan2(from.y() - centre.y(), from.x() - centre.x()); }
  Vec2 at(double share) const {
    if (!round) return from + share * (to - from);
    const double angle = startAngle() + share * sweep;
    return centre + radius * Vec2(std::cos(angle), std::sin(angle));
  }
  double distance(const Vec2& point) const {
    if (!round) {
      const Vec2 edge = to - from;
      const double along = std::clamp((point - from).dot(edge) / edge.squaredNorm(), 0.0, 1.0);
      return (point - from - along * edge).norm();
    }
    const Vec2 offset = point - centre;
    if (offset.norm() > 0) {
      double turn = std::atan2(offset.y(), offset.x()) - startAngle();
      if (sweep < 0) turn = -turn;
      turn = std::fmod(turn + 4 * std::numbers::pi, 2 * std::numbers::pi);
      if (turn <= std::abs(sweep)) return std::abs(offset.norm() - radius);
    }
    return std::min((point - from).norm(), (point - to).norm());
  }
  /// Above zero to the left of the chord, below zero to the right, never zero: a point on the chord counts as
  /// a little further along x (for a chord along x: along y), so that the tests below agree with each other.
  double chordSide(const Vec2& point) const {
    const Vec2 chord = to - from;
    const double side = cross2(chord, point - from);
    if (side != 0) return side;
    return chord.y() != 0 ? -chord.y() : chord.x();
  }
  /// True if the ray from the point along x crosses the chord.
  bool crossed(const Vec2& point) const {
    if ((from.y() > point.y()) == (to.y() > point.y())) return false;
    return (chordSide(point) > 0) == (to.y() > from.y());
  }
  /// True between the chord and the arc.
  bool inSegment(const Vec2& point) const {
    if (!round || (point - centre).squaredNorm() >= radius * radius) return false;
    return (chordSide(point) > 0) != (sweep > 0);  // an arc that turns left bulges to the right of its chord
  }
};

Piece arcThrough(const Vec2& from, const Vec2& through, const Vec2& to) {
  // Centre: equal distance to the three points.
  const Vec2 a = through - from;
  const Vec2 b = to - from;
  const double twice = 2 * cross2(a, b);
  if (std::abs(twice) < 1e-9 * a.norm() * b.norm() || from == to)
    throw InputError("an arc needs three points that do not lie on one line");
  const Vec2 centre = from + Vec2(b.y() * a.squaredNorm() - a.y() * b.squaredNorm(),
                                  a.x() * b.squaredNorm() - b.x() * a.squaredNorm()) /
                                 twice;
  Piece piece{from, to, true, centre, (from - centre).norm(), 0};
  const double begin = piece.startAngle();
  double sweep = std::atan2(to.y() - centre.y(), to.x() - centre.x()) - begin;
  const bool left = twice > 0;  // the points turn counter-clockwise
  if (left && sweep < 0) sweep += 2 * std::numbers::pi;
  if (!left && sweep > 0) sweep -= 2 * std::numbers::pi;
  piece.sweep = sweep;
  return piece;
}

std::vector<Piece> piecesOf(const OutlineLoop& loop) {
  std::vector<Piece> pieces;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Vec2& from = loop[(i + loop.size() - 1) % loop.size()].point;
    const OutlineCorner& corner = loop[i];
    if (from == corner.point) throw InputError("an outline has the same corner twice in a row");
    pieces.push_back(corner.through ? arcThrough(from, *corner.through, corner.point)
                                    : Piece{from, corner.point});
    pieces.back().curve = corner.through ? 0 : corner.curve;
  }
  return pieces;
}

double signedArea(const std::vector<Piece>& pieces) {
  double twice = 0;
  for (const Piece& p : pieces) {
    twice += cross2(p.from, p.to);
    if (p.round) twice += p.radius * p.radius * (p.sweep - std::sin(p.sweep));
  }
  return 0.5 * twice;
}

void reverse(std::vector<Piece>& pieces) {
  std::reverse(pieces.begin(), pieces.end());
  for (Piece& p : pieces) {
    std::swap(p.from, p.to);
    p.sweep = -p.sweep;
  }
}

bool segmentsMeet(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d) {
  const double abc = cross2(b - a, c - a);
  const double abd = cross2(b - a, d - a);
  const double cda = cross2(d - c, a - c);
  const double cdb = cross2(d - c, b - c);
  return abc * abd <= 0 && cda * cdb <= 0 && !(abc == 0 && abd == 0);
}

/// The loops as chords, arcs in steps of at most ten degrees, each chord with the number of its loop and its
/// place in it.
struct Chord {
  Vec2 from;
  Vec2 to;
  std::size_t loop;
  std::size_t place;
  std::size_t count = 0;  // chords of the loop
};

std::vector<Chord> chordsOf(const std::vector<std::vector<Piece>>& loops) {
  std::vector<Chord> chords;
  for (std::size_t l = 0; l < loops.size(); ++l) {
    const std::size_t first = chords.size();
    for (const Piece& piece : loops[l]) {
      const int steps =
          piece.round ? std::max(2, static_cast<int>(std::ceil(std::abs(piece.sweep) / 0.17))) : 1;
      for (int s = 0; s < steps; ++s)
        chords.push_back({piece.at(static_cast<double>(s) / steps), piece.at((s + 1.0) / steps), l,
                          chords.size() - first});
    }
    for (std::size_t c = first; c < chords.size(); ++c) chords[c].count = chords.size() - first;
  }
  return chords;
}

/// True if two chords that are not neighbours meet. Chords are taken in the order in which they begin along
/// the longer side of the outline, so that each meets the few only that begin before it ends; O(n^2) at
/// worst.
bool cross(const std::vector<std::vector<Piece>>& loops) {
  std::vector<Chord> chords = chordsOf(loops);
  Eigen::AlignedBox2d box;
  for (const Chord& c : chords) box.extend(c.from).extend(c.to);
  const Eigen::Index axis = box.sizes().x() > box.sizes().y() ? 0 : 1;
  const auto begin = [axis](const Chord& c) { return std::min(c.from[axis], c.to[axis]); };
  const auto end = [axis](const Chord& c) { return std::max(c.from[axis], c.to[axis]); };
  std::sort(chords.begin(), chords.end(),
            [&](const Chord& a, const Chord& b) { return begin(a) < begin(b); });
  const auto follows = [](const Chord& a, const Chord& b) {
    return a.loop == b.loop && b.place == (a.place + 1) % a.count;
  };
  for (std::size_t i = 0; i < chords.size(); ++i) {
    const Chord& a = chords[i];
    for (std::size_t j = i + 1; j < chords.size() && begin(chords[j]) <= end(a); ++j) {
      const Chord& b = chords[j];
      if (!follows(a, b) && !follows(b, a) && segmentsMeet(a.from, a.to, b.from, b.to)) return true;
    }
  }
  return false;
}

/// Signed distance in the plane: nearest piece; sign by crossing parity of the chords, corrected by the
/// segments between chords and arcs.
double signedDistance(const std::vector<Piece>& pieces, const Vec2& point) {
  double nearest = std::numeric_limits<double>::max();
  bool inside = false;
  for (const Piece& p : pieces) {
    nearest = std::min(nearest, p.distance(point));
    inside ^= p.crossed(point) != p.inSegment(point);
  }
  return inside ? -nearest : nearest;
}

/// True within the region a loop goes round, in whatever sense.
bool insideLoop(const std::vector<Piece>& pieces, const Vec2& point) {
  bool inside = false;
  for (const Piece& p : pieces) inside ^= p.crossed(point) != p.inSegment(point);
  return inside;
}

class ExtrusionShape final : public Shape {
 public:
  explicit ExtrusionShape(const Extrusion& extrusion)
      : first_(extrusion.first),
        second_(extrusion.second),
        third_(3 - extrusion.first - extrusion.second),
        from_(extrusion.from),
        to_(extrusion.to),
        endless_(extrusion.endless) {
    // The material lies to the left of every loop: the outline runs counter-clockwise, holes clockwise.
    std::vector<std::vector<Piece>> loops{piecesOf(extrusion.outline)};
    for (const OutlineLoop& hole : extrusion.holes) loops.push_back(piecesOf(hole));
    for (std::size_t l = 0; l < loops.size(); ++l) {
      const double area = signedArea(loops[l]);
      if (area == 0) throw InputError("the outline encloses no area");
      if ((area < 0) == (l == 0)) reverse(loops[l]);
    }
    if (cross(loops)) throw InputError("the outline crosses itself, or a hole crosses it");
    for (std::size_t l = 1; l < loops.size(); ++l)
      if (signedDistance(loops.front(), loops[l].front().from) > 0)
        throw InputError("a hole lies outside the outline");
    for (std::size_t l = 1; l < loops.size(); ++l)
      for (std::size_t o = 1; o < loops.size(); ++o)
        if (o != l && insideLoop(loops[o], loops[l].front().from))
          throw InputError("a hole lies inside another hole",
                           "what stands in a hole is a shape of its own, joined by a union");
    for (const auto& loop : loops) {
      std::map<int, std::vector<std::size_t>> curves;
      for (const Piece& piece : loop) {
        if (piece.curve > 0) curves[piece.curve].push_back(pieces_.size());
        pieces_.push_back(piece);
      }
      for (auto& [number, chords] : curves) curves_.push_back(std::move(chords));
    }
  }

  double distance(const Vec3& point) const override {
    const double across = signedDistance(pieces_, {point[first_], point[second_]});
    if (endless_) return across;
    return prismDistance(across, std::max(from_ - point[third_], point[third_] - to_));
  }
  bool flat() const override { return endless_; }
  Box bounds() const override {
    Box box;
    for (const Piece& p : pieces_) {
      constexpr int kSteps = 4;
      for (int s = 0; s <= kSteps; ++s)
        for (const double along : {from_, to_})
          box.extend(lift(p.at(static_cast<double>(s) / kSteps), along));
      if (!p.round) continue;
      for (int quarter = 0; quarter < 4; ++quarter) {
        const double angle = 0.5 * std::numbers::pi * quarter;
        const Vec2 extreme = p.centre + p.radius * Vec2(std::cos(angle), std::sin(angle));
        if (p.distance(extreme) < 1e-9 * p.radius) box.extend(lift(extreme, from_));
      }
    }
    return box;
  }
  void appendPatches(std::vector<Patch>& patches) const override {
    // The handedness of (first, second, third) decides which order of edges gives the outward normal.
    const bool right = (second_ - first_ + 3) % 3 == 1;
    if (!endless_) appendEnds(patches, right);
    for (const auto& chords : curves_) patches.push_back(curved(chords, right));
    for (const Piece& p : pieces_) {
      if (p.curve > 0) continue;
      const Vec3 height = lift(p.from, to_) - lift(p.from, from_);
      if (p.round) {
        patches.push_back(wall(p, height, right));
        continue;
      }
      const Vec3 start = lift(p.from, from_);
      const Vec3 edge = lift(p.to, from_) - start;
      patches.push_back(right ? planePatch(start, edge, height) : planePatch(start, height, edge));
    }
  }

 private:
  Vec3 lift(const Vec2& corner, double along) const {
    Vec3 point;
    point[first_] = corner.x();
    point[second_] = corner.y();
    point[third_] = along;
    return point;
  }

  void appendEnds(std::vector<Patch>& patches, bool right) const {
    const Box box = bounds();
    Vec3 u = Vec3::Zero();
    Vec3 v = Vec3::Zero();
    u[first_] = box.sizes()[first_];
    v[second_] = box.sizes()[second_];
    patches.push_back(right ? planePatch(box.min(), v, u) : planePatch(box.min(), u, v));
    patches.push_back(right ? planePatch(box.max() - u - v, u, v) : planePatch(box.max() - u - v, v, u));
  }

  /// The part of a cylinder an arc sweeps out.
  Patch wall(const Piece& p, const Vec3& height, bool right) const {
    const bool left =
        p.sweep > 0;  // the material lies to the left: inside the circle when the arc turns left
    // Angles are counted from u towards v x u; in a left-handed plane that runs against the outline's sense.
    const Vec2& start = left == right ? p.from : p.to;
    return {.kind = Patch::Kind::cylinder,
            .origin = lift(p.centre, from_),
            .u = (lift(start, from_) - lift(p.centre, from_)).normalized(),
            .v = height,
            .radius = p.radius,
            .sweep = std::abs(p.sweep),
            .flipped = !left};
  }

  /// The strip the chords of a curve sweep out.
  Patch curved(const std::vector<std::size_t>& chords, bool right) const {
    TriangleMesh net;
    for (const std::size_t c : chords) {
      const Piece& p = pieces_[c];
      // Neighbours share their vertices, so that they share a normal there.
      const bool follows =
          !net.vertices.empty() && net.vertices[net.vertices.size() - 2] == lift(p.from, from_);
      if (!follows)
        for (const double along : {from_, to_}) net.vertices.push_back(lift(p.from, along));
      const int a = static_cast<int>(net.vertices.size()) - 2;
      int b = a + 2;
      if (c == chords.back() && net.vertices[0] == lift(p.to, from_))
        b = 0;
      else
        for (const double along : {from_, to_}) net.vertices.push_back(lift(p.to, along));
      net.triangles.push_back({a, b, b + 1});
      net.triangles.push_back({a, b + 1, a + 1});
      if (!right)
        for (std::size_t t = net.triangles.size() - 2; t < net.triangles.size(); ++t)
          std::swap(net.triangles[t][1], net.triangles[t][2]);
    }
    const double area = net.area();
    return {.kind = Patch::Kind::freeform, .net = std::make_shared<PatchNet>(std::move(net), area, 0)};
  }

  std::vector<Piece> pieces_;
  std::vector<std::vector<std::size_t>> curves_;  // the chords of each, in their order
  int first_;
  int second_;
  int third_;
  double from_;
  double to_;
  bool endless_;
};

void checkCorners(const OutlineLoop& loop) {
  for (const OutlineCorner& corner : loop) {
    requireFinite("a corner", corner.point);
    if (corner.through) requireFinite("a point of an arc", *corner.through);
  }
  const bool round =
      std::any_of(loop.begin(), loop.end(), [](const OutlineCorner& c) { return c.through.has_value(); });
  if (loop.size() < (round ? 2U : 3U))
    throw InputError("an outline needs at least three corners, or two with an arc");
}

}  // namespace

ShapePtr makeExtrusion(const Extrusion& extrusion) {
  if (!(extrusion.from < extrusion.to)) throw InputError("an extrusion needs 'from' below 'to'");
  requireFinite("'from' of an extrusion", extrusion.from);
  requireFinite("'to' of an extrusion", extrusion.to);
  requireIndex("'first' of an extrusion", static_cast<std::size_t>(extrusion.first), 3, "axes");
  requireIndex("'second' of an extrusion", static_cast<std::size_t>(extrusion.second), 3, "axes");
  if (extrusion.first == extrusion.second)
    throw InputError("an outline lies in the plane of two axes", "give different ones");
  checkCorners(extrusion.outline);
  for (const OutlineLoop& hole : extrusion.holes) checkCorners(hole);
  return std::make_shared<ExtrusionShape>(extrusion);
}

}  // namespace barelattice
