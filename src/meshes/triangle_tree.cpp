#include "barelattice/meshes/triangle_tree.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "base/check.hpp"

namespace barelattice {
namespace {

constexpr int kLeafSize = 4;  // triangles per leaf; 3 to 8 were about equally fast

/// Barycentric weights of the point of triangle abc nearest to p.
///
/// With e = b - a, f = c - a the foot of p on the plane is a + s e + t f, where (s, t) solves the two normal
/// equations [ee ef; ef ff] (s, t) = (e (p - a), f (p - a)). Where s, t and 1 - s - t are not negative it is
/// the answer. Otherwise the answer lies on a side that has p beyond it (a weight below zero): what is
/// nearest in a convex set is seen from outside. On a side of direction d the share of the way is d (p -
/// start) / dd, kept within the side; of two such sides the nearer point counts. A triangle without area has
/// no plane, and all three sides are tried.
Vec3 nearestWeights(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 e = b - a;
  const Vec3 f = c - a;
  const double ee = e.squaredNorm(), ff = f.squaredNorm(), ef = e.dot(f);
  const double pe = e.dot(p - a), pf = f.dot(p - a);
  const double twiceArea = ee * ff - ef * ef;  // squared
  const double s = ff * pe - ef * pf;          // times twiceArea, like t and r
  const double t = ee * pf - ef * pe;
  const double r = twiceArea - s - t;
  constexpr double kNoArea = 1e-14;
  const bool flat = twiceArea <= kNoArea * ee * ff;
  if (!flat && s >= 0 && t >= 0 && r >= 0) return {r / twiceArea, s / twiceArea, t / twiceArea};

  Vec3 best{1, 0, 0};
  double least = std::numeric_limits<double>::max();
  // Squares of distances lack the common |p - a|^2.
  const auto onSide = [&](const Vec3& from, const Vec3& to, double start, double along, double length) {
    const double share = length > 0 ? std::clamp(along / length, 0.0, 1.0) : 0;
    const double distance = start + share * (share * length - 2 * along);
    if (distance >= least) return;
    least = distance;
    best = from + share * (to - from);
  };
  const Vec3 atA = Vec3::UnitX(), atB = Vec3::UnitY(), atC = Vec3::UnitZ();
  if (flat || t < 0) onSide(atA, atB, 0, pe, ee);
  if (flat || s < 0) onSide(atA, atC, 0, pf, ff);
  if (flat || r < 0) onSide(atB, atC, ee - 2 * pe, pf - pe - ef + ee, ee + ff - 2 * ef);
  return best;
}

/// A triangle cut at the middle of its longest side until no piece is longer than `most`: a long slanting
/// triangle has a large box that says little about where it is.
void appendPieces(const std::array<Vec3, 3>& corners, double most, int depth, std::vector<Box>& boxes) {
  std::size_t longest = 0;
  double length = 0;
  for (std::size_t i = 0; i < 3; ++i) {
    const double side = (corners[(i + 1) % 3] - corners[i]).squaredNorm();
    if (side <= length) continue;
    length = side;
    longest = i;
  }
  if (length <= most * most || depth == 0) {
    Box box;
    for (const Vec3& corner : corners) box.extend(corner);
    boxes.push_back(box);
    return;
  }
  const Vec3& from = corners[longest];
  const Vec3& to = corners[(longest + 1) % 3];
  const Vec3& apex = corners[(longest + 2) % 3];
  const Vec3 middle = 0.5 * (from + to);
  appendPieces({from, middle, apex}, most, depth - 1, boxes);
  appendPieces({middle, to, apex}, most, depth - 1, boxes);
}

}  // namespace

TriangleTree::TriangleTree(const TriangleMesh& mesh) : mesh_(mesh) {
  validate(mesh);
  constexpr double kPieces = 24;  // along the diagonal; more made queries no faster
  constexpr int kDepth = 8;       // at most 2^8 pieces of a triangle
  const double most = mesh.vertices.empty() ? 0 : mesh.bounds().diagonal().norm() / kPieces;
  std::vector<Piece> pieces;
  std::vector<Box> boxes;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    boxes.clear();
    appendPieces({mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)}, most, kDepth, boxes);
    for (const Box& box : boxes) pieces.push_back({static_cast<int>(t), box});
  }
  normals_.resize(mesh.triangles.size());
  for (std::size_t t = 0; t < normals_.size(); ++t)
    normals_[t] = (mesh.corner(t, 1) - mesh.corner(t, 0))
                      .cross(mesh.corner(t, 2) - mesh.corner(t, 0))
                      .stableNormalized();
  nodes_.reserve(2 * pieces.size() / kLeafSize + 2);
  if (!pieces.empty()) build(0, static_cast<int>(pieces.size()), pieces);
  order_.reserve(pieces.size());
  for (const Piece& piece : pieces) order_.push_back(piece.triangle);
}

