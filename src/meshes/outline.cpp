#include "barelattice/meshes/outline.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <limits>
#include <map>
#include <numeric>
#include <optional>
#include <tuple>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/check.hpp"
#include "base/markup.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;
using Loop = std::vector<Vec2>;

double cross2(const Vec2& a, const Vec2& b) {
  return a.x() * b.y() - a.y() * b.x();
}

double signedArea(const Loop& loop) {
  double twice = 0;
  for (std::size_t i = 0; i < loop.size(); ++i) twice += cross2(loop[i], loop[(i + 1) % loop.size()]);
  return 0.5 * twice;
}

/// How often the loop winds round the point: sides that rise through the ray from it to the right count one,
/// sides that fall minus one. A side has its lower end and not its upper one, so a corner on the ray counts
/// once.
bool insideLoop(const Loop& loop, const Vec2& p) {
  int winding = 0;
  Vec2 from = loop.back();
  for (const Vec2& to : loop) {
    const int fromAbove = from.y() > p.y(), toAbove = to.y() > p.y();
    const int rise = toAbove - fromAbove;
    // Rising, the ray meets the side where p lies to its left; falling, to its right.
    if (rise * cross2(to - from, p - from) > 0) winding += rise;
    from = to;
  }
  return winding != 0;
}

class Tracer {
 public:
  Tracer(const PlaneFunction& f, const Eigen::AlignedBox2d& bounds, double spacing)
      : f_(f), spacing_(spacing) {
    // A square of margin on every side, so that the outermost points lie outside.
    const Vec2 sizes = bounds.sizes() / spacing;
    columns_ = static_cast<int>(std::ceil(sizes.x())) + 3;
    rows_ = static_cast<int>(std::ceil(sizes.y())) + 3;
    constexpr double kMostPoints = 67108864;  // 2^26
    if (static_cast<double>(columns_) * rows_ > kMostPoints)
      throw InputError("the spacing is too small for the size of the outline");
    origin_ = bounds.center() - 0.5 * spacing * Vec2(columns_ - 1, rows_ - 1);
    values_.resize(static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_));
    forEach(
        values_.size(), [&](std::size_t i) { values_[i] = f_(place(static_cast<int>(i))); }, 256);
  }

  Outline trace() {
    for (int j = 0; j + 1 < rows_; ++j)
      for (int i = 0; i + 1 < columns_; ++i) visit(i, j);
    Outline outline;
    while (!next_.empty()) {
      Loop loop;
      const std::int64_t start = next_.begin()->first;
      for (std::int64_t edge = start;;) {
        const auto step = next_.find(edge);
        const std::int64_t to = step->second;
        next_.erase(step);
        loop.push_back(crossing(edge));
        if (const auto corner = cornerBetween(loop.back(), crossing(to))) loop.push_back(*corner);
        if (to == start) break;
        edge = to;
      }
      dropTwins(loop);
      if (loop.size() >= 3) outline.loops.push_back(std::move(loop));
    }
    return outline;
  }

 private:
  int point(int i, int j) const { return j * columns_ + i; }
  Vec2 place(int p) const { return origin_ + spacing_ * Vec2(p % columns_, p / columns_); }
  bool inside(int p) const { return values_[static_cast<std::size_t>(p)] < 0; }
  /// The edge from a point to its right (0) or upper (1) neighbour.
  static std::int64_t edge(int p, int up) { return 2 * static_cast<std::int64_t>(p) + up; }

  /// Links the crossings of one square so that the inside lies to the left.
  void visit(int i, int j) {
    const std::array<int, 4> corner{point(i, j), point(i + 1, j), point(i + 1, j + 1), point(i, j + 1)};
    const std::array<std::int64_t, 4> side{edge(corner[0], 0), edge(corner[1], 1), edge(corner[3], 0),
                                           edge(corner[0], 1)};
    int mask = 0;
    for (std::size_t c = 0; c < 4; ++c) mask |= inside(corner[c]) << c;
    if (mask == 0 || mask == 15) return;
    // Sides where the walk round the square, counter-clockwise, leaves and enters the inside.
    std::vector<std::size_t> leaves, enters;
    for (std::size_t s = 0; s < 4; ++s) {
      const bool from = inside(corner[s]);
      const bool to = inside(corner[(s + 1) % 4]);
      if (from && !to) leaves.push_back(s);
      if (!from && to) enters.push_back(s);
    }
    if (leaves.size() == 1) {
      next_[side[leaves[0]]] = side[enters[0]];
      return;
    }
    // Two opposite corners inside: the middle decides whether they hang together.
    const bool joined = f_(place(corner[0]) + 0.5 * spacing_ * Vec2(1, 1)) < 0;
    for (const std::size_t s : leaves) next_[side[s]] = side[joined ? (s + 1) % 4 : (s + 3) % 4];
  }

  /// Where the curve crosses an edge, by the regula falsi with halving when it is slow.
  Vec2 crossing(std::int64_t number) const {
    const int p = static_cast<int>(number / 2);
    const int q = number % 2 ? p + columns_ : p + 1;
    Vec2 in = place(inside(p) ? p : q);
    Vec2 out = place(inside(p) ? q : p);
    double low = values_[static_cast<std::size_t>(inside(p) ? p : q)];
    double high = values_[static_cast<std::size_t>(inside(p) ? q : p)];
    for (int step = 0; step < 40 && (out - in).norm() > 1e-6 * spacing_; ++step) {
      const double share = step % 3 == 2 ? 0.5 : std::clamp(low / (low - high), 0.001, 0.999);
      const Vec2 middle = in + share * (out - in);
      const double value = f_(middle);
      if (std::abs(value) < 1e-9 * spacing_) return middle;
      if (value < 0) {
        in = middle;
        low = value;
      } else {
        out = middle;
        high = value;
      }
    }
    return 0.5 * (in + out);
  }

  /// Where the curve passes through a lattice point, the crossings of all its edges fall together.
  void dropTwins(Loop& loop) const {
    const double apart = 1e-3 * spacing_;
    Loop kept;
    for (const Vec2& p : loop)
      if (kept.empty() || (p - kept.back()).norm() > apart) kept.push_back(p);
    while (kept.size() > 1 && (kept.front() - kept.back()).norm() <= apart) kept.pop_back();
    loop = std::move(kept);
  }

  Vec2 gradient(const Vec2& at) const {
    const double step = 1e-4 * spacing_;
    return Vec2(f_(at + Vec2(step, 0)) - f_(at - Vec2(step, 0)),
                f_(at + Vec2(0, step)) - f_(at - Vec2(0, step))) /
           (2 * step);
  }

  /// Where the tangents at two neighbouring crossings meet, if they differ by more than a smooth curve would.
  std::optional<Vec2> cornerBetween(const Vec2& a, const Vec2& b) const {
    constexpr double kCreaseCosine = 0.82;  // 35 degrees
    Vec2 pa = a, pb = b;
    Vec2 na = gradient(a).normalized(), nb = gradient(b).normalized();
    const Vec2 ahead(-na.y(), na.x());  // the way the loop runs at either crossing
    const Vec2 onward(-nb.y(), nb.x());
    const Vec2 middle = 0.5 * (a + b);
    std::optional<Vec2> corner;
    for (int round = 0; round < 3; ++round) {
      if (!(na.dot(nb) < kCreaseCosine)) return std::nullopt;
      const double sine = cross2(na, nb);
      if (std::abs(sine) < 0.1) return std::nullopt;
      const double da = na.dot(pa);
      const double db = nb.dot(pb);
      corner = Vec2(da * nb.y() - db * na.y(), db * na.x() - da * nb.x()) / sine;
      if ((*corner - middle).norm() > spacing_) return std::nullopt;
      // Curved sides: take the tangents again, closer to the corner.
      for (const auto& [from, p, n] : {std::tuple{a, &pa, &na}, std::tuple{b, &pb, &nb}}) {
        Vec2 near = *corner + 0.2 * (from - *corner);
        const Vec2 g = gradient(near);
        if (g.squaredNorm() < 1e-6) continue;
        near -= f_(near) * g / g.squaredNorm();
        const Vec2 normal = gradient(near).normalized();
        if (normal.dot(*n) < kCreaseCosine) continue;
        *p = near;
        *n = normal;
      }
    }
    // A corner behind the first crossing or past the second would fold the loop over.
    if ((*corner - a).dot(ahead) <= 0 || (b - *corner).dot(onward) <= 0) return std::nullopt;
    return corner;
  }

  const PlaneFunction& f_;
  double spacing_;
  int columns_ = 0;
  int rows_ = 0;
  Vec2 origin_;
  std::vector<double> values_;
  std::map<std::int64_t, std::int64_t> next_;
};

