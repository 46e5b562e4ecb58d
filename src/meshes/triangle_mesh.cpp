#include "barelattice/meshes/triangle_mesh.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include "barelattice/meshes/triangle_tree.hpp"
#include "base/check.hpp"
#include "base/groups.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

/// One side of one triangle.
struct HalfEdge {
  int low;
  int high;
  bool forward;  // runs from low to high
};

/// Six times the signed volume of a tetrahedron, and zero where rounding could decide its sign.
double orientation(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  const Vec3 ab = b - a;
  const Vec3 ac = c - a;
  const Vec3 ad = d - a;
  const double volume = ab.cross(ac).dot(ad);
  const double size =
      std::max({ab.cwiseAbs().maxCoeff(), ac.cwiseAbs().maxCoeff(), ad.cwiseAbs().maxCoeff()});
  constexpr double kRounding = 1e-12;
  return std::abs(volume) <= kRounding * size * size * size ? 0 : volume;
}

/// True if the segment pq passes through the inside of triangle abc.
bool pierces(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c) {
  const double sp = orientation(a, b, c, p);
  const double sq = orientation(a, b, c, q);
  if (sp * sq >= 0) return false;
  const double s1 = orientation(p, q, a, b);
  const double s2 = orientation(p, q, b, c);
  const double s3 = orientation(p, q, c, a);
  return (s1 > 0 && s2 > 0 && s3 > 0) || (s1 < 0 && s2 < 0 && s3 < 0);
}

class PairTest {
 public:
  explicit PairTest(const TriangleMesh& mesh) : mesh_(mesh) {}

  bool crosses(std::size_t s, std::size_t t) const {
    int shared = 0;
    for (const int a : mesh_.triangles[s])
      for (const int b : mesh_.triangles[t]) shared += a == b;
    if (shared >= 3) return true;
    if (shared == 2) return foldsBack(s, t);
    return edgePierces(s, t) || edgePierces(t, s);
  }

 private:
  /// Neighbours across an edge lie on top of each other when the dihedral angle between them is zero.
  bool foldsBack(std::size_t s, std::size_t t) const {
    const Vec3 ns = normal(s);
    const Vec3 nt = normal(t);
    constexpr double kFold = 1e-10;
    return ns.dot(nt) < -(1 - kFold) * ns.norm() * nt.norm();
  }
  Vec3 normal(std::size_t t) const {
    return (mesh_.corner(t, 1) - mesh_.corner(t, 0)).cross(mesh_.corner(t, 2) - mesh_.corner(t, 0));
  }
  /// An edge of s that ends in a corner of t cannot pierce t: its orientation there is zero.
  bool edgePierces(std::size_t s, std::size_t t) const {
    for (int i = 0; i < 3; ++i)
      if (pierces(mesh_.corner(s, i), mesh_.corner(s, (i + 1) % 3), mesh_.corner(t, 0), mesh_.corner(t, 1),
                  mesh_.corner(t, 2)))
        return true;
    return false;
  }

  const TriangleMesh& mesh_;
};

std::vector<HalfEdge> sortedHalfEdges(const TriangleMesh& mesh) {
  std::vector<HalfEdge> edges;
  edges.reserve(3 * mesh.triangles.size());
  for (const auto& t : mesh.triangles)
    for (std::size_t i = 0; i < 3; ++i) {
      const int a = t[i];
      const int b = t[(i + 1) % 3];
      edges.push_back({std::min(a, b), std::max(a, b), a < b});
    }
  std::sort(edges.begin(), edges.end(), [](const HalfEdge& x, const HalfEdge& y) {
    return std::tie(x.low, x.high, x.forward) < std::tie(y.low, y.high, y.forward);
  });
  return edges;
}

