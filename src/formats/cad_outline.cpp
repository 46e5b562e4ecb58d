#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "barelattice/base/error.hpp"
#include "barelattice/formats/outline_files.hpp"
#include "base/check.hpp"
#include "loop_nesting.hpp"

namespace barelattice {
namespace {

using Vec2 = Eigen::Vector2d;

/// An edge of the face's triangles on its boundary, and the face beyond it.
struct Side {
  int to = 0;
  int beyond = 0;
};

std::uint64_t keyOf(int from, int to) {
  return static_cast<std::uint64_t>(static_cast<std::uint32_t>(from)) << 32 | static_cast<std::uint32_t>(to);
}

/// True if points, which lie on an edge but for rounding, are those of a circle. Three points always are.
bool onOneCircle(const std::vector<Vec2>& points) {
  if (points.size() < 4) return false;
  const Vec2& a = points.front();
  const Vec2& b = points[points.size() / 3];
  const Vec2& c = points[2 * points.size() / 3];
  const Vec2 ab = b - a;
  const Vec2 ac = c - a;
  const double twice = 2 * (ab.x() * ac.y() - ab.y() * ac.x());
  constexpr double kStraight = 1e-6;
  if (std::abs(twice) < kStraight * ab.norm() * ac.norm()) return false;
  const Vec2 centre = a + Vec2(ac.y() * ab.squaredNorm() - ab.y() * ac.squaredNorm(),
                               ab.x() * ac.squaredNorm() - ac.x() * ab.squaredNorm()) /
                              twice;
  const double radius = (a - centre).norm();
  return std::all_of(points.begin(), points.end(),
                     [&](const Vec2& p) { return std::abs((p - centre).norm() - radius) < 1e-6 * radius; });
}

/// True if all points lie on the line from the first to the last.
bool onOneLine(const std::vector<Vec2>& points) {
  const Vec2 along = points.back() - points.front();
  const double length = along.norm();
  return length > 0 && std::all_of(points.begin(), points.end(), [&](const Vec2& p) {
           const Vec2 off = p - points.front();
           return std::abs(along.x() * off.y() - along.y() * off.x()) < 1e-6 * length * length;
         });
}

/// One closed chain of boundary edges: from each vertex to the next.
struct Chain {
  std::vector<int> vertices;
  std::vector<int> beyond;  // the face along the edge that ends at the vertex
};

std::vector<Chain> chainsOf(std::unordered_multimap<int, Side> sides) {
  std::vector<Chain> chains;
  while (!sides.empty()) {
    Chain chain;
    const int start = std::min_element(sides.begin(), sides.end(), [](const auto& a, const auto& b) {
                        return a.first < b.first;
                      })->first;
    int at = start;
    do {
      const auto next = sides.find(at);
      if (next == sides.end()) throw InputError("the edges of the face do not close");
      chain.vertices.push_back(next->second.to);
      chain.beyond.push_back(next->second.beyond);
      at = next->second.to;
      sides.erase(next);
    } while (at != start);
    chains.push_back(std::move(chain));
  }
  return chains;
}

/// The chain begun where the face beyond changes, so that no run is cut in two.
Chain turned(Chain chain) {
  const std::size_t n = chain.beyond.size();
  for (std::size_t i = 0; i < n; ++i) {
    if (chain.beyond[i] == chain.beyond[(i + n - 1) % n]) continue;
    std::rotate(chain.beyond.begin(), chain.beyond.begin() + static_cast<std::ptrdiff_t>(i),
                chain.beyond.end());
    std::rotate(chain.vertices.begin(), chain.vertices.begin() + static_cast<std::ptrdiff_t>(i),
                chain.vertices.end());
    break;
  }
  return chain;
}

}  // namespace

PlaneOutline outlineOf(const CadSolid& solid, std::size_t face) {
  requireIndex("face", face, solid.faces.size(), "faces");
  const Patch& plane = solid.faces[face].patch;
  if (plane.kind != Patch::Kind::plane) throw InputError("the face is not a plane");
  const Vec3 normal = plane.direction();
  Eigen::Index axis = 0;
  if (normal.cwiseAbs().maxCoeff(&axis) < 1 - 1e-6)
    throw InputError("the face looks along no coordinate axis", "an outline lies across x, y or z");
  const auto flat = [&](int vertex) {
    const Vec3& p = solid.surface.vertices[static_cast<std::size_t>(vertex)];
    return Vec2(p[(axis + 1) % 3], p[(axis + 2) % 3]);
  };
  std::unordered_map<std::uint64_t, int> owner;  // the face to the left of a directed edge
  for (std::size_t t = 0; t < solid.surface.triangles.size(); ++t)
    for (std::size_t i = 0; i < 3; ++i)
      owner[keyOf(solid.surface.triangles[t][i], solid.surface.triangles[t][(i + 1) % 3])] = solid.faceOf[t];
  std::unordered_multimap<int, Side> sides;
  for (const auto& [key, left] : owner) {
    if (left != static_cast<int>(face)) continue;
    const int from = static_cast<int>(key >> 32);
    const int to = static_cast<int>(key & 0xffffffffU);
    const auto right = owner.find(keyOf(to, from));
    if (right == owner.end()) throw InputError("the surface of the solid is not closed");
    if (right->second != left) sides.emplace(from, Side{to, right->second});
  }
  std::vector<OutlineLoop> loops;
  for (Chain& raw : chainsOf(std::move(sides))) {
    const Chain chain = turned(std::move(raw));
    OutlineLoop loop;
    int curve = 0;
    for (std::size_t i = 0; i < chain.vertices.size();) {
      std::size_t end = i + 1;
      while (end < chain.vertices.size() && chain.beyond[end] == chain.beyond[i]) ++end;
      const bool whole = end - i == chain.vertices.size();
      std::vector<Vec2> points{flat(chain.vertices[(i + chain.vertices.size() - 1) % chain.vertices.size()])};
      for (std::size_t k = i; k < end; ++k) points.push_back(flat(chain.vertices[k]));
      if (!whole && onOneLine(points)) {
        loop.push_back({points.back(), std::nullopt});
      } else if (onOneCircle(points)) {
        const std::size_t last = points.size() - 1;
        const std::size_t half = last / 2;
        if (whole) loop.push_back({points[half], points[half / 2]});  // a whole circle needs two arcs
        loop.push_back({points[last], points[whole ? half + (last - half) / 2 : half]});
      } else {
        ++curve;
        for (std::size_t k = 1; k < points.size(); ++k) loop.push_back({points[k], std::nullopt, curve});
      }
      i = end;
    }
    loops.push_back(std::move(loop));
  }
  return nested(std::move(loops));
}

}  // namespace barelattice
