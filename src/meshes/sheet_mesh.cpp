#include "sheet_mesh.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <map>
#include <numbers>
#include <optional>
#include <unordered_map>

#include "barelattice/base/error.hpp"
#include "base/parallel.hpp"
#include "crease.hpp"

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;
using Triangle = std::array<int, 3>;

const double kRowHeight = std::sqrt(0.75);  // of the equilateral lattice, in spacings

int layersOf(double thickness, double spacing) {
  return std::max(1, static_cast<int>(std::lround(thickness / spacing)));
}

class PlaneStuffing {
 public:
  PlaneStuffing(const std::function<double(const Vec2&)>& f, const Eigen::AlignedBox2d& bounds,
                double spacing)
      : f_(f), spacing_(spacing) {
    // One spacing of margin: the outline never touches the rim of the lattice.
    origin_ = bounds.min() - Vec2::Constant(1.37 * spacing);
    const Vec2 size = bounds.sizes() + Vec2::Constant(3 * spacing);
    const double columns = std::ceil(size.x() / spacing) + 1;
    const double rows = std::ceil(size.y() / (kRowHeight * spacing)) + 1;
    constexpr double kMost = 1 << 26;
    if (!(columns * rows <= kMost))
      throw InputError("the lattice of the sheet would be too large", "choose a larger spacing");
    columns_ = static_cast<int>(columns);
    rows_ = static_cast<int>(rows);
    points_.resize(static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_));
    values_.resize(points_.size());
    forEach(
        points_.size(),
        [&](std::size_t p) {
          const int row = static_cast<int>(p) / columns_;
          const int column = static_cast<int>(p) % columns_;
          points_[p] = origin_ + spacing_ * Vec2(column + 0.5 * (row % 2), kRowHeight * row);
          values_[p] = f_(points_[p]);
        },
        256);
  }

  /// Points and counter-clockwise triangles.
  void mesh(std::vector<Vec2>& points, std::vector<Triangle>& triangles) {
    warp();
    for (int row = 0; row + 1 < rows_; ++row)
      for (int column = 0; column + 1 < columns_; ++column) {
        const int a = at(row, column), b = at(row, column + 1);
        const int c = at(row + 1, column), d = at(row + 1, column + 1);
        if (row % 2) {
          emit({a, d, c});
          emit({a, b, d});
        } else {
          emit({a, b, c});
          emit({b, d, c});
        }
      }
    std::vector<int> number(points_.size(), -1);
    for (Triangle& t : triangles_)
      for (int& v : t) {
        int& n = number[static_cast<std::size_t>(v)];
        if (n < 0) {
          n = static_cast<int>(points.size());
          points.push_back(points_[static_cast<std::size_t>(v)]);
        }
        v = n;
      }
    triangles = std::move(triangles_);
  }

 private:
  int at(int row, int column) const { return row * columns_ + column; }
  double value(int p) const { return values_[static_cast<std::size_t>(p)]; }
  const Vec2& point(int p) const { return points_[static_cast<std::size_t>(p)]; }

  /// Where f is zero between two points of different sign, by bisection and interpolation.
  Vec2 root(Vec2 in, double atIn, Vec2 out, double atOut) const {
    for (int step = 0; step < 30 && (out - in).norm() > 1e-6 * spacing_; ++step) {
      // Every other step halves: interpolation alone may creep up from one side.
      const double share = step % 2 ? 0.5 : std::clamp(atIn / (atIn - atOut), 0.02, 0.98);
      const Vec2 middle = in + share * (out - in);
      const double here = f_(middle);
      (here < 0 ? in : out) = middle;
      (here < 0 ? atIn : atOut) = here;
    }
    return 0.5 * (in + out);
  }

  /// Moves points close to the outline onto it.
  void warp() {
    constexpr double kNear = 0.35;  // spacings; further and triangles fold, nearer and cut corners get slim
    std::vector<Vec2> moved = points_;
    std::vector<char> onOutline(points_.size(), 0);
    forEach(
        points_.size(),
        [&](std::size_t p) {
          const int row = static_cast<int>(p) / columns_;
          const int column = static_cast<int>(p) % columns_;
          const int shift = row % 2 ? 0 : -1;  // first of the two neighbours in the rows above and below
          const std::array<std::array<int, 2>, 6> around{{{row, column - 1},
                                                          {row, column + 1},
                                                          {row - 1, column + shift},
                                                          {row - 1, column + shift + 1},
                                                          {row + 1, column + shift},
                                                          {row + 1, column + shift + 1}}};
          double least = kNear * spacing_;
          for (const auto& [r, c] : around) {
            if (r < 0 || r >= rows_ || c < 0 || c >= columns_) continue;
            const int other = at(r, c);
            if ((values_[p] < 0) == (value(other) < 0)) continue;
            const Vec2 cut = values_[p] < 0 ? root(points_[p], values_[p], point(other), value(other))
                                            : root(point(other), value(other), points_[p], values_[p]);
            const double away = (cut - points_[p]).norm();
            if (away >= least) continue;
            least = away;
            moved[p] = cut;
            onOutline[p] = 1;
          }
        },
        256);
    points_ = std::move(moved);
    for (std::size_t p = 0; p < points_.size(); ++p)
      if (onOutline[p]) values_[p] = 0;
  }

  /// The point where the outline crosses the edge between an inner and an outer point.
  int cut(int in, int out) {
    const std::uint64_t key =
        static_cast<std::uint64_t>(std::min(in, out)) << 32 | static_cast<std::uint32_t>(std::max(in, out));
    const auto [entry, fresh] = cuts_.try_emplace(key, static_cast<int>(points_.size()));
    if (fresh) {
      points_.push_back(root(point(in), value(in), point(out), value(out)));
      values_.push_back(0);
    }
    return entry->second;
  }

  void emit(Triangle t) {
    const auto inside = [&](int p) { return value(p) < 0; };
    const auto outside = [&](int p) { return value(p) > 0; };
    const auto ins = std::count_if(t.begin(), t.end(), inside);
    const auto outs = std::count_if(t.begin(), t.end(), outside);
    if (outs == 0) {
      if (ins > 0 || f_((point(t[0]) + point(t[1]) + point(t[2])) / 3) < 0) triangles_.push_back(t);
      return;
    }
    if (ins == 0) return;
    if (ins == 2) {  // the outer one is cut off: two triangles, split along the shorter diagonal
      while (!outside(t[2])) std::rotate(t.begin(), t.begin() + 1, t.end());
      const int c = cut(t[1], t[2]);
      const int d = cut(t[0], t[2]);
      if ((point(t[0]) - point(c)).norm() < (point(t[1]) - point(d)).norm()) {
        triangles_.push_back({t[0], t[1], c});
        triangles_.push_back({t[0], c, d});
      } else {
        triangles_.push_back({t[0], t[1], d});
        triangles_.push_back({t[1], c, d});
      }
      return;
    }
    while (!inside(t[0])) std::rotate(t.begin(), t.begin() + 1, t.end());
    const int b = outside(t[1]) ? cut(t[0], t[1]) : t[1];
    const int c = outside(t[2]) ? cut(t[0], t[2]) : t[2];
    triangles_.push_back({t[0], b, c});
  }

  const std::function<double(const Vec2&)>& f_;
  double spacing_;
  Vec2 origin_;
  int columns_ = 0;
  int rows_ = 0;
  std::vector<Vec2> points_;
  std::vector<double> values_;
  std::vector<Triangle> triangles_;
  std::unordered_map<std::uint64_t, int> cuts_;
};

