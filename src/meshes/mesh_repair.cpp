#include "barelattice/meshes/mesh_repair.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include "base/check.hpp"

namespace barelattice {
namespace {

using Kind = MeshDefect::Kind;
using Triangle = std::array<int, 3>;

Triangle sorted(Triangle t) {
  std::sort(t.begin(), t.end());
  return t;
}

std::array<int, 2> edgeOf(const Triangle& t, std::size_t i) {
  return {std::min(t[i], t[(i + 1) % 3]), std::max(t[i], t[(i + 1) % 3])};
}

/// True if the triangle runs from the lower to the higher end of its edge i.
bool ascends(const Triangle& t, std::size_t i) {
  return t[i] < t[(i + 1) % 3];
}

/// The triangles on every edge.
std::map<std::array<int, 2>, std::vector<std::size_t>> trianglesByEdge(const TriangleMesh& mesh) {
  std::map<std::array<int, 2>, std::vector<std::size_t>> byEdge;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (std::size_t i = 0; i < 3; ++i) byEdge[edgeOf(mesh.triangles[t], i)].push_back(t);
  return byEdge;
}

std::string counted(std::size_t count, const char* one, const char* many) {
  return fmt::format("{} {}", count, count == 1 ? one : many);
}

class Mending {
 public:
  explicit Mending(const TriangleMesh& mesh) { result_.mesh = mesh; }

  MendedMesh done() {
    dropWithoutArea();
    if (inspectTopology(result_.mesh).openEdges) joinNearVertices();
    dropDuplicates();
    turnToNeighbours();
    closeTriangles();
    turnOutward();
    return std::move(result_);
  }

 private:
  TriangleMesh& mesh() { return result_.mesh; }
  void say(const std::string& what) { result_.done.push_back(what); }

  void dropWithoutArea() {
    const std::size_t dropped = std::erase_if(
        mesh().triangles, [](const Triangle& t) { return t[0] == t[1] || t[1] == t[2] || t[2] == t[0]; });
    if (dropped) say(counted(dropped, "triangle without area dropped", "triangles without area dropped"));
  }

  /// Ends of open edges that lie close together, found through a lattice of buckets.
  void joinNearVertices() {
    std::vector<MeshDefect> places;
    inspectTopology(mesh(), &places);
    std::set<int> loose;
    for (const MeshDefect& d : places)
      if (d.kind == Kind::openEdge) loose.insert(d.vertices.begin(), d.vertices.end());
    const Box box = mesh().bounds();
    const double reach = 1e-6 * box.diagonal().norm();
    if (!(reach > 0)) return;
    const auto bucketOf = [&](const Vec3& p) {
      const Vec3 at = (p - box.min()) / reach;
      return std::array<long long, 3>{static_cast<long long>(at.x()), static_cast<long long>(at.y()),
                                      static_cast<long long>(at.z())};
    };
    std::map<std::array<long long, 3>, std::vector<int>> buckets;
    std::vector<int> target(mesh().vertices.size());
    for (std::size_t v = 0; v < target.size(); ++v) target[v] = static_cast<int>(v);
    std::size_t joined = 0;
    for (const int v : loose) {
      const Vec3& here = mesh().vertices[static_cast<std::size_t>(v)];
      const std::array<long long, 3> home = bucketOf(here);
      int near = -1;
      for (long long x = -1; x <= 1; ++x)
        for (long long y = -1; y <= 1; ++y)
          for (long long z = -1; z <= 1; ++z) {
            const auto bucket = buckets.find({home[0] + x, home[1] + y, home[2] + z});
            if (bucket == buckets.end()) continue;
            for (const int other : bucket->second)
              if (near < 0 && (mesh().vertices[static_cast<std::size_t>(other)] - here).norm() <= reach)
                near = other;
          }
      if (near >= 0) {
        target[static_cast<std::size_t>(v)] = near;
        ++joined;
      } else {
        buckets[home].push_back(v);
      }
    }
    if (!joined) return;
    for (Triangle& t : mesh().triangles)
      for (int& corner : t) corner = target[static_cast<std::size_t>(corner)];
    std::erase_if(mesh().triangles,
                  [](const Triangle& t) { return t[0] == t[1] || t[1] == t[2] || t[2] == t[0]; });
    say(counted(joined, "vertex joined with another at the same place",
                "vertices joined with others at the same place"));
  }

  void dropDuplicates() {
    std::set<Triangle> seen;
    const std::size_t dropped =
        std::erase_if(mesh().triangles, [&](const Triangle& t) { return !seen.insert(sorted(t)).second; });
    if (dropped) say(counted(dropped, "duplicate triangle dropped", "duplicate triangles dropped"));
  }

  /// Makes the triangles of every piece face the same side as most of it does, by area.
  void turnToNeighbours() {
    const auto byEdge = trianglesByEdge(mesh());
    std::vector<char> seen(mesh().triangles.size(), 0);
    std::vector<char> turned(mesh().triangles.size(), 0);
    std::size_t flipped = 0;
    for (std::size_t seed = 0; seed < seen.size(); ++seed) {
      if (seen[seed]) continue;
      std::vector<std::size_t> piece{seed};
      seen[seed] = 1;
      bool oneSided = false;
      double areaTurned = 0;
      double area = 0;
      for (std::size_t p = 0; p < piece.size(); ++p) {
        const std::size_t t = piece[p];
        const double own = areaOf(t);
        area += own;
        if (turned[t]) areaTurned += own;
        for (std::size_t i = 0; i < 3; ++i) {
          const auto& pair = byEdge.at(edgeOf(mesh().triangles[t], i));
          if (pair.size() != 2) continue;
          const std::size_t other = pair[0] == t ? pair[1] : pair[0];
          const bool clash = ascends(mesh().triangles[t], i) == runs(other, t, i);
          const char wanted = static_cast<char>(turned[t] != (clash ? 1 : 0));
          if (!seen[other]) {
            seen[other] = 1;
            turned[other] = wanted;
            piece.push_back(other);
          } else if (turned[other] != wanted) {
            oneSided = true;  // like a Moebius strip: there is no answer
          }
        }
      }
      const bool most = areaTurned > 0.5 * area;
      for (const std::size_t t : piece) {
        if (oneSided || (turned[t] != 0) == most) continue;
        std::swap(mesh().triangles[t][1], mesh().triangles[t][2]);
        ++flipped;
      }
    }
    if (flipped)
      say(counted(flipped, "triangle turned to face as its neighbours do",
                  "triangles turned to face as their neighbours do"));
  }

