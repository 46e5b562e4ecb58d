// Labelle & Shewchuk, Isosurface stuffing: fast tetrahedral meshes with good dihedral angles, SIGGRAPH 2007.

#include "barelattice/meshes/tet_mesh.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <numeric>
#include <set>
#include <unordered_map>

#include "barelattice/base/error.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

// A lattice point moves onto the surface when the surface cuts one of its edges within this share of the
// edge's length (the paper's safe choice).
constexpr double kWarpLong = 0.24999;
constexpr double kWarpShort = 0.41189;

// Where feather edges are trimmed, inner points next to a pinch that are less deep than this share of the
// spacing are given up: left in, they would hang together by slivers.
constexpr double kShallow = 0.25;

double tetVolume(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
  return (b - a).cross(c - a).dot(d - a) / 6;
}

/// Cubic lattice points ("corners") and the centres of their cubes, numbered alternately.
class Lattice {
 public:
  Lattice(const Box& bounds, double spacing) : spacing_(spacing) {
    // One cube of margin on every side, so that the outermost points are outside the body.
    const Vec3 sizes = bounds.sizes() / spacing;
    double points = 2;
    for (int i = 0; i < 3; ++i) {
      size_[i] = static_cast<int>(std::ceil(sizes[i])) + 3;
      points *= size_[i];
    }
    constexpr double kMostPoints = 268435456;  // 2^28: beyond it the value table alone passes two gigabytes
    if (points > kMostPoints) throw InputError("the spacing is too small for the size of the body");
    origin_ = bounds.center() - 0.5 * spacing * (Vec3(size_[0], size_[1], size_[2]) - Vec3::Constant(1));
  }

  std::size_t pointCount() const {
    return 2 * static_cast<std::size_t>(size_[0]) * static_cast<std::size_t>(size_[1]) *
           static_cast<std::size_t>(size_[2]);
  }
  const std::array<int, 3>& size() const { return size_; }
  int corner(int i, int j, int k) const { return 2 * ((k * size_[1] + j) * size_[0] + i); }
  int centre(int i, int j, int k) const { return corner(i, j, k) + 1; }
  Vec3 position(int point) const {
    const int cell = point / 2;
    const Vec3 index(cell % size_[0], cell / size_[0] % size_[1], cell / size_[0] / size_[1]);
    return origin_ + spacing_ * (index + Vec3::Constant(point % 2 ? 0.5 : 0.0));
  }
  /// Corners on the sides of the lattice, and centres beside those or without a cube.
  bool isOutermost(int point) const {
    const int cell = point / 2;
    const std::array<int, 3> index{cell % size_[0], cell / size_[0] % size_[1], cell / size_[0] / size_[1]};
    for (std::size_t i = 0; i < 3; ++i)
      if (index[i] == 0 || index[i] >= size_[i] - 1 - point % 2) return true;
    return false;
  }
  std::array<int, 3> cubeOf(const Vec3& place) const {
    const Vec3 at = (place - origin_) / spacing_;
    return {static_cast<int>(std::floor(at.x())), static_cast<int>(std::floor(at.y())),
            static_cast<int>(std::floor(at.z()))};
  }
  /// The corner-corner and centre-centre edges are long (one spacing), corner-centre edges short.
  bool isLong(int a, int b) const { return a % 2 == b % 2; }

  /// Calls visit(i, j, k) for the lowest corner of every cube of the lattice.
  template <class Visit>
  void forEachCube(const Visit& visit) const {
    for (int k = 0; k + 1 < size_[2]; ++k)
      for (int j = 0; j + 1 < size_[1]; ++j)
        for (int i = 0; i + 1 < size_[0]; ++i) visit(i, j, k);
  }

 private:
  double spacing_;
  std::array<int, 3> size_{};
  Vec3 origin_;
};

/// Where the surface crosses a lattice edge.
struct Cut {
  int a;  // the end inside
  int b;  // the end outside
  Vec3 point = Vec3::Zero();
  bool alive = true;  // false once an end has moved onto the surface
};