void keepFarthest(const Loop& loop, std::size_t first, std::size_t last, double deviation,
                  std::vector<char>& kept) {
  if (last <= first + 1) return;
  const Vec2 a = loop[first];
  const Vec2 edge = loop[last % loop.size()] - a;
  double most = 0;
  std::size_t at = first;
  for (std::size_t i = first + 1; i < last; ++i) {
    const double along = std::clamp((loop[i] - a).dot(edge) / std::max(edge.squaredNorm(), 1e-300), 0.0, 1.0);
    const double distance = (loop[i] - a - along * edge).norm();
    if (distance > most) {
      most = distance;
      at = i;
    }
  }
  if (most <= deviation) return;
  kept[at] = 1;
  keepFarthest(loop, first, at, deviation, kept);
  keepFarthest(loop, at, last, deviation, kept);
}

Loop simplifiedLoop(const Loop& loop, double deviation) {
  std::vector<char> kept(loop.size(), 0);
  std::size_t far = 0;
  for (std::size_t i = 0; i < loop.size(); ++i)
    if ((loop[i] - loop[0]).squaredNorm() > (loop[far] - loop[0]).squaredNorm()) far = i;
  kept[0] = kept[far] = 1;
  keepFarthest(loop, 0, far, deviation, kept);
  keepFarthest(loop, far, loop.size(), deviation, kept);
  Loop result;
  for (std::size_t i = 0; i < loop.size(); ++i)
    if (kept[i]) result.push_back(loop[i]);
  return result.size() >= 3 ? result : loop;
}

