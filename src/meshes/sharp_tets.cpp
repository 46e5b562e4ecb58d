#include "barelattice/meshes/sharp_tets.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <unordered_map>
#include <utility>

#include "base/check.hpp"
#include "base/parallel.hpp"
#include "crease.hpp"

namespace barelattice {
namespace {

// Isosurface stuffing puts vertices on the surface, but not on its edges: each is cut off by a chamfer up to
// a spacing wide. Here vertices come to lie on them. One pass, `sharpenCreases`:
//   1. the tangent plane at every vertex of the surface, from the function's gradient;
//   2. an edge whose two ends have normals 35 to 120 degrees apart crosses a crease. Where: the two tangent
//      planes meet in a line; its nearest point to the edge is projected back along either face, planes are
//      taken anew there, until the point stands (crease.hpp; compare Kobbelt et al. 2001);
//   3. a triangle that three creases cross cuts off a corner, the common point of three planes;
//   4. the nearest vertex moves there, or the edge is split there, or swapped: whatever leaves all
//      tetrahedra round it with dihedral angles within the liberty of the pass;
//   5. vertices inside move to better the worst angles.
// Later passes have more liberty. What even the last could not do stays a chamfer, and is told.

/// How far one pass over all lines may go. The first takes what costs no shape; what it could not mend gets
/// another try with more liberty, and often a better place because its neighbours lie right by then.
struct Liberty {
  double near;        ///< a vertex this close to a line moves onto it if it can, spacings
  double leastAngle;  ///< dihedral, degrees
};
constexpr std::array<Liberty, 5> kPasses{{{0.3, 8}, {0.45, 6}, {0.6, 4}, {0.6, 2}, {0.6, 2}}};
constexpr double kLargestAngle = 170;
constexpr double kOn = 0.02;        // a vertex this close to a line counts as on it, spacings
constexpr double kShortest = 0.05;  // of edges, spacings
constexpr double kExact = 0.002;    // how far off the body's surface a line may be found, spacings
constexpr std::size_t kPerBlock = 256;

using Edge = std::array<int, 2>;

// What holds a vertex where it is.
constexpr char kLine = 1;
constexpr char kCorner = 2;

/// An edge of the surface and where a line crosses it.
struct Crossing {
  Edge edge;
  Vec3 point;
  std::optional<Crease> crease;  ///< the line, if it is one
};

/// A point where three faces meet, and the triangle that cuts it off.
struct Corner {
  Vec3 point;
  std::array<int, 3> triangle;
};

/// A vertex and where it might go.
struct Move {
  double distance;
  int vertex;
  const Crossing* crossing;
};

class TetSharpener {
 public:
  TetSharpener(TetMesh& mesh, const Implicit& f, double spacing)
      : mesh_(mesh), f_(f), finder_(f, spacing), spacing_(spacing), pinned_(mesh.vertices.size(), 0) {
    tetsAt_.resize(mesh.vertices.size());
    for (std::size_t t = 0; t < mesh.tets.size(); ++t)
      for (const int v : mesh.tets[t]) tetsAt_[static_cast<std::size_t>(v)].push_back(static_cast<int>(t));
  }