/// The boundary of a mesh of which only some vertices, told by `candidate`, can lie on it.
TriangleMesh boundaryAmong(const TetMesh& mesh, const std::vector<char>& candidate) {
  // Faces opposite corners 0 to 3, facing out of a positive tetrahedron.
  constexpr std::array<std::array<std::size_t, 3>, 4> kFaces{{{1, 2, 3}, {0, 3, 2}, {0, 1, 3}, {0, 2, 1}}};
  struct FaceOfTet {
    std::array<int, 3> sorted;
    std::array<int, 3> outward;
  };
  const std::vector<std::array<int, 4>>& tets = mesh.tets;
  const auto visitFaces = [&](const auto& visit) {
    for (const auto& t : tets)
      for (const auto& f : kFaces)
        if (candidate[static_cast<std::size_t>(t[f[0]])] && candidate[static_cast<std::size_t>(t[f[1]])] &&
            candidate[static_cast<std::size_t>(t[f[2]])])
          visit(t, f);
  };
  const auto faceOf = [&](const std::array<int, 4>& t, const std::array<std::size_t, 3>& f) {
    FaceOfTet face{{t[f[0]], t[f[1]], t[f[2]]}, {t[f[0]], t[f[1]], t[f[2]]}};
    std::sort(face.sorted.begin(), face.sorted.end());
    return face;
  };
  // Side by side by their lowest corner (a counting sort), then in order among the few that share it.
  std::vector<std::size_t> start(mesh.vertices.size() + 1, 0);
  visitFaces([&](const auto& t, const auto& f) {
    ++start[static_cast<std::size_t>(std::min({t[f[0]], t[f[1]], t[f[2]]})) + 1];
  });
  std::partial_sum(start.begin(), start.end(), start.begin());
  std::vector<FaceOfTet> faces(start.back());
  std::vector<std::size_t> next(start.begin(), start.end() - 1);
  visitFaces([&](const auto& t, const auto& f) {
    const FaceOfTet face = faceOf(t, f);
    faces[next[static_cast<std::size_t>(face.sorted[0])]++] = face;
  });
  forEach(
      mesh.vertices.size(),
      [&](std::size_t v) {
        std::sort(faces.begin() + static_cast<std::ptrdiff_t>(start[v]),
                  faces.begin() + static_cast<std::ptrdiff_t>(start[v + 1]),
                  [](const FaceOfTet& x, const FaceOfTet& y) { return x.sorted < y.sorted; });
      },
      1024);
  TriangleMesh surface{mesh.vertices, {}};
  for (std::size_t i = 0; i < faces.size();) {
    std::size_t end = i + 1;
    while (end < faces.size() && faces[end].sorted == faces[i].sorted) ++end;
    if (end - i == 1) surface.triangles.push_back(faces[i].outward);
    i = end;
  }
  return surface;
}

class Stuffing {
 public:
  Stuffing(const Implicit& f, const Box& bounds, double spacing, FeatherEdges feathers)
      : f_(&f),
        givenUpDepth_(feathers == FeatherEdges::trimmed ? kShallow * spacing : 0),
        lattice_(bounds, spacing) {
    sample();
    if (sticksOut()) {  // the lattice ends there, and so must the body
      clipped_ = [&f, bounds](const Vec3& p) {
        const Vec3 beyond = (p - bounds.center()).cwiseAbs() - 0.5 * bounds.sizes();
        return std::max(f(p), beyond.maxCoeff());
      };
      f_ = &clipped_;
      sample();
    }
    fixed_.assign(values_.size(), 0);
  }

  TetMesh mesh() {
    constexpr int kRounds = 12;  // each round frees the places pinched in the one before; 2 to 4 are usual
    for (int round = 0; round < kRounds; ++round) {
      locateCuts();
      warp();
      emit();
      std::vector<MeshDefect> pinches;
      if (inspectTopology(boundaryAmong(mesh_, onSurface_), &pinches).sound()) return std::move(mesh_);
      std::set<int> pinched;  // every vertex once, in order
      for (const MeshDefect& defect : pinches) pinched.insert(defect.vertices.begin(), defect.vertices.end());
      for (const int vertex : pinched)
        release(mesh_.vertices[static_cast<std::size_t>(vertex)], 1 + round / 3);
    }
    throw RunError("the surface stays pinched however the lattice is moved", "choose another spacing");
  }

