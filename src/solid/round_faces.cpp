#include "round_faces.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <functional>
#include <iterator>
#include <unordered_map>

#include "base/parallel.hpp"
#include "exact_faces.hpp"
#include "meshes/split_triangle.hpp"

namespace barelattice {
namespace {

bool isRound(const Patch& patch) {
  return patch.kind != Patch::Kind::plane;
}

/// The pieces with a formula that bound a part. Of freeform ones there are only triangles.
class ExactPieces {
 public:
  ExactPieces(const Implicit& part, const Regions& regions, double chord, double tolerance)
      : part_(part), chord_(chord), tolerance_(tolerance) {
    for (const Shape* shape : exactShapes(regions)) shape->appendPatches(patches_);
    std::erase_if(patches_, [](const Patch& p) { return p.kind == Patch::Kind::freeform; });
  }
  const Patch& operator[](int p) const { return patches_[static_cast<std::size_t>(p)]; }
  bool round(int p) const { return p >= 0 && isRound((*this)[p]); }

  /// Those a point lies on.
  std::vector<int> at(const Vec3& point) const {
    std::vector<int> found;
    for (std::size_t p = 0; p < patches_.size(); ++p)
      if (patches_[p].distance(point) < tolerance_ && patches_[p].spans(point, tolerance_))
        found.push_back(static_cast<int>(p));
    return found;
  }

  /// The piece among `candidates` that runs most nearly across a normal at a point; -1 if none does.
  int following(const std::vector<int>& candidates, const Vec3& point, const Vec3& normal) const {
    double best = 0.6;  // cosine: the corners of a square turn by 45 degrees from its sides
    int piece = -1;
    for (const int p : candidates) {
      const double facing = std::abs((*this)[p].normal(point).dot(normal));  // walls of clears face inwards
      if (facing <= best) continue;
      best = facing;
      piece = p;
    }
    return piece;
  }

  /// True if the middle of an edge between two pieces (-1 for none) is too far from a round one of them.
  bool passes(int first, int second, const Vec3& middle) const {
    const auto off = [&](int p) { return round(p) && (*this)[p].distance(middle) > chord_; };
    return off(first) || off(second);
  }

  /// Moves a point onto two pieces (-1 for none), in turn until on both; false if the part does not end
  /// there.
  bool project(int first, int second, Vec3& point) const {
    constexpr int kTurns = 40;
    for (int turn = 0; turn < kTurns; ++turn) {
      double off = 0;
      for (const int p : {first, second}) {
        if (p < 0) continue;
        const double height = (*this)[p].height(point);
        off = std::max(off, std::abs(height));
        point -= height * (*this)[p].normal(point);
      }
      if (off < 0.01 * chord_) return std::abs(part_(point)) < tolerance_;
    }
    return false;
  }

 private:
  const Implicit& part_;
  double chord_;
  double tolerance_;
  std::vector<Patch> patches_;
};

std::vector<int> common(const std::vector<int>& a, const std::vector<int>& b) {
  std::vector<int> both;
  std::set_intersection(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(both));
  return both;
}

class Rounding {
 public:
  Rounding(const TriangleMesh& surface, const ExactPieces& pieces) : surface_(surface), pieces_(pieces) {
    findPieces();
  }

  TriangleMesh rounded() {
    if (std::none_of(pieceOf_.begin(), pieceOf_.end(), [&](int p) { return pieces_.round(p); }))
      return surface_;
    frozen_.assign(surface_.triangles.size(), 0);
    constexpr int kAttempts = 6;
    for (int attempt = 0; attempt < kAttempts; ++attempt) {
      TriangleMesh result = divided();
      const auto crossings = findIntersections(result);
      if (crossings.empty()) return result;
      freeze(crossings);
    }
    return surface_;
  }