/// A vertex is pinched when its triangles, joined across shared edges, form more than one fan.
std::vector<int> pinchedVertices(const TriangleMesh& mesh) {
  std::vector<std::vector<std::array<int, 2>>> links(mesh.vertices.size());
  for (const auto& t : mesh.triangles)
    for (std::size_t i = 0; i < 3; ++i)
      links[static_cast<std::size_t>(t[i])].push_back({t[(i + 1) % 3], t[(i + 2) % 3]});
  std::vector<int> pinched;
  for (std::size_t v = 0; v < links.size(); ++v) {
    auto& link = links[v];
    if (link.size() < 2) continue;
    // Grow one fan from the first triangle along shared neighbours; what is left over is another fan.
    std::vector<int> reached{link[0][0], link[0][1]};
    std::vector<char> used(link.size(), 0);
    used[0] = 1;
    std::size_t count = 1;
    for (bool grown = true; grown;) {
      grown = false;
      for (std::size_t i = 0; i < link.size(); ++i) {
        if (used[i]) continue;
        const bool touches = std::find(reached.begin(), reached.end(), link[i][0]) != reached.end() ||
                             std::find(reached.begin(), reached.end(), link[i][1]) != reached.end();
        if (!touches) continue;
        reached.insert(reached.end(), link[i].begin(), link[i].end());
        used[i] = 1;
        ++count;
        grown = true;
      }
    }
    if (count < link.size()) pinched.push_back(static_cast<int>(v));
  }
  return pinched;
}

}  // namespace

void validate(const TriangleMesh& mesh) {
  for (const auto& triangle : mesh.triangles)
    for (const int v : triangle)
      requireIndex("vertex of a triangle", static_cast<std::size_t>(v), mesh.vertices.size(), "vertices");
  for (const Vec3& vertex : mesh.vertices) requireFinite("a vertex", vertex);
}

double TriangleMesh::volume() const {
  validate(*this);
  double sum = 0;
  const Vec3 origin = vertices.empty() ? Vec3::Zero() : vertices.front();
  for (std::size_t t = 0; t < triangles.size(); ++t)
    sum += (corner(t, 0) - origin).dot((corner(t, 1) - origin).cross(corner(t, 2) - origin));
  return sum / 6;
}

namespace {

/// The vertices that hang together through triangles.
Groups joinedVertices(const TriangleMesh& mesh) {
  Groups groups(mesh.vertices.size());
  for (const auto& t : mesh.triangles)
    for (const std::size_t i : {1U, 2U}) groups.join(t[0], t[i]);
  return groups;
}

}  // namespace

std::vector<TriangleMesh> shellsOf(const TriangleMesh& mesh) {
  validate(mesh);
  Groups groups = joinedVertices(mesh);
  std::map<int, std::size_t> number;  // by the vertex that stands for the shell
  for (const auto& t : mesh.triangles) number.try_emplace(groups.find(t[0]), 0);
  std::size_t next = 0;
  for (auto& [vertex, own] : number) own = next++;
  std::vector<TriangleMesh> shells(number.size());
  std::vector<int> renumbered(mesh.vertices.size(), -1);
  for (const auto& t : mesh.triangles) {
    TriangleMesh& shell = shells[number.at(groups.find(t[0]))];
    std::array<int, 3>& corners = shell.triangles.emplace_back();
    for (std::size_t i = 0; i < 3; ++i) {
      int& vertex = renumbered[static_cast<std::size_t>(t[i])];
      if (vertex < 0) {
        vertex = static_cast<int>(shell.vertices.size());
        shell.vertices.push_back(mesh.vertices[static_cast<std::size_t>(t[i])]);
      }
      corners[i] = vertex;
    }
  }
  return shells;
}

std::vector<double> shellVolumes(const TriangleMesh& mesh) {
  std::vector<double> all;
  for (const TriangleMesh& shell : shellsOf(mesh)) all.push_back(shell.volume());
  return all;
}

namespace {

/// Whether a point lies within a closed surface: the solid angle it fills (van Oosterom & Strackee 1983, IEEE
/// Trans. Biomed. Eng. 30, 125), which is a full sphere inside and nothing outside. O(triangles).
bool encloses(const TriangleMesh& shell, const Vec3& point) {
  double angle = 0;
  for (std::size_t t = 0; t < shell.triangles.size(); ++t) {
    const Vec3 a = shell.corner(t, 0) - point;
    const Vec3 b = shell.corner(t, 1) - point;
    const Vec3 c = shell.corner(t, 2) - point;
    const double la = a.norm();
    const double lb = b.norm();
    const double lc = c.norm();
    angle += 2 * std::atan2(a.dot(b.cross(c)), la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb);
  }
  return std::abs(angle) > 2 * std::numbers::pi;
}

}  // namespace