int TriangleTree::build(int begin, int end, std::vector<Piece>& pieces) {
  const int id = static_cast<int>(nodes_.size());
  nodes_.emplace_back();
  Box box;
  Box spread;
  for (int i = begin; i < end; ++i) {
    box.extend(pieces[static_cast<std::size_t>(i)].box);
    spread.extend(pieces[static_cast<std::size_t>(i)].box.center());
  }
  Node node{box, begin, 0, end - begin};
  if (end - begin > kLeafSize) {
    Eigen::Index axis = 0;
    spread.sizes().maxCoeff(&axis);
    const int middle = begin + (end - begin) / 2;
    std::nth_element(pieces.begin() + begin, pieces.begin() + middle, pieces.begin() + end,
                     [&](const Piece& a, const Piece& b) {
                       const double ca = a.box.min()[axis] + a.box.max()[axis];
                       const double cb = b.box.min()[axis] + b.box.max()[axis];
                       return ca != cb ? ca < cb : a.triangle < b.triangle;
                     });
    node.first = build(begin, middle, pieces);
    node.second = build(middle, end, pieces);
    node.count = 0;
  }
  nodes_[static_cast<std::size_t>(id)] = node;
  return id;
}

inline double TriangleTree::squaredGap(const Node& node, const Vec3& point) {
  return (node.box.min() - point).cwiseMax(point - node.box.max()).cwiseMax(0.0).squaredNorm();
}

/// Takes the triangle's nearest point if it beats the best so far.
inline void TriangleTree::improve(const Vec3& point, int triangle, NearestPoint& best,
                                  double& bestSquared) const {
  const auto t = static_cast<std::size_t>(triangle);
  const double height = normals_[t].dot(point - mesh_.corner(t, 0));
  if (height * height >= bestSquared) return;  // even its plane is farther away
  const Vec3 w = nearestWeights(point, mesh_.corner(t, 0), mesh_.corner(t, 1), mesh_.corner(t, 2));
  const Vec3 position = w[0] * mesh_.corner(t, 0) + w[1] * mesh_.corner(t, 1) + w[2] * mesh_.corner(t, 2);
  const double squared = (position - point).squaredNorm();
  if (squared >= bestSquared) return;
  bestSquared = squared;
  best = {triangle, position, w, 0};
}

template <class Counts>
NearestPoint TriangleTree::search(const Vec3& point, double within, const Counts& counts) const {
  NearestPoint best;
  double bestSquared = within * within;
  // The tree halves its triangles at every level, so it is no deeper than the bits of their number.
  struct Open {
    int node;
    double squared;  // distance of its box
  };
  std::array<Open, 64> stack;
  std::size_t open = 0;
  if (!nodes_.empty()) stack[open++] = {0, 0};
  while (open > 0) {
    const Open entry = stack[--open];
    if (entry.squared >= bestSquared) continue;
    const Node& node = nodes_[static_cast<std::size_t>(entry.node)];
    if (node.count == 0) {
      const auto gap = [&](int child) { return squaredGap(nodes_[static_cast<std::size_t>(child)], point); };
      Open near{node.first, gap(node.first)};
      Open far{node.second, gap(node.second)};
      if (far.squared < near.squared) std::swap(near, far);
      stack[open++] = far;
      stack[open++] = near;
      continue;
    }
    for (int i = node.first; i < node.first + node.count; ++i)
      if (const int triangle = order_[static_cast<std::size_t>(i)]; counts(triangle))
        improve(point, triangle, best, bestSquared);
  }
  best.distance = std::sqrt(bestSquared);
  return best;
}