/// The smallest angle of a triangle, degrees; 0 if it is turned over.
double leastAngle(const Vec2& a, const Vec2& b, const Vec2& c) {
  const auto angle = [](const Vec2& u, const Vec2& v) {
    return std::atan2(u.x() * v.y() - u.y() * v.x(), u.dot(v)) * 180 / std::numbers::pi;
  };
  return std::max(0.0, std::min({angle(b - a, c - a), angle(c - b, a - b), angle(a - c, b - c)}));
}

/// Brings the corners of the outline, which the lattice chamfers, onto points of the mesh: the nearer end of
/// an edge across a corner moves there if the triangles round it allow it, else the edge is divided.
void sharpenCorners(const std::function<double(const Vec2&)>& f, double spacing, std::vector<Vec2>& points,
                    std::vector<Triangle>& triangles) {
  constexpr double kLeastAngle = 12;  // degrees
  const Implicit swept = [&](const Vec3& p) { return f(p.head<2>()); };
  const CreaseFinder finder(swept, spacing);
  std::vector<std::vector<std::size_t>> round(points.size());
  for (std::size_t t = 0; t < triangles.size(); ++t)
    for (const int v : triangles[t]) round[static_cast<std::size_t>(v)].push_back(t);
  const auto at = [&](int v) -> Vec2& { return points[static_cast<std::size_t>(v)]; };
  const auto tangent = [&](int v) {
    const Vec3 place(at(v).x(), at(v).y(), 0);
    return Tangent{place, finder.normal(place)};
  };
  const auto moves = [&](int v, const Vec2& to) {
    const Vec2 before = at(v);
    at(v) = to;
    const auto& own = round[static_cast<std::size_t>(v)];
    if (std::all_of(own.begin(), own.end(), [&](std::size_t t) {
          return leastAngle(at(triangles[t][0]), at(triangles[t][1]), at(triangles[t][2])) >= kLeastAngle;
        }))
      return true;
    at(v) = before;
    return false;
  };
  // Edges of one triangle only.
  std::map<std::array<int, 2>, int> uses;
  for (const Triangle& t : triangles)
    for (std::size_t i = 0; i < 3; ++i)
      ++uses[{std::min(t[i], t[(i + 1) % 3]), std::max(t[i], t[(i + 1) % 3])}];
  for (std::size_t t = 0, count = triangles.size(); t < count; ++t)
    for (std::size_t i = 0; i < 3; ++i) {
      const int a = triangles[t][i];
      const int b = triangles[t][(i + 1) % 3];
      if (uses[{std::min(a, b), std::max(a, b)}] != 1) continue;
      const Tangent first = tangent(a);
      const Tangent second = tangent(b);
      if (!CreaseFinder::mayMeet(first.normal, second.normal)) continue;
      const std::optional<Crease> crease = finder.between(first, second);
      if (!crease) continue;
      const Vec2 corner = crease->point.head<2>();
      const bool nearFirst = (corner - at(a)).norm() < (corner - at(b)).norm();
      if (moves(nearFirst ? a : b, corner) || moves(nearFirst ? b : a, corner)) continue;
      const int c = triangles[t][(i + 2) % 3];
      const int middle = static_cast<int>(points.size());
      points.push_back(corner);
      round.push_back({t, triangles.size()});
      round[static_cast<std::size_t>(b)].push_back(triangles.size());
      round[static_cast<std::size_t>(c)].push_back(triangles.size());
      std::erase(round[static_cast<std::size_t>(b)], t);
      triangles[t] = {a, middle, c};
      triangles.push_back({middle, b, c});
      break;
    }
}

}  // namespace