  /// One pass over all creases. @return true if some are not on edges of the mesh yet.
  bool sharpenCreases(const Liberty& liberty) {
    liberty_ = liberty;
    const auto surface = surfaceNow();
    std::vector<char> used(mesh_.vertices.size(), 0);
    for (const auto& t : *surface)
      for (const int v : t) used[static_cast<std::size_t>(v)] = 1;
    tangents_.resize(mesh_.vertices.size());
    forEach(
        used.size(),
        [&](std::size_t v) {
          if (used[v]) tangents_[v] = {mesh_.vertices[v], finder_.normal(mesh_.vertices[v])};
        },
        kPerBlock);
    std::vector<Edge> edges;
    std::vector<Corner> corners;
    for (const auto& t : *surface) {
      std::array<bool, 3> crosses{};
      for (std::size_t i = 0; i < 3; ++i) {
        const Edge edge{t[i], t[(i + 1) % 3]};
        crosses[i] = CreaseFinder::mayMeet(tangent(edge[0]).normal, tangent(edge[1]).normal);
        if (crosses[i] && edge[0] < edge[1]) edges.push_back(edge);
      }
      if (!crosses[0] || !crosses[1] || !crosses[2]) continue;
      const std::array<Tangent, 3> faces{tangent(t[0]), tangent(t[1]), tangent(t[2])};
      const Vec3 centre = (faces[0].point + faces[1].point + faces[2].point) / 3;
      const std::optional<Vec3> corner = finder_.corner(faces, centre);
      if (corner && onSurface(*corner)) corners.push_back({*corner, t});
    }
    std::vector<std::optional<Crease>> creases(edges.size());
    forEach(
        edges.size(),
        [&](std::size_t e) { creases[e] = finder_.between(tangent(edges[e][0]), tangent(edges[e][1])); },
        kPerBlock);
    takeCorners(used, corners, liberty_.near);
    std::vector<Crossing> crossings;
    for (std::size_t e = 0; e < edges.size(); ++e)
      if (creases[e] && onSurface(creases[e]->point))
        crossings.push_back({edges[e], creases[e]->point, creases[e]});
    const bool left = takeLine(crossings);
    constexpr double kAlong = 0.8;  // of a spacing: new vertices on creases slide to the corner
    takeCorners(used, corners, kAlong);
    return cutCornersLeft() || left;
  }

  /// One pass along the rim of a part. @return true if some of it is not on edges of the mesh yet.
  bool imprint(const SurfacePart& part, const Liberty& liberty) {
    liberty_ = liberty;
    const auto surface = surfaceNow();
    std::vector<signed char> inside(mesh_.vertices.size(), -1);
    std::vector<Crossing> crossings;
    const auto holds = [&](int v) {
      signed char& known = inside[static_cast<std::size_t>(v)];
      if (known < 0) known = part.covers(place(v)) ? 1 : 0;
      return known == 1;
    };
    for (const auto& t : *surface) {
      std::array<bool, 3> crosses{};
      for (std::size_t i = 0; i < 3; ++i)
        crosses[i] = t[i] < t[(i + 1) % 3] && holds(t[i]) != holds(t[(i + 1) % 3]);
      if (!crosses[0] && !crosses[1] && !crosses[2]) continue;
      const Vec3 normal = (place(t[1]) - place(t[0])).cross(place(t[2]) - place(t[0])).stableNormalized();
      if (!part.along((place(t[0]) + place(t[1]) + place(t[2])) / 3, normal)) continue;
      for (std::size_t i = 0; i < 3; ++i) {
        if (!crosses[i]) continue;
        const Edge edge{t[i], t[(i + 1) % 3]};
        Vec3 in = place(holds(edge[0]) ? edge[0] : edge[1]);
        Vec3 out = place(holds(edge[0]) ? edge[1] : edge[0]);
        constexpr int kHalvings = 20;
        for (int step = 0; step < kHalvings; ++step) {
          const Vec3 middle = 0.5 * (in + out);
          (part.covers(middle) ? in : out) = middle;
        }
        crossings.push_back({edge, in, std::nullopt});
      }
    }
    return takeLine(crossings);
  }

  /// Moves inner vertices of badly shaped tetrahedra to where they do less harm.
  void relax() {
    constexpr double kBad = 12;  // degrees
    const auto surface = surfaceNow();
    std::vector<char> fixed(mesh_.vertices.size(), 0);
    for (const auto& t : *surface)
      for (const int v : t) fixed[static_cast<std::size_t>(v)] = 1;
    for (std::size_t t = 0; t < mesh_.tets.size(); ++t) {
      const std::array<double, 2> range = angles(mesh_.tets[t]);
      if (range[0] >= kBad && range[1] <= 180 - kBad) continue;
      for (const int v : mesh_.tets[t])
        if (!fixed[static_cast<std::size_t>(v)]) settle(v);
    }
  }