 private:
  /// Gives every triangle the piece it follows, -1 for none: all corners lie on it, and so does its
  /// direction.
  void findPieces() {
    std::vector<std::vector<int>> at(surface_.vertices.size());
    forEach(
        at.size(), [&](std::size_t v) { at[v] = pieces_.at(surface_.vertices[v]); }, 64);
    for (std::size_t t = 0; t < surface_.triangles.size(); ++t) {
      const auto of = [&](std::size_t i) { return at[static_cast<std::size_t>(surface_.triangles[t][i])]; };
      const Vec3 twice = (surface_.corner(t, 1) - surface_.corner(t, 0))
                             .cross(surface_.corner(t, 2) - surface_.corner(t, 0));
      const Vec3 centre = (surface_.corner(t, 0) + surface_.corner(t, 1) + surface_.corner(t, 2)) / 3;
      pieceOf_.push_back(
          pieces_.following(common(common(of(0), of(1)), of(2)), centre, twice.stableNormalized()));
    }
  }

  static std::uint64_t key(int a, int b) {
    return static_cast<std::uint64_t>(std::min(a, b)) << 32 | static_cast<std::uint32_t>(std::max(a, b));
  }

  /// The pieces on either side of an edge.
  struct Sides {
    int first = -1;
    int second = -1;
    bool fixed = false;  // a triangle at it is to stay as it is
  };

  TriangleMesh divided() {
    TriangleMesh mesh = surface_;
    origin_.resize(mesh.triangles.size());
    for (std::size_t t = 0; t < origin_.size(); ++t) origin_[t] = static_cast<int>(t);
    constexpr int kRounds = 10;  // every one quarters the distance
    for (int round = 0; round < kRounds; ++round) {
      std::unordered_map<std::uint64_t, Sides> edges;
      for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        const auto from = static_cast<std::size_t>(origin_[t]);
        for (std::size_t i = 0; i < 3; ++i) {
          Sides& sides = edges[key(mesh.triangles[t][i], mesh.triangles[t][(i + 1) % 3])];
          (sides.first < 0 ? sides.first : sides.second) = pieceOf_[from];
          sides.fixed |= frozen_[from] != 0;
        }
      }
      std::unordered_map<std::uint64_t, int> middles;
      for (const auto& [edge, sides] : edges) {
        const auto a = static_cast<std::size_t>(edge >> 32);
        const auto b = static_cast<std::size_t>(edge & 0xffffffffU);
        const Vec3 straight = 0.5 * (mesh.vertices[a] + mesh.vertices[b]);
        Vec3 middle = straight;
        if (sides.fixed || !pieces_.passes(sides.first, sides.second, middle) ||
            !pieces_.project(sides.first, sides.second, middle))
          continue;
        // Across the axis of a cone, near its tip, a middle may go to any side, and halving leads nowhere.
        constexpr double kMostSagitta = 0.3;  // over the length: an arc of 120 degrees
        if ((middle - straight).norm() > kMostSagitta * (mesh.vertices[a] - mesh.vertices[b]).norm())
          continue;
        middles[edge] = -1;
        places_[edge] = middle;
      }
      if (middles.empty()) break;
      // In the order of the triangles, not of the table: the same mesh every time.
      std::vector<std::array<int, 3>> triangles;
      std::vector<int> origin;
      for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        std::array<int, 3> middle{-1, -1, -1};
        for (std::size_t i = 0; i < 3; ++i) {
          const auto found = middles.find(key(mesh.triangles[t][i], mesh.triangles[t][(i + 1) % 3]));
          if (found == middles.end()) continue;
          if (found->second < 0) {
            found->second = static_cast<int>(mesh.vertices.size());
            mesh.vertices.push_back(places_[found->first]);
          }
          middle[i] = found->second;
        }
        splitTriangle(mesh, mesh.triangles[t], middle, triangles);
        origin.resize(triangles.size(), origin_[t]);
      }
      mesh.triangles = std::move(triangles);
      origin_ = std::move(origin);
      places_.clear();
      flip(mesh);
    }
    return mesh;
  }