 private:
  void sample() {
    values_.resize(lattice_.pointCount());
    constexpr std::size_t kSamples = 256;  // per block: a sample costs up to microseconds
    forEach(
        values_.size(), [&](std::size_t p) { values_[p] = (*f_)(lattice_.position(static_cast<int>(p))); },
        kSamples);
    for (std::size_t p = 0; p < values_.size(); ++p)
      if (std::isnan(values_[p]))
        throw InputError("the function of the body is not a number at " +
                         placeText(lattice_.position(static_cast<int>(p))));
  }

  /// True if an outermost point lies inside.
  bool sticksOut() const {
    for (std::size_t p = 0; p < values_.size(); ++p)
      if (values_[p] <= 0 && lattice_.isOutermost(static_cast<int>(p))) return true;
    return false;
  }

  int sign(int point) const {
    const double v = warped_[static_cast<std::size_t>(point)];
    return v < 0 ? -1 : v > 0;
  }

  void locateCuts() {
    warped_ = values_;
    for (std::size_t p = 0; p < warped_.size(); ++p)
      if (fixed_[p] && warped_[p] <= 0 && warped_[p] >= -givenUpDepth_)
        warped_[p] = std::numeric_limits<double>::min();
    cuts_.clear();
    const auto consider = [&](int a, int b) {
      if (sign(a) * sign(b) < 0) cuts_.push_back(sign(a) < 0 ? Cut{a, b} : Cut{b, a});
    };
    const auto& n = lattice_.size();
    lattice_.forEachCube([&](int i, int j, int k) {
      const int corner = lattice_.corner(i, j, k);
      const int centre = corner + 1;
      const std::array<std::array<int, 3>, 3> next{{{i + 1, j, k}, {i, j + 1, k}, {i, j, k + 1}}};
      for (std::size_t d = 0; d < 3; ++d) {
        const int neighbour = lattice_.corner(next[d][0], next[d][1], next[d][2]);
        consider(corner, neighbour);
        if (next[d][d] + 1 < n[d]) consider(centre, neighbour + 1);
      }
      for (int c = 0; c < 8; ++c)
        consider(lattice_.corner(i + (c & 1), j + (c >> 1 & 1), k + (c >> 2)), centre);
    });
    constexpr std::size_t kEdges = 64;  // per block: a dozen samples each
    forEach(
        cuts_.size(), [&](std::size_t c) { cuts_[c].point = root(cuts_[c]); }, kEdges);
  }

  /// The crossing on an edge by the Illinois variant of regula falsi, to 1e-4 of the edge.
  Vec3 root(const Cut& cut) const {
    const Vec3 inside = lattice_.position(cut.a);
    const Vec3 along = lattice_.position(cut.b) - inside;
    if (values_[static_cast<std::size_t>(cut.b)] < 0)
      return inside + 0.5 * along;  // given up: bevel the edge off
    double low = 0;
    double high = 1;
    double atLow = values_[static_cast<std::size_t>(cut.a)];
    double atHigh = std::max(values_[static_cast<std::size_t>(cut.b)], 0.0);
    double t = 0.5;
    int side = 0;
    constexpr int kSteps = 40;
    for (int step = 0; step < kSteps && high - low > 1e-4; ++step) {
      t = atHigh > atLow ? low - atLow * (high - low) / (atHigh - atLow) : 0.5 * (low + high);
      if (step % 4 == 3) t = 0.5 * (low + high);
      const double value = (*f_)(inside + t * along);
      if (value < 0) {
        low = t;
        atLow = value;
        if (side == -1) atHigh *= 0.5;
        side = -1;
      } else {
        high = t;
        atHigh = value;
        if (side == 1) atLow *= 0.5;
        side = 1;
        if (value == 0) break;
      }
      if (std::abs(value) < 1e-7 * along.norm()) break;
    }
    // Next to points that must not move, a cut at the very end of an edge would flatten a tetrahedron.
    constexpr double kMargin = 0.1;
    const auto isFixed = [&](int p) { return fixed_[static_cast<std::size_t>(p)] != 0; };
    if (isFixed(cut.a)) t = std::max(t, kMargin);
    if (isFixed(cut.b)) t = std::min(t, 1 - kMargin);
    return inside + t * along;
  }