 private:
  const Vec3& place(int v) const { return mesh_.vertices[static_cast<std::size_t>(v)]; }
  const Tangent& tangent(int v) const { return tangents_[static_cast<std::size_t>(v)]; }
  /// Tries to better the shapes round a vertex by moving it, in ever smaller steps.
  void settle(int vertex) {
    constexpr std::array<double, 4> kSteps{0.2, 0.1, 0.05, 0.025};  // spacings
    Vec3& at = mesh_.vertices[static_cast<std::size_t>(vertex)];
    double best = worstAround(vertex);
    for (const double step : kSteps)
      for (int direction = 0; direction < 6; ++direction) {
        const Vec3 before = at;
        at[direction / 2] += (direction % 2 ? -step : step) * spacing_;
        const double now = worstAround(vertex);
        if (now > best)
          best = now;
        else
          at = before;
      }
  }

  /// The triangles of the mesh's surface.
  std::shared_ptr<const std::vector<std::array<int, 3>>> surfaceNow() {
    if (!surface_)
      surface_ = std::make_shared<const std::vector<std::array<int, 3>>>(mesh_.boundary().triangles);
    return surface_;
  }
  /// Tangent planes may meet where neither face reaches.
  bool onSurface(const Vec3& point) const { return std::abs(f_(point)) < kExact * spacing_; }
  char& pinned(int v) { return pinned_[static_cast<std::size_t>(v)]; }

  /// Vertices close to a line across edges move onto it; the edges that still cross are split.
  /// @return true if some could not be split.
  bool takeLine(const std::vector<Crossing>& crossings) {
    std::vector<Move> moves;
    for (const Crossing& crossing : crossings)
      for (const int v : crossing.edge) {
        const double distance = (crossing.point - place(v)).norm();
        if (distance < liberty_.near * spacing_) moves.push_back({distance, v, &crossing});
      }
    std::stable_sort(moves.begin(), moves.end(),
                     [](const Move& a, const Move& b) { return a.distance < b.distance; });
    std::vector<char> moved(mesh_.vertices.size(), 0);
    for (const Move& m : moves) {
      if (moved[static_cast<std::size_t>(m.vertex)]) continue;
      // Those on another line already stay there: only what hardly moves may count as on both.
      if (pinned(m.vertex) && m.distance > kOn * spacing_) continue;
      if (!moveTo(m.vertex, m.crossing->point)) continue;
      moved[static_cast<std::size_t>(m.vertex)] = 1;
      if (m.crossing->crease) lineOf_.insert_or_assign(m.vertex, *m.crossing->crease);
    }
    bool left = false;
    for (const Crossing& crossing : crossings) {
      if (isOn(crossing, crossing.edge[0]) || isOn(crossing, crossing.edge[1])) continue;
      if (split(crossing.edge, crossing.point)) {
        if (crossing.crease)
          lineOf_.insert_or_assign(static_cast<int>(mesh_.vertices.size()) - 1, *crossing.crease);
      } else if (!takeCornerAt(crossing, crossing.edge[0]) && !takeCornerAt(crossing, crossing.edge[1]) &&
                 !swap(crossing)) {
        left = true;
      }
    }
    return left;
  }

  bool isOn(const Crossing& crossing, int v) const {
    const double off =
        crossing.crease ? crossing.crease->distance(place(v)) : (place(v) - crossing.point).norm();
    return off < kOn * spacing_;
  }

  /// A vertex on one crease that another one passes moves along the first to where they meet.
  bool takeCornerAt(const Crossing& crossing, int v) {
    const auto own = lineOf_.find(v);
    if (own == lineOf_.end() || !crossing.crease) return false;
    for (const Vec3& third : crossing.crease->normals) {
      const std::optional<Vec3> corner =
          finder_.corner({Tangent{own->second.point, own->second.normals[0]},
                          Tangent{own->second.point, own->second.normals[1]}, Tangent{crossing.point, third}},
                         place(v));
      if (corner && (*corner - place(v)).norm() < liberty_.near * spacing_ &&
          crossing.crease->distance(*corner) < kOn * spacing_ && onSurface(*corner) && moveTo(v, *corner)) {
        pinned(v) = kCorner;
        return true;
      }
    }
    return false;
  }