  /// A rim that becomes round moves into the flat triangles beside it and may pass their far edges. Flips
  /// edges of triangles that came to lie the wrong way round or nearly so, between triangles of one piece,
  /// where the worse of the two is better for it.
  void flip(TriangleMesh& mesh) const {
    constexpr int kPasses = 12;
    constexpr double kBad = 0.05;  // twice the area over the square of the longest side; 0.87 is equilateral
    for (int pass = 0; pass < kPasses; ++pass) {
      std::unordered_map<std::uint64_t, std::array<int, 2>> edges;
      std::vector<int> bad;
      for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        const int number = static_cast<int>(t);
        if (quality(mesh, mesh.triangles[t], number) < kBad) bad.push_back(number);
        for (std::size_t i = 0; i < 3; ++i) {
          auto [entry, fresh] = edges.try_emplace(key(mesh.triangles[t][i], mesh.triangles[t][(i + 1) % 3]),
                                                  std::array<int, 2>{number, -1});
          if (!fresh) entry->second[1] = number;
        }
      }
      std::vector<char> touched(mesh.triangles.size(), 0);
      bool any = false;
      for (const int t : bad) {
        if (touched[static_cast<std::size_t>(t)]) continue;  // its edges are others by now
        std::array<int, 3>& own = mesh.triangles[static_cast<std::size_t>(t)];
        double most = 0;
        std::size_t best = 3;
        int with = -1;
        for (std::size_t i = 0; i < 3; ++i) {
          const std::array<int, 2>& sides = edges.at(key(own[i], own[(i + 1) % 3]));
          const int other = sides[0] == t ? sides[1] : sides[0];
          if (other < 0 || touched[static_cast<std::size_t>(other)] || !alike(t, other)) continue;
          const std::array<int, 3>& next = mesh.triangles[static_cast<std::size_t>(other)];
          const int far = apex(next, own[i], own[(i + 1) % 3]);
          const int near = own[(i + 2) % 3];
          if (far == near || edges.contains(key(near, far))) continue;
          const double gain = std::min(quality(mesh, {own[i], far, near}, t),
                                       quality(mesh, {far, own[(i + 1) % 3], near}, other)) -
                              std::min(quality(mesh, own, t), quality(mesh, next, other));
          if (gain <= most) continue;
          most = gain;
          best = i;
          with = other;
        }
        if (best == 3 || most < 1e-9) continue;
        std::array<int, 3>& next = mesh.triangles[static_cast<std::size_t>(with)];
        const int from = own[best];
        const int to = own[(best + 1) % 3];
        const int near = own[(best + 2) % 3];
        const int far = apex(next, from, to);
        own = {from, far, near};
        next = {far, to, near};
        edges.try_emplace(key(near, far), std::array<int, 2>{t, with});  // not a second time in this pass
        touched[static_cast<std::size_t>(t)] = touched[static_cast<std::size_t>(with)] = 1;
        any = true;
      }
      if (!any) return;
    }
  }

  static int apex(const std::array<int, 3>& t, int a, int b) {
    for (const int v : t)
      if (v != a && v != b) return v;
    return -1;
  }

  int pieceOf(int triangle) const {
    return pieceOf_[static_cast<std::size_t>(origin_[static_cast<std::size_t>(triangle)])];
  }

  /// Normal of the triangle of the first surface that a triangle comes from.
  Vec3 normalOfOrigin(int triangle) const {
    const auto t = static_cast<std::size_t>(origin_[static_cast<std::size_t>(triangle)]);
    return (surface_.corner(t, 1) - surface_.corner(t, 0))
        .cross(surface_.corner(t, 2) - surface_.corner(t, 0))
        .stableNormalized();
  }

  /// Triangles between which the surface does not bend but as a round piece does.
  bool alike(int a, int b) const {
    constexpr double kFlat = 0.98;  // cosine
    if (frozen_[static_cast<std::size_t>(origin_[static_cast<std::size_t>(a)])] ||
        frozen_[static_cast<std::size_t>(origin_[static_cast<std::size_t>(b)])])
      return false;
    return pieceOf(a) == pieceOf(b) && (pieceOf(a) >= 0 || normalOfOrigin(a).dot(normalOfOrigin(b)) > kFlat);
  }

  /// Twice the area as seen along the normal the surface should have, over the square of the longest side.
  double quality(const TriangleMesh& mesh, const std::array<int, 3>& t, int triangle) const {
    const auto at = [&](std::size_t i) -> const Vec3& {
      return mesh.vertices[static_cast<std::size_t>(t[i])];
    };
    const Vec3 twice = (at(1) - at(0)).cross(at(2) - at(0));
    const double longest = std::max(
        {(at(1) - at(0)).squaredNorm(), (at(2) - at(1)).squaredNorm(), (at(0) - at(2)).squaredNorm()});
    Vec3 normal = normalOfOrigin(triangle);
    if (const int p = pieceOf(triangle); p >= 0) {
      const Vec3 exact = pieces_[p].normal((at(0) + at(1) + at(2)) / 3);
      normal = exact.dot(normal) < 0 ? Vec3(-exact) : exact;
    }
    return twice.dot(normal) / longest;
  }

  /// Leaves the triangles whose parts cross, and those beside them, as they are from now on.
  void freeze(const std::vector<std::array<int, 2>>& crossings) {
    std::vector<char> at(surface_.vertices.size(), 0);
    for (const auto& pair : crossings)
      for (const int part : pair)
        for (const int v :
             surface_.triangles[static_cast<std::size_t>(origin_[static_cast<std::size_t>(part)])])
          at[static_cast<std::size_t>(v)] = 1;
    for (std::size_t t = 0; t < frozen_.size(); ++t)
      for (const int v : surface_.triangles[t])
        if (at[static_cast<std::size_t>(v)]) frozen_[t] = 1;
  }

  const TriangleMesh& surface_;
  const ExactPieces& pieces_;
  std::vector<int> pieceOf_;  // by triangle of `surface_`
  std::vector<char> frozen_;  // likewise
  std::vector<int> origin_;   // by triangle of the result: of `surface_`
  std::unordered_map<std::uint64_t, Vec3> places_;
};

}  // namespace