NearestPoint TriangleTree::nearest(const Vec3& point) const {
  if (nodes_.empty()) throw InputError("a surface without triangles has no nearest point");
  return search(point, std::sqrt(std::numeric_limits<double>::max()), [](int) { return true; });
}

NearestPoint TriangleTree::nearestWhere(const Vec3& point, double within,
                                        const std::function<bool(int triangle)>& counts) const {
  return search(point, within, counts);
}

NearestPoint TriangleTree::nearestOf(const Vec3& point, const std::vector<int>& triangles) const {
  for (const int t : triangles)
    requireIndex("number of a triangle", static_cast<std::size_t>(t), mesh_.triangles.size(), "triangles");
  NearestPoint best;
  double bestSquared = std::numeric_limits<double>::max();
  for (const int triangle : triangles) improve(point, triangle, best, bestSquared);
  best.distance = std::sqrt(bestSquared);
  return best;
}

bool TriangleTree::reaches(const Vec3& centre, double reach, int triangle) const {
  constexpr double kSlack = 1 + 1e-9;
  constexpr double kLeast = 1e-12;  // m: a point on the surface is off it by rounding
  NearestPoint best;
  double squared = std::max(reach * reach, kLeast * kLeast) * kSlack;
  improve(centre, triangle, best, squared);
  return best.triangle >= 0;
}

std::vector<int> TriangleTree::within(const Vec3& centre, double reach,
                                      const std::vector<int>& triangles) const {
  std::vector<int> found;
  for (const int t : triangles)
    if (reaches(centre, reach, t)) found.push_back(t);
  return found;
}

std::vector<int> TriangleTree::within(const Vec3& centre, double reach) const {
  std::vector<int> found;
  if (nodes_.empty()) return found;
  std::array<int, 64> stack;  // see nearest
  std::size_t open = 0;
  stack[open++] = 0;
  while (open > 0) {
    const Node& node = nodes_[static_cast<std::size_t>(stack[--open])];
    if (squaredGap(node, centre) > reach * reach) continue;
    if (node.count == 0) {
      stack[open++] = node.first;
      stack[open++] = node.second;
      continue;
    }
    for (int i = node.first; i < node.first + node.count; ++i)
      if (const int t = order_[static_cast<std::size_t>(i)]; reaches(centre, reach, t)) found.push_back(t);
  }
  std::sort(found.begin(), found.end());
  found.erase(std::unique(found.begin(), found.end()), found.end());
  return found;
}

void TriangleTree::appendOverlaps(const Box& box, std::vector<int>& triangles) const {
  if (nodes_.empty()) return;
  const auto before = static_cast<std::ptrdiff_t>(triangles.size());
  std::vector<int> stack{0};
  while (!stack.empty()) {
    const Node& node = nodes_[static_cast<std::size_t>(stack.back())];
    stack.pop_back();
    if (!node.box.intersects(box)) continue;
    if (node.count == 0) {
      stack.push_back(node.first);
      stack.push_back(node.second);
      continue;
    }
    for (int i = node.first; i < node.first + node.count; ++i) {
      const int id = order_[static_cast<std::size_t>(i)];
      Box own;
      for (int k = 0; k < 3; ++k) own.extend(mesh_.corner(static_cast<std::size_t>(id), k));
      if (own.intersects(box)) triangles.push_back(id);
    }
  }
  std::sort(triangles.begin() + before, triangles.end());
  triangles.erase(std::unique(triangles.begin() + before, triangles.end()), triangles.end());
}

}  // namespace barelattice