  /// The sense in which triangle `other` runs along edge i of triangle t.
  bool runs(std::size_t other, std::size_t t, std::size_t i) {
    const std::array<int, 2> edge = edgeOf(mesh().triangles[t], i);
    const Triangle& o = mesh().triangles[other];
    for (std::size_t k = 0; k < 3; ++k)
      if (edgeOf(o, k) == edge) return ascends(o, k);
    return false;
  }

  double areaOf(std::size_t t) {
    return 0.5 * (mesh().corner(t, 1) - mesh().corner(t, 0))
                     .cross(mesh().corner(t, 2) - mesh().corner(t, 0))
                     .norm();
  }

  void closeTriangles() {
    // Open edges in the sense a filling triangle would run through them.
    std::map<int, std::vector<int>> next;
    std::map<int, std::size_t> owner;  // the triangle of the open edge that ends in a vertex
    for (const auto& [edge, triangles] : trianglesByEdge(mesh())) {
      if (triangles.size() != 1) continue;
      const Triangle& t = mesh().triangles[triangles[0]];
      for (std::size_t i = 0; i < 3; ++i)
        if (edgeOf(t, i) == edge) {
          next[t[(i + 1) % 3]].push_back(t[i]);
          owner[t[i]] = triangles[0];
        }
    }
    const auto only = [&](int v) { return next.contains(v) && next[v].size() == 1 ? next[v][0] : -1; };
    std::size_t closed = 0;
    std::vector<int> starts;
    starts.reserve(next.size());
    for (const auto& [v, ends] : next) starts.push_back(v);
    for (const int a : starts) {
      const int b = only(a);
      const int c = b < 0 ? -1 : only(b);
      if (c < 0 || only(c) != a) continue;
      if (owner[a] == owner[b]) continue;  // a triangle by itself is no hole
      mesh().triangles.push_back({a, b, c});
      for (const int v : {a, b, c}) next.erase(v);
      ++closed;
    }
    if (closed) say(counted(closed, "missing triangle put in", "missing triangles put in"));
  }

  void turnOutward() {
    if (inspectTopology(mesh()).openEdges || mesh().volume() >= 0) return;
    for (Triangle& t : mesh().triangles) std::swap(t[1], t[2]);
    say("the surface turned round: it faced inward");
  }

  MendedMesh result_;
};

}  // namespace

std::vector<MeshDefect> findDefects(const TriangleMesh& mesh) {
  std::vector<MeshDefect> defects;
  inspectTopology(mesh, &defects);
  std::set<Triangle> seen;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const Triangle& corners = mesh.triangles[t];
    if (!seen.insert(sorted(corners)).second)
      defects.push_back({Kind::duplicateTriangle, {corners[0], corners[1]}});
    double longest = 0;
    for (int i = 0; i < 3; ++i)
      longest = std::max(longest, (mesh.corner(t, (i + 1) % 3) - mesh.corner(t, i)).squaredNorm());
    const double twiceArea =
        (mesh.corner(t, 1) - mesh.corner(t, 0)).cross(mesh.corner(t, 2) - mesh.corner(t, 0)).norm();
    constexpr double kSliver = 1e-3;
    const bool degenerate =
        sorted(corners)[0] == sorted(corners)[1] || sorted(corners)[1] == sorted(corners)[2];
    if (!degenerate && twiceArea < kSliver * longest)
      defects.push_back({Kind::sliver, {corners[0], corners[1]}});
  }
  for (const auto& [a, b] : findIntersections(mesh)) {
    const Triangle& corners = mesh.triangles[static_cast<std::size_t>(a)];
    if (sorted(corners) !=
        sorted(mesh.triangles[static_cast<std::size_t>(b)]))  // a duplicate is listed already
      defects.push_back({Kind::intersection, {corners[0], corners[1]}});
  }
  return defects;
}

const char* nameOf(MeshDefect::Kind kind) {
  switch (kind) {
    case Kind::openEdge:
      return "open edge";
    case Kind::crowdedEdge:
      return "edge of more than two triangles";
    case Kind::misorientedEdge:
      return "edge with clashing orientation";
    case Kind::pinchedVertex:
      return "pinched vertex";
    case Kind::degenerateTriangle:
      return "triangle without area";
    case Kind::duplicateTriangle:
      return "duplicate triangle";
    case Kind::sliver:
      return "sliver";
    case Kind::intersection:
      return "self-intersection";
  }
  return "";
}

Vec3 placeOf(const TriangleMesh& mesh, const MeshDefect& defect) {
  for (const int v : defect.vertices)
    requireIndex("vertex of a defect", static_cast<std::size_t>(v), mesh.vertices.size(), "vertices");
  return 0.5 * (mesh.vertices[static_cast<std::size_t>(defect.vertices[0])] +
                mesh.vertices[static_cast<std::size_t>(defect.vertices[1])]);
}

MendedMesh mended(const TriangleMesh& mesh) {
  validate(mesh);
  return Mending(mesh).done();
}

}  // namespace barelattice