TriangleMesh withRoundFaces(const TriangleMesh& surface, const Implicit& part, const Regions& regions,
                            double chord, double tolerance) {
  return Rounding(surface, ExactPieces(part, regions, chord, tolerance)).rounded();
}

Outline withRoundFaces(const Outline& outline, const Implicit& part, const Regions& regions, double chord,
                       double tolerance) {
  const ExactPieces pieces(part, regions, chord, tolerance);
  const auto inSpace = [&](const Eigen::Vector2d& p) { return Vec3(p.x(), p.y(), 0.5 * regions.thickness); };
  Outline result;
  for (const auto& loop : outline.loops) {
    std::vector<Eigen::Vector2d>& out = result.loops.emplace_back();
    /// Appends what lies between two corners, halving as often as needed.
    const std::function<void(const Vec3&, const Vec3&, int, int)> between = [&](const Vec3& a, const Vec3& b,
                                                                                int piece, int depth) {
      Vec3 middle = 0.5 * (a + b);
      if (depth == 0 || !pieces.passes(piece, -1, middle) || !pieces.project(piece, -1, middle)) return;
      between(a, middle, piece, depth - 1);
      out.push_back(middle.head<2>());
      between(middle, b, piece, depth - 1);
    };
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const Vec3 a = inSpace(loop[i]);
      const Vec3 b = inSpace(loop[(i + 1) % loop.size()]);
      const Vec3 normal = (b - a).cross(Vec3::UnitZ()).stableNormalized();
      out.push_back(loop[i]);
      constexpr int kDepth = 10;
      between(a, b, pieces.following(common(pieces.at(a), pieces.at(b)), 0.5 * (a + b), normal), kDepth);
    }
  }
  return result;
}

}  // namespace barelattice