/// Triangles of a polygon with holes by ear clipping, holes joined to the outer loop by bridges (Eberly,
/// Triangulation by ear clipping).
class Ears {
 public:
  /// @param points of all loops of one piece, the outer loop first; `first` is the number of each loop's
  /// first
  ///   point.
  Ears(const std::vector<Vec2>& points, const std::vector<std::size_t>& first) : points_(points) {
    for (std::size_t l = 0; l + 1 < first.size(); ++l)
      for (std::size_t i = first[l]; i < first[l + 1]; ++i)
        edges_.push_back({static_cast<int>(i), static_cast<int>(i + 1 < first[l + 1] ? i + 1 : first[l])});
    for (std::size_t i = 0; i < first[1]; ++i) ring_.push_back(static_cast<int>(i));
    std::vector<std::size_t> holes(first.size() - 2);
    std::iota(holes.begin(), holes.end(), 1);
    const auto rightmost = [&](std::size_t l) {
      std::size_t best = first[l];
      for (std::size_t i = first[l]; i < first[l + 1]; ++i)
        if (points[i].x() > points[best].x()) best = i;
      return best;
    };
    std::sort(holes.begin(), holes.end(), [&](std::size_t a, std::size_t b) {
      return points[rightmost(a)].x() > points[rightmost(b)].x();
    });
    for (const std::size_t l : holes) bridge(first[l], first[l + 1], rightmost(l));
  }

  std::vector<std::array<int, 3>> clip() {
    std::vector<std::array<int, 3>> triangles;
    std::size_t at = 0;
    std::size_t failed = 0;
    while (ring_.size() > 3) {
      const std::size_t n = ring_.size();
      const std::size_t before = (at + n - 1) % n;
      const std::size_t after = (at + 1) % n;
      if (isEar(before, at, after)) {
        triangles.push_back({ring_[before], ring_[at], ring_[after]});
        ring_.erase(ring_.begin() + static_cast<std::ptrdiff_t>(at));
        at = (at >= ring_.size() ? 0 : at);
        at = (at + 1) % ring_.size();  // skip one: spreads the triangles instead of fanning
        failed = 0;
      } else {
        at = (at + 1) % n;
        if (++failed <= n) continue;
        // Slivers fold over when a file rounds their corners: they are taken only when nothing else is left.
        if (least_ == 0)
          throw RunError("the outline crosses itself and cannot be filled", "try another voxel size");
        least_ = least_ > 1e-9 ? 1e-3 * least_ : 0;
        failed = 0;
      }
    }
    triangles.push_back({ring_[0], ring_[1], ring_[2]});
    return triangles;
  }