  /// Where creases are on edges up to a corner, a triangle between three of them may still cut it off: one of
  /// its vertices slides along its crease to the corner. @return true if some cannot.
  bool cutCornersLeft() {
    bool left = false;
    const auto surface = surfaceNow();
    for (const auto& t : *surface) {
      const Vec3 centre = (place(t[0]) + place(t[1]) + place(t[2])) / 3;
      if (std::abs(f_(centre)) < kOn * spacing_) continue;
      // Its edges then lie in the three faces.
      std::array<Tangent, 3> faces;
      for (std::size_t i = 0; i < 3; ++i) {
        const Vec3 middle = 0.5 * (place(t[i]) + place(t[(i + 1) % 3]));
        faces[i] = {middle, finder_.normal(middle)};
      }
      const std::optional<Vec3> corner = finder_.corner(faces, centre);
      if (!corner || !onSurface(*corner)) continue;
      bool taken = false;
      for (const int v : t)
        if (!taken && moveTo(v, *corner)) {
          pinned(v) = kCorner;
          taken = true;
        }
      taken = taken || raise(t, *corner);
      left = left || !taken;
    }
    return left;
  }

  /// Moves the nearest vertices of the surface that can onto corners.
  /// @param used which vertices lay on the surface when the pass began; later ones do too.
  void takeCorners(const std::vector<char>& used, const std::vector<Corner>& corners, double reach) {
    for (const Corner& corner : corners) {
      std::set<std::pair<double, int>> near;
      for (const int own : corner.triangle)
        for (const int t : tetsAt_[static_cast<std::size_t>(own)])
          for (const int v : mesh_.tets[static_cast<std::size_t>(t)]) {
            const double distance = (place(v) - corner.point).norm();
            const bool surface =
                static_cast<std::size_t>(v) >= used.size() || used[static_cast<std::size_t>(v)];
            if (surface && distance < reach * spacing_) near.emplace(distance, v);
          }
      if (!near.empty() && pinned(near.begin()->second) == kCorner && near.begin()->first < kOn * spacing_)
        continue;
      for (const auto& [distance, v] : near)
        if (moveTo(v, corner.point)) {
          pinned(v) = kCorner;
          break;
        }
    }
  }

  bool moveTo(int vertex, const Vec3& to) {
    if (pinned(vertex) == kCorner) return false;
    Vec3& at = mesh_.vertices[static_cast<std::size_t>(vertex)];
    const Vec3 before = at;
    at = to;
    for (const int t : tetsAt_[static_cast<std::size_t>(vertex)])
      if (!wellShaped(mesh_.tets[static_cast<std::size_t>(t)])) {
        at = before;
        return false;
      }
    pinned(vertex) = kLine;
    return true;
  }

  /// Puts a vertex into the middle of an edge, dividing the tetrahedra round it.
  bool split(const Edge& edge, const Vec3& point) {
    const std::vector<int> round = tetsAround(edge);
    if (round.empty()) return false;  // swapped away meanwhile
    const int middle = static_cast<int>(mesh_.vertices.size());
    mesh_.vertices.push_back(point);
    const auto with = [&](std::array<int, 4> tet, int instead) {
      *std::find(tet.begin(), tet.end(), instead) = middle;
      return tet;
    };
    for (const int t : round) {
      const std::array<int, 4> tet = mesh_.tets[static_cast<std::size_t>(t)];
      if (wellShaped(with(tet, edge[0])) && wellShaped(with(tet, edge[1]))) continue;
      mesh_.vertices.pop_back();
      return false;
    }
    tetsAt_.emplace_back();
    pinned_.push_back(kLine);
    std::vector<std::array<int, 4>> halves;
    for (const int t : round)
      for (const int end : edge) halves.push_back(with(mesh_.tets[static_cast<std::size_t>(t)], end));
    replace(round, halves);
    return true;
  }