std::string faultOfShells(const TriangleMesh& mesh) {
  const std::vector<TriangleMesh> shells = shellsOf(mesh);
  if (shells.size() < 2) return {};
  constexpr std::size_t kMostShells = 5000;
  constexpr double kMostWork = 1e9;  // solid angles of triangles: some ten seconds
  const std::string tooMany =
      fmt::format("it holds {} bodies and cavities, too many to tell what lies in what", shells.size());
  if (shells.size() > kMostShells) return tooMany;
  std::vector<Box> boxes;
  for (const TriangleMesh& shell : shells) boxes.push_back(shell.bounds());
  std::vector<std::vector<std::size_t>> near(shells.size());
  double work = 0;
  for (std::size_t s = 0; s < shells.size(); ++s)
    for (std::size_t o = 0; o < shells.size(); ++o)
      if (o != s && boxes[o].intersects(boxes[s])) {
        near[s].push_back(o);
        work += static_cast<double>(shells[o].triangles.size());
      }
  if (work > kMostWork) return tooMany;
  if (work > 0) {
    Groups groups = joinedVertices(mesh);
    for (const auto& [a, b] : findIntersections(mesh)) {
      const int first = mesh.triangles[static_cast<std::size_t>(a)][0];
      if (groups.find(first) != groups.find(mesh.triangles[static_cast<std::size_t>(b)][0]))
        return fmt::format("two bodies overlap at {}: what both fill would count twice",
                           placeText(mesh.vertices[static_cast<std::size_t>(first)]));
    }
  }
  for (std::size_t s = 0; s < shells.size(); ++s) {
    const Vec3& at = shells[s].vertices.front();
    const auto depth =
        std::count_if(near[s].begin(), near[s].end(), [&](std::size_t o) { return encloses(shells[o], at); });
    const double volume = shells[s].volume();
    if (depth % 2 == 0 && volume < 0)
      return fmt::format("the shell at {} faces inward and lies in no body", placeText(at));
    if (depth % 2 == 1 && volume > 0)
      return fmt::format(
          "the body at {} lies inside another that faces the same way: whether it is a cavity "
          "or more material is not known",
          placeText(at));
  }
  return {};
}

TriangleMesh TriangleMesh::moved(const Vec3& by) const {
  TriangleMesh mesh = *this;
  for (Vec3& vertex : mesh.vertices) vertex += by;
  return mesh;
}

double TriangleMesh::area() const {
  validate(*this);
  double sum = 0;
  for (std::size_t t = 0; t < triangles.size(); ++t)
    sum += 0.5 * (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0)).norm();
  return sum;
}

Box TriangleMesh::bounds() const {
  Box box;
  for (const Vec3& vertex : vertices) box.extend(vertex);
  return box;
}

std::string MeshDefects::text() const {
  if (sound()) return "sound";
  std::string list;
  const auto add = [&](std::size_t count, const char* what) {
    if (count) list += fmt::format("{}{} {}", list.empty() ? "" : ", ", count, what);
  };
  add(openEdges, "open edges");
  add(crowdedEdges, "edges of more than two triangles");
  add(misorientedEdges, "edges with clashing orientation");
  add(pinchedVertices, "pinched vertices");
  add(degenerateTriangles, "degenerate triangles");
  add(intersections, "self-intersections");
  return list;
}