 private:
  const Vec2& at(std::size_t i) const { return points_[static_cast<std::size_t>(ring_[i])]; }

  /// Joins a hole to the ring along a line from its rightmost point to a ring point it can see.
  void bridge(std::size_t begin, std::size_t end, std::size_t from) {
    const Vec2& m = points_[from];
    std::size_t best = ring_.size();
    double least = std::numeric_limits<double>::max();
    for (std::size_t i = 0; i < ring_.size(); ++i) {
      const double distance = (at(i) - m).squaredNorm();
      if (distance < least && inCone(i, m) && sees(m, i)) {
        least = distance;
        best = i;
      }
    }
    if (best == ring_.size())
      throw RunError("a hole of the outline cannot be joined to its edge", "try another voxel size");
    std::vector<int> detour;
    for (std::size_t i = from; i < end; ++i) detour.push_back(static_cast<int>(i));
    for (std::size_t i = begin; i <= from; ++i) detour.push_back(static_cast<int>(i));
    detour.push_back(ring_[best]);
    edges_.push_back({static_cast<int>(from), ring_[best]});
    ring_.insert(ring_.begin() + static_cast<std::ptrdiff_t>(best) + 1, detour.begin(), detour.end());
  }

  /// True if the direction to `p` lies inside the ring at corner i.
  bool inCone(std::size_t i, const Vec2& p) const {
    const std::size_t n = ring_.size();
    const Vec2 back = at((i + n - 1) % n) - at(i);
    const Vec2 forth = at((i + 1) % n) - at(i);
    const Vec2 to = p - at(i);
    if (cross2(forth, back) > 0) return cross2(forth, to) > 0 && cross2(to, back) > 0;
    return !(cross2(back, to) >= 0 && cross2(to, forth) >= 0);
  }

  /// True if the line to ring corner `target` crosses no loop and no earlier bridge.
  bool sees(const Vec2& from, std::size_t target) const {
    const Vec2& to = at(target);
    for (const auto& [first, second] : edges_) {
      const Vec2& a = points_[static_cast<std::size_t>(first)];
      const Vec2& b = points_[static_cast<std::size_t>(second)];
      if (a == to || b == to || a == from || b == from) continue;
      const double d1 = cross2(b - a, from - a);
      const double d2 = cross2(b - a, to - a);
      const double d3 = cross2(to - from, a - from);
      const double d4 = cross2(to - from, b - from);
      if (d1 * d2 <= 0 && d3 * d4 <= 0) return false;
    }
    return true;
  }

  bool isEar(std::size_t before, std::size_t tip, std::size_t after) const {
    const Vec2& a = at(before);
    const Vec2& b = at(tip);
    const Vec2& c = at(after);
    const double longest = std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()});
    if (cross2(b - a, c - a) <= least_ * longest) return false;
    for (std::size_t i = 0; i < ring_.size(); ++i) {
      if (i == before || i == tip || i == after) continue;
      const Vec2& p = at(i);
      if (p == a || p == b || p == c) continue;  // the other end of a bridge
      if (cross2(b - a, p - a) >= 0 && cross2(c - b, p - b) >= 0 && cross2(a - c, p - c) >= 0) return false;
    }
    return true;
  }

  const std::vector<Vec2>& points_;
  std::vector<int> ring_;
  std::vector<std::array<int, 2>> edges_;  // of all loops, and the bridges
  double least_ = 1e-6;                    // height of a triangle that is no sliver, m
};

}  // namespace

double Outline::area() const {
  double sum = 0;
  for (const Loop& loop : loops) sum += signedArea(loop);
  return sum;
}

std::size_t Outline::corners() const {
  std::size_t count = 0;
  for (const Loop& loop : loops) count += loop.size();
  return count;
}

bool contains(const Outline& outline, const Vec2& point) {
  bool inside = false;
  for (const Loop& loop : outline.loops) inside ^= insideLoop(loop, point);
  return inside;
}