  /// Takes an edge out that crosses between two vertices which lie on the line already, in favour of the one
  /// between them. The k tetrahedra round it have k + 1 more vertices, from one of those two to the other;
  /// any triangulation of that polygon, joined to both ends of the edge, fills the same room.
  bool swap(const Crossing& crossing) {
    const auto [a, b] = crossing.edge;
    std::vector<int> round = tetsAround(crossing.edge);
    std::map<int, std::vector<int>> next;
    for (const int t : round) {
      std::vector<int> pair;
      for (const int v : mesh_.tets[static_cast<std::size_t>(t)])
        if (v != a && v != b) pair.push_back(v);
      next[pair[0]].push_back(pair[1]);
      next[pair[1]].push_back(pair[0]);
    }
    const auto end =
        std::find_if(next.begin(), next.end(), [](const auto& n) { return n.second.size() == 1; });
    if (round.size() < 2 || end == next.end()) return false;
    std::vector<int> polygon{end->first};
    while (polygon.size() <= round.size()) {
      const std::vector<int>& both = next[polygon.back()];
      const bool back = polygon.size() > 1 && both[0] == polygon[polygon.size() - 2];
      if (back && both.size() < 2) return false;  // two rooms meet at the edge
      polygon.push_back(both[back ? 1 : 0]);
    }
    if (!isOn(crossing, polygon.front()) || !isOn(crossing, polygon.back())) return false;
    // Seen from b the polygon runs counter-clockwise if (p_i, p_i+1, a, b) is a positive tetrahedron.
    const Vec3& first = place(polygon[0]);
    if ((place(polygon[1]) - first).cross(place(a) - first).dot(place(b) - first) < 0)
      std::reverse(polygon.begin(), polygon.end());
    for (std::size_t hub = 0; hub < polygon.size(); ++hub) {
      std::vector<std::array<int, 4>> fill;
      for (std::size_t i = 0; i < polygon.size(); ++i) {
        const std::size_t j = (i + 1) % polygon.size();
        if (i == hub || j == hub) continue;
        fill.push_back({polygon[hub], polygon[i], polygon[j], b});
        fill.push_back({polygon[hub], polygon[j], polygon[i], a});
      }
      if (!std::all_of(fill.begin(), fill.end(), [&](const auto& tet) { return wellShaped(tet); })) continue;
      replace(round, fill);
      return true;
    }
    return false;
  }

  /// Puts a vertex above a triangle of the surface, dividing the tetrahedron below it into three. The sides
  /// of the pyramid must lie in the body's faces.
  bool raise(const std::array<int, 3>& triangle, const Vec3& point) {
    for (std::size_t i = 0; i < 3; ++i)
      if (std::abs(f_((place(triangle[i]) + place(triangle[(i + 1) % 3]) + point) / 3)) > kOn * spacing_)
        return false;
    std::vector<int> below = tetsAround({triangle[0], triangle[1]});
    std::erase_if(below, [&](int t) {
      const auto& tet = mesh_.tets[static_cast<std::size_t>(t)];
      return std::find(tet.begin(), tet.end(), triangle[2]) == tet.end();
    });
    if (below.size() != 1) return false;
    const int top = static_cast<int>(mesh_.vertices.size());
    mesh_.vertices.push_back(point);
    std::vector<std::array<int, 4>> thirds;
    for (const int instead : triangle) {
      std::array<int, 4> tet = mesh_.tets[static_cast<std::size_t>(below[0])];
      *std::find(tet.begin(), tet.end(), instead) = top;
      thirds.push_back(tet);
    }
    if (!std::all_of(thirds.begin(), thirds.end(), [&](const auto& tet) { return wellShaped(tet); })) {
      mesh_.vertices.pop_back();
      return false;
    }
    tetsAt_.emplace_back();
    pinned_.push_back(kCorner);
    replace(below, thirds);
    return true;
  }