TetMesh stuffSheet(const std::function<double(const Vec2&)>& f, const Eigen::AlignedBox2d& bounds,
                   double spacing, double thickness) {
  std::vector<Vec2> points;
  std::vector<Triangle> triangles;
  PlaneStuffing(f, bounds, spacing).mesh(points, triangles);
  sharpenCorners(f, spacing, points, triangles);
  const int layers = layersOf(thickness, spacing);
  TetMesh mesh;
  for (int layer = 0; layer <= layers; ++layer)
    for (const Vec2& p : points)
      mesh.vertices.emplace_back(p.x(), p.y(), layer == layers ? thickness : thickness * layer / layers);
  const int count = static_cast<int>(points.size());
  for (int layer = 0; layer < layers; ++layer)
    for (Triangle t : triangles) {
      // Diagonals run from the lower number below to the higher one above, so that neighbours agree.
      std::sort(t.begin(), t.end());
      const int low = layer * count;
      const int high = low + count;
      for (std::array<int, 4> tet : {std::array{low + t[0], low + t[1], low + t[2], high + t[2]},
                                     std::array{low + t[0], low + t[1], high + t[1], high + t[2]},
                                     std::array{low + t[0], high + t[0], high + t[1], high + t[2]}}) {
        const auto& v = mesh.vertices;
        const Vec3& a = v[static_cast<std::size_t>(tet[0])];
        const double volume = (v[static_cast<std::size_t>(tet[1])] - a)
                                  .cross(v[static_cast<std::size_t>(tet[2])] - a)
                                  .dot(v[static_cast<std::size_t>(tet[3])] - a);
        if (volume < 0) std::swap(tet[1], tet[2]);
        mesh.tets.push_back(tet);
      }
    }
  return mesh;
}

double sheetSpacingFor(double area, double thickness, int tetrahedra) {
  // Two triangles to a point of the lattice, three tetrahedra to a prism.
  const double perArea = 6 / kRowHeight;
  constexpr int kMostLayers = 64;
  for (int layers = 1; layers < kMostLayers; ++layers) {
    const double spacing = std::sqrt(perArea * area * layers / tetrahedra);
    if (layersOf(thickness, spacing) <= layers) return spacing;
  }
  return std::cbrt(perArea * area * thickness / tetrahedra);
}

}  // namespace barelattice