MeshDefects inspectTopology(const TriangleMesh& mesh, std::vector<MeshDefect>* places) {
  validate(mesh);
  using Kind = MeshDefect::Kind;
  MeshDefects defects;
  const auto found = [&](Kind kind, int a, int b) {
    if (places) places->push_back({kind, {a, b}});
  };
  for (const auto& t : mesh.triangles)
    if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) {
      ++defects.degenerateTriangles;
      found(Kind::degenerateTriangle, t[0], t[1]);
    }
  const std::vector<HalfEdge> edges = sortedHalfEdges(mesh);
  for (std::size_t i = 0; i < edges.size();) {
    std::size_t end = i;
    while (end < edges.size() && edges[end].low == edges[i].low && edges[end].high == edges[i].high) ++end;
    const bool open = end - i == 1;
    const bool crowded = end - i > 2;
    const bool misoriented = end - i == 2 && edges[i].forward == edges[i + 1].forward;
    defects.openEdges += open;
    defects.crowdedEdges += crowded;
    defects.misorientedEdges += misoriented;
    if (open || crowded || misoriented)
      found(open      ? Kind::openEdge
            : crowded ? Kind::crowdedEdge
                      : Kind::misorientedEdge,
            edges[i].low, edges[i].high);
    i = end;
  }
  const std::vector<int> pinched = pinchedVertices(mesh);
  defects.pinchedVertices = pinched.size();
  for (const int v : pinched) found(Kind::pinchedVertex, v, v);
  return defects;
}

std::vector<std::array<int, 2>> findIntersections(const TriangleMesh& mesh) {
  validate(mesh);
  const TriangleTree tree(mesh);
  const PairTest test(mesh);
  constexpr std::size_t kTriangles = 512;  // per block: a query costs about a microsecond
  const std::size_t blocks = (mesh.triangles.size() + kTriangles - 1) / kTriangles;
  std::vector<std::vector<std::array<int, 2>>> found(blocks);
  forEachBlock(
      mesh.triangles.size(),
      [&](std::size_t begin, std::size_t end) {
        std::vector<int> near;
        for (std::size_t s = begin; s < end; ++s) {
          Box box;
          for (int k = 0; k < 3; ++k) box.extend(mesh.corner(s, k));
          near.clear();
          tree.appendOverlaps(box, near);
          for (const int t : near)
            if (static_cast<std::size_t>(t) > s && test.crosses(s, static_cast<std::size_t>(t)))
              found[begin / kTriangles].push_back({static_cast<int>(s), t});
        }
      },
      kTriangles);
  std::vector<std::array<int, 2>> all;
  for (const auto& part : found) all.insert(all.end(), part.begin(), part.end());
  return all;
}

MeshDefects inspectMesh(const TriangleMesh& mesh) {
  MeshDefects defects = inspectTopology(mesh);
  defects.intersections = findIntersections(mesh).size();
  return defects;
}

TriangleMesh welded(const TriangleMesh& mesh) {
  validate(mesh);
  std::vector<int> order(mesh.vertices.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = static_cast<int>(i);
  const auto key = [&](int i) {
    const Vec3& v = mesh.vertices[static_cast<std::size_t>(i)];
    return std::array<double, 3>{v.x(), v.y(), v.z()};
  };
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return key(a) < key(b); });
  std::vector<int> first(order.size());  // of equal vertices, the one that comes first in the mesh
  for (std::size_t i = 0; i < order.size(); ++i) {
    const bool same = i > 0 && key(order[i]) == key(order[i - 1]);
    first[static_cast<std::size_t>(order[i])] =
        same ? first[static_cast<std::size_t>(order[i - 1])] : order[i];
  }
  TriangleMesh result;
  std::vector<int> renumbered(order.size(), -1);
  for (std::size_t i = 0; i < first.size(); ++i) {
    if (first[i] != static_cast<int>(i)) continue;
    renumbered[i] = static_cast<int>(result.vertices.size());
    result.vertices.push_back(mesh.vertices[i]);
  }
  for (const auto& t : mesh.triangles) {
    std::array<int, 3> corners{};
    for (std::size_t k = 0; k < 3; ++k)
      corners[k] = renumbered[static_cast<std::size_t>(first[static_cast<std::size_t>(t[k])])];
    if (corners[0] != corners[1] && corners[1] != corners[2] && corners[2] != corners[0])
      result.triangles.push_back(corners);
  }
  return result;
}

}  // namespace barelattice