std::vector<Outline> piecesOf(const Outline& outline) {
  std::vector<Outline> pieces;
  for (const Loop& loop : outline.loops)
    if (signedArea(loop) > 0) pieces.push_back({{loop}});
  for (const Loop& loop : outline.loops) {
    if (signedArea(loop) > 0) continue;
    Outline* home = nullptr;  // the smallest outer loop round the hole
    for (Outline& piece : pieces)
      if (insideLoop(piece.loops.front(), loop.front()) &&
          (!home || signedArea(piece.loops.front()) < signedArea(home->loops.front())))
        home = &piece;
    if (home) home->loops.push_back(loop);
  }
  return pieces;
}

Outline traceOutline(const PlaneFunction& f, const Eigen::AlignedBox2d& bounds, double spacing) {
  requireGiven("f", f);
  requirePositive("spacing", spacing);
  if (bounds.isEmpty()) throw InputError("the box to be traced in is empty");
  requireFinite("corner of the box", bounds.min());
  requireFinite("corner of the box", bounds.max());
  return Tracer(f, bounds, spacing).trace();
}

Outline simplified(const Outline& outline, double deviation) {
  requireNotNegative("deviation", deviation);
  Outline result;
  for (const Loop& loop : outline.loops) result.loops.push_back(simplifiedLoop(loop, deviation));
  return result;
}

TriangleMesh extruded(const Outline& outline, double thickness) {
  requirePositive("thickness", thickness);
  TriangleMesh mesh;
  for (const Outline& piece : piecesOf(outline)) {
    std::vector<Vec2> points;
    std::vector<std::size_t> first{0};
    for (const Loop& loop : piece.loops) {
      points.insert(points.end(), loop.begin(), loop.end());
      first.push_back(points.size());
    }
    const int base = static_cast<int>(mesh.vertices.size());
    const int count = static_cast<int>(points.size());
    for (const double z : {0.0, thickness})
      for (const Vec2& p : points) mesh.vertices.emplace_back(p.x(), p.y(), z);
    for (const auto& t : Ears(points, first).clip()) {
      mesh.triangles.push_back({base + t[0], base + t[2], base + t[1]});
      mesh.triangles.push_back({base + count + t[0], base + count + t[1], base + count + t[2]});
    }
    for (std::size_t l = 0; l + 1 < first.size(); ++l)
      for (std::size_t i = first[l]; i < first[l + 1]; ++i) {
        const int a = base + static_cast<int>(i);
        const int b = base + static_cast<int>(i + 1 < first[l + 1] ? i + 1 : first[l]);
        mesh.triangles.push_back({a, b, b + count});
        mesh.triangles.push_back({a, b + count, a + count});
      }
  }
  return mesh;
}

std::string outlineSvg(const Outline& outline, const std::string& title) {
  Eigen::AlignedBox2d box;
  for (const Loop& loop : outline.loops)
    for (const Vec2& p : loop) box.extend(kMillimetresPerMetre * p);
  constexpr double kMargin = 5;  // mm
  const Vec2 low = box.min() - Vec2::Constant(kMargin);
  const Vec2 size = box.sizes() + Vec2::Constant(2 * kMargin);
  const std::string safe = escaped(title);
  std::string svg = fmt::format(
      "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{0:.6g}mm\" height=\"{1:.6g}mm\" "
      "viewBox=\"{2:.6g} {3:.6g} {0:.6g} {1:.6g}\">\n<title>{4}: outline in millimetres</title>\n"
      "<path transform=\"scale(1 -1)\" fill=\"#dfe5ea\" fill-rule=\"evenodd\" stroke=\"#1d2730\" "
      "stroke-width=\"0.2\" d=\"",
      size.x(), size.y(), low.x(), -(low.y() + size.y()), safe);
  for (const Loop& loop : outline.loops) {
    for (std::size_t i = 0; i < loop.size(); ++i)
      fmt::format_to(std::back_inserter(svg), "{}{:.4f} {:.4f}", i ? "L" : "M",
                     kMillimetresPerMetre * loop[i].x(), kMillimetresPerMetre * loop[i].y());
    svg += "Z";
  }
  return svg + "\"/>\n</svg>\n";
}

}  // namespace barelattice