  void warp() {
    moved_.clear();
    std::unordered_map<int, std::vector<int>> cutsAt;
    for (std::size_t c = 0; c < cuts_.size(); ++c) {
      cutsAt[cuts_[c].a].push_back(static_cast<int>(c));
      cutsAt[cuts_[c].b].push_back(static_cast<int>(c));
    }
    std::vector<int> points;
    points.reserve(cutsAt.size());
    for (const auto& entry : cutsAt) points.push_back(entry.first);
    std::sort(points.begin(), points.end());  // a fixed order: which point moves first decides who may follow
    for (const int p : points) {
      if (fixed_[static_cast<std::size_t>(p)]) continue;
      const Vec3 home = lattice_.position(p);
      const Cut* nearest = nullptr;
      double least = std::numeric_limits<double>::max();
      for (const int c : cutsAt[p]) {
        const Cut& cut = cuts_[static_cast<std::size_t>(c)];
        if (!cut.alive) continue;
        const bool isLong = lattice_.isLong(cut.a, cut.b);
        const double length = (lattice_.position(cut.a) - lattice_.position(cut.b)).norm();
        const double gap = (cut.point - home).norm();
        if (gap < (isLong ? kWarpLong : kWarpShort) * length && gap < least) {
          least = gap;
          nearest = &cut;
        }
      }
      if (!nearest) continue;
      moved_[p] = nearest->point;
      warped_[static_cast<std::size_t>(p)] = 0;
      for (const int c : cutsAt[p]) cuts_[static_cast<std::size_t>(c)].alive = false;
    }
    cutOfEdge_.clear();
    for (std::size_t c = 0; c < cuts_.size(); ++c)
      if (cuts_[c].alive) cutOfEdge_[key(cuts_[c].a, cuts_[c].b)] = static_cast<int>(c);
  }

  static std::uint64_t key(int a, int b) {
    return static_cast<std::uint64_t>(std::min(a, b)) << 32 | static_cast<std::uint32_t>(std::max(a, b));
  }

  void emit() {
    mesh_ = {};
    onSurface_.clear();
    pointVertex_.assign(values_.size(), -1);
    cutVertex_.assign(cuts_.size(), -1);
    const auto& n = lattice_.size();
    // A tetrahedron joins the centres of two cubes that share a face with one edge of that face.
    lattice_.forEachCube([&](int i, int j, int k) {
      const std::array<int, 3> cube{i, j, k};
      for (std::size_t d = 0; d < 3; ++d) {
        if (cube[d] + 2 >= n[d]) continue;
        std::array<int, 3> step{};
        step[d] = 1;
        const int here = lattice_.centre(i, j, k);
        const int there = lattice_.centre(i + step[0], j + step[1], k + step[2]);
        std::array<int, 4> ring{};
        for (std::size_t m = 0; m < 4; ++m) {
          std::array<int, 3> at = cube;
          at[d] += 1;
          at[(d + 1) % 3] += m == 1 || m == 2;
          at[(d + 2) % 3] += m >= 2;
          ring[m] = lattice_.corner(at[0], at[1], at[2]);
        }
        for (std::size_t m = 0; m < 4; ++m) clip({here, there, ring[m], ring[(m + 1) % 4]});
      }
    });
  }

  /// Adds the part of a lattice tetrahedron that lies inside.
  void clip(const std::array<int, 4>& tet) {
    // Most are whole, within or without.
    const auto inside = [&](int p) { return warped_[static_cast<std::size_t>(p)] < 0; };
    const auto within = std::count_if(tet.begin(), tet.end(), inside);
    if (within == 0) return;
    if (within == 4)
      return add(pointVertex(tet[0]), pointVertex(tet[1]), pointVertex(tet[2]), pointVertex(tet[3]));
    // Inside first, then on the surface, then outside. The face diagonals of a cut tetrahedron start at the
    // inner point that is deepest: both neighbours of a face then choose the same one, and the choices never
    // run in a circle.
    std::array<int, 4> in = tet;
    std::sort(in.begin(), in.end(), [&](int a, int b) {
      if (sign(a) != sign(b)) return sign(a) < sign(b);
      const double va = values_[static_cast<std::size_t>(a)];
      const double vb = values_[static_cast<std::size_t>(b)];
      return va != vb ? va < vb : a < b;
    });
    const auto count = [&](int s) {
      return static_cast<std::size_t>(
          std::count_if(in.begin(), in.end(), [&](int p) { return sign(p) == s; }));
    };
    const std::size_t ins = count(-1);
    const std::size_t ons = count(0);
    const std::size_t outs = count(1);
    if (ins == 0) return;
    if (outs == 0)
      add(pointVertex(tet[0]), pointVertex(tet[1]), pointVertex(tet[2]), pointVertex(tet[3]));
    else
      addInner(in, ins, ons, outs);
  }