  std::vector<int> tetsAround(const Edge& edge) const {
    std::vector<int> round;
    for (const int t : tetsAt_[static_cast<std::size_t>(edge[0])]) {
      const auto& tet = mesh_.tets[static_cast<std::size_t>(t)];
      if (std::find(tet.begin(), tet.end(), edge[1]) != tet.end()) round.push_back(t);
    }
    return round;
  }

  /// Puts new tetrahedra, at least as many, in the place of old ones.
  void replace(const std::vector<int>& old, const std::vector<std::array<int, 4>>& fill) {
    for (const int t : old)
      for (const int v : mesh_.tets[static_cast<std::size_t>(t)])
        std::erase(tetsAt_[static_cast<std::size_t>(v)], t);
    for (std::size_t i = 0; i < fill.size(); ++i) {
      const int number = i < old.size() ? old[i] : static_cast<int>(mesh_.tets.size());
      if (i < old.size())
        mesh_.tets[static_cast<std::size_t>(number)] = fill[i];
      else
        mesh_.tets.push_back(fill[i]);
      for (const int v : fill[i]) tetsAt_[static_cast<std::size_t>(v)].push_back(number);
    }
    surface_ = nullptr;
  }

  bool wellShaped(const std::array<int, 4>& tet) const {
    // Needles have good angles.
    for (std::size_t i = 0; i < 4; ++i)
      for (std::size_t j = i + 1; j < 4; ++j)
        if ((place(tet[i]) - place(tet[j])).norm() < kShortest * spacing_) return false;
    const std::array<double, 2> range = angles(tet);
    return range[0] >= liberty_.leastAngle && range[1] <= kLargestAngle;
  }

  /// Smallest and largest dihedral angle; {0, 180} if it is turned inside out.
  std::array<double, 2> angles(const std::array<int, 4>& tet) const {
    const Vec3 a = place(tet[1]) - place(tet[0]);
    if (a.cross(place(tet[2]) - place(tet[0])).dot(place(tet[3]) - place(tet[0])) <= 0) return {0, 180};
    const TetMesh one{{place(tet[0]), place(tet[1]), place(tet[2]), place(tet[3])}, {{0, 1, 2, 3}}};
    return dihedralRange(one, 0);
  }

  /// The worst of the angles round a vertex: the least, or what the largest leaves to 180 degrees.
  double worstAround(int vertex) const {
    double worst = 180;
    for (const int t : tetsAt_[static_cast<std::size_t>(vertex)]) {
      const std::array<double, 2> range = angles(mesh_.tets[static_cast<std::size_t>(t)]);
      worst = std::min({worst, range[0], 180 - range[1]});
    }
    return worst;
  }

  TetMesh& mesh_;
  const Implicit& f_;
  CreaseFinder finder_;
  double spacing_;
  Liberty liberty_ = kPasses.front();
  std::unordered_map<int, Crease> lineOf_;  // of vertices on one crease
  std::vector<char> pinned_;                // vertices on a line
  std::vector<std::vector<int>> tetsAt_;    // the tetrahedra round each vertex
  std::shared_ptr<const std::vector<std::array<int, 3>>> surface_;
  std::vector<Tangent> tangents_;  // of the vertices of the surface, before anything moves
};

}  // namespace

void sharpenTets(TetMesh& mesh, const Implicit& f, double spacing, const std::vector<SurfacePart>& parts) {
  validate(mesh);
  requireGiven("f", f);
  requirePositive("spacing", spacing);
  for (const SurfacePart& part : parts) {
    requireGiven("along of a part", part.along);
    requireGiven("covers of a part", part.covers);
  }
  TetSharpener sharpener(mesh, f, spacing);
  for (const Liberty& liberty : kPasses) {
    const bool left = sharpener.sharpenCreases(liberty);
    sharpener.relax();
    if (!left) break;
  }
  for (const SurfacePart& part : parts)
    for (const Liberty& liberty : kPasses) {
      if (!sharpener.imprint(part, liberty)) break;
      sharpener.relax();
    }
}

}  // namespace barelattice