  /// The inner part of a tetrahedron that is cut: `ins` corners inside, then `ons` on the surface, then
  /// `outs`.
  void addInner(const std::array<int, 4>& in, std::size_t ins, std::size_t ons, std::size_t outs) {
    const int* on = in.data() + ins;
    const int* out = on + ons;
    const auto lat = [&](int p) { return pointVertex(p); };
    const auto cut = [&](int a, int b) { return cutVertex(a, b); };
    if (ins == 1) {
      std::array<int, 3> base{};
      for (std::size_t i = 0; i < ons; ++i) base[i] = lat(on[i]);
      for (std::size_t i = 0; i < outs; ++i) base[ons + i] = cut(in[0], out[i]);
      add(lat(in[0]), base[0], base[1], base[2]);
    } else if (ins == 2 && ons == 1) {
      const int a = lat(in[0]);
      const int toOut = cut(in[1], out[0]);
      add(a, lat(in[1]), toOut, lat(on[0]));
      add(a, toOut, cut(in[0], out[0]), lat(on[0]));
    } else if (ins == 2) {
      const int a = lat(in[0]);
      const int ac = cut(in[0], out[0]);
      const int ad = cut(in[0], out[1]);
      const int bc = cut(in[1], out[0]);
      const int bd = cut(in[1], out[1]);
      add(a, lat(in[1]), bc, bd);
      // The inner quadrilateral belongs to this tetrahedron alone: take its shorter diagonal.
      if ((at(ac) - at(bd)).squaredNorm() < (at(ad) - at(bc)).squaredNorm()) {
        add(a, ac, bd, ad);
        add(a, ac, bc, bd);
      } else {
        add(a, ac, bc, ad);
        add(a, ad, bc, bd);
      }
    } else {  // three inside, one outside: a prism with diagonals a-bd, a-cd, b-cd
      const int a = lat(in[0]);
      const int b = lat(in[1]);
      const int cd = cut(in[2], out[0]);
      const int bd = cut(in[1], out[0]);
      add(a, b, lat(in[2]), cd);
      add(a, b, bd, cd);
      add(a, cut(in[0], out[0]), bd, cd);
    }
  }

  const Vec3& at(int vertex) const { return mesh_.vertices[static_cast<std::size_t>(vertex)]; }

  void add(int a, int b, int c, int d) {
    if (tetVolume(at(a), at(b), at(c), at(d)) < 0) std::swap(c, d);
    mesh_.tets.push_back({a, b, c, d});
  }

  int pointVertex(int p) {
    int& vertex = pointVertex_[static_cast<std::size_t>(p)];
    if (vertex < 0) {
      const auto moved = moved_.find(p);
      vertex = newVertex(moved == moved_.end() ? lattice_.position(p) : moved->second, sign(p) == 0);
    }
    return vertex;
  }

  int cutVertex(int a, int b) {
    const int c = cutOfEdge_.at(key(a, b));
    int& vertex = cutVertex_[static_cast<std::size_t>(c)];
    if (vertex < 0) vertex = newVertex(cuts_[static_cast<std::size_t>(c)].point, true);
    return vertex;
  }

  int newVertex(const Vec3& position, bool onSurface) {
    mesh_.vertices.push_back(position);
    onSurface_.push_back(onSurface);
    return static_cast<int>(mesh_.vertices.size()) - 1;
  }

  /// Keeps the lattice points round a pinched place where they are from now on, and gives up the shallow
  /// ones. The reach grows with the rounds: along a feather edge, mending one place would only move the pinch
  /// to the next.
  void release(const Vec3& place, int reach) {
    const std::array<int, 3> home = lattice_.cubeOf(place);
    const auto& n = lattice_.size();
    for (int k = std::max(0, home[2] - reach); k <= std::min(n[2] - 1, home[2] + reach); ++k)
      for (int j = std::max(0, home[1] - reach); j <= std::min(n[1] - 1, home[1] + reach); ++j)
        for (int i = std::max(0, home[0] - reach); i <= std::min(n[0] - 1, home[0] + reach); ++i) {
          fixed_[static_cast<std::size_t>(lattice_.corner(i, j, k))] = 1;
          fixed_[static_cast<std::size_t>(lattice_.centre(i, j, k))] = 1;
        }
  }

  const Implicit* f_;
  Implicit clipped_;  // what of a body that sticks out lies within the bounds
  double givenUpDepth_;
  Lattice lattice_;
  std::vector<double> values_;  // f at the lattice points
  std::vector<double> warped_;  // the same, zero where the point has moved onto the surface
  std::vector<char> fixed_;     // lattice points that must not move
  std::vector<Cut> cuts_;
  std::unordered_map<int, Vec3> moved_;
  std::unordered_map<std::uint64_t, int> cutOfEdge_;
  std::vector<int> pointVertex_;
  std::vector<int> cutVertex_;
  TetMesh mesh_;
  std::vector<char> onSurface_;  // by vertex of the mesh: all others lie within
};

}  // namespace

void validate(const TetMesh& mesh) {
  for (const auto& tet : mesh.tets)
    for (const int v : tet)
      requireIndex("vertex of a tetrahedron", static_cast<std::size_t>(v), mesh.vertices.size(), "vertices");
  for (const Vec3& vertex : mesh.vertices) requireFinite("a vertex", vertex);
}

double TetMesh::volume() const {
  validate(*this);
  double sum = 0;
  for (const auto& t : tets) {
    const auto at = [&](std::size_t i) -> const Vec3& { return vertices[static_cast<std::size_t>(t[i])]; };
    sum += tetVolume(at(0), at(1), at(2), at(3));
  }
  return sum;
}

TriangleMesh TetMesh::boundary() const {
  validate(*this);
  return boundaryAmong(*this, std::vector<char>(vertices.size(), 1));
}

TetMesh stuff(const Implicit& f, const Box& bounds, double spacing, FeatherEdges feathers) {
  requireGiven("f", f);
  requirePositive("spacing", spacing);
  if (bounds.isEmpty()) throw InputError("the box to be meshed is empty");
  requireFinite("corner of the box", bounds.min());
  requireFinite("corner of the box", bounds.max());
  return Stuffing(f, bounds, spacing, feathers).mesh();
}

std::array<double, 2> dihedralRange(const TetMesh& mesh, std::size_t tet) {
  requireIndex("tet", tet, mesh.tets.size(), "tetrahedra");
  const auto& t = mesh.tets[tet];
  std::array<Vec3, 4> normals;  // of the face opposite each corner
  for (std::size_t i = 0; i < 4; ++i) {
    const Vec3& apex = mesh.vertices[static_cast<std::size_t>(t[i])];
    const Vec3& a = mesh.vertices[static_cast<std::size_t>(t[(i + 1) % 4])];
    const Vec3& b = mesh.vertices[static_cast<std::size_t>(t[(i + 2) % 4])];
    const Vec3& c = mesh.vertices[static_cast<std::size_t>(t[(i + 3) % 4])];
    normals[i] = (b - a).cross(c - a).normalized();
    if (normals[i].dot(apex - a) > 0) normals[i] = -normals[i];
  }
  std::array<double, 2> range{180, 0};
  for (std::size_t i = 0; i < 4; ++i)
    for (std::size_t j = i + 1; j < 4; ++j) {
      const double angle =
          180 - std::acos(std::clamp(normals[i].dot(normals[j]), -1.0, 1.0)) * 180 / std::numbers::pi;
      range = {std::min(range[0], angle), std::max(range[1], angle)};
    }
  return range;
}

}  // namespace barelattice
