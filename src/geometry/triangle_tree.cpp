#include "barelattice/geometry/triangle_tree.hpp"

#include <algorithm>
#include <array>
#include <limits>
#include <numeric>

namespace barelattice {
namespace {

constexpr int kLeafSize = 6;  // triangles per leaf; 4 to 8 were equally fast

/// Barycentric weights of the point of triangle abc nearest to p, region by region
/// (Ericson 2005, Real-Time Collision Detection, section 5.1.5).
Vec3 nearestWeights(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 ab = b - a;
  const Vec3 ac = c - a;
  const double d1 = ab.dot(p - a);
  const double d2 = ac.dot(p - a);
  if (d1 <= 0 && d2 <= 0) return {1, 0, 0};
  const double d3 = ab.dot(p - b);
  const double d4 = ac.dot(p - b);
  if (d3 >= 0 && d4 <= d3) return {0, 1, 0};
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return {1 - d1 / (d1 - d3), d1 / (d1 - d3), 0};
  const double d5 = ab.dot(p - c);
  const double d6 = ac.dot(p - c);
  if (d6 >= 0 && d5 <= d6) return {0, 0, 1};
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return {1 - d2 / (d2 - d6), 0, d2 / (d2 - d6)};
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const double w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
    return {0, 1 - w, w};
  }
  const double sum = va + vb + vc;
  return {va / sum, vb / sum, vc / sum};
}

}  // namespace

TriangleTree::TriangleTree(const TriangleMesh& mesh) : mesh_(mesh), order_(mesh.triangles.size()) {
  std::iota(order_.begin(), order_.end(), 0);
  std::vector<Vec3> centres(mesh.triangles.size());
  for (std::size_t t = 0; t < centres.size(); ++t)
    centres[t] = (mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3;
  nodes_.reserve(2 * order_.size() / kLeafSize + 2);
  if (!order_.empty()) build(0, static_cast<int>(order_.size()), centres);
}

int TriangleTree::build(int begin, int end, std::vector<Vec3>& centres) {
  const int id = static_cast<int>(nodes_.size());
  nodes_.emplace_back();
  Box box;
  Box spread;
  for (int i = begin; i < end; ++i) {
    const auto t = static_cast<std::size_t>(order_[static_cast<std::size_t>(i)]);
    for (int k = 0; k < 3; ++k) box.extend(mesh_.corner(t, k));
    spread.extend(centres[t]);
  }
  Node node{box, begin, 0, end - begin};
  if (end - begin > kLeafSize) {
    Eigen::Index axis = 0;
    spread.sizes().maxCoeff(&axis);
    const int middle = begin + (end - begin) / 2;
    std::nth_element(order_.begin() + begin, order_.begin() + middle, order_.begin() + end,
                     [&](int a, int b) {
                       const double ca = centres[static_cast<std::size_t>(a)][axis];
                       const double cb = centres[static_cast<std::size_t>(b)][axis];
                       return ca != cb ? ca < cb : a < b;
                     });
    node.first = build(begin, middle, centres);
    node.second = build(middle, end, centres);
    node.count = 0;
  }
  nodes_[static_cast<std::size_t>(id)] = node;
  return id;
}

NearestPoint TriangleTree::nearest(const Vec3& point) const {
  NearestPoint best;
  double bestSquared = std::numeric_limits<double>::max();
  // The tree halves its triangles at every level, so it is no deeper than the bits of their number.
  struct Open {
    int node;
    double squared;  // distance of its box
  };
  std::array<Open, 64> stack;
  std::size_t open = 0;
  stack[open++] = {0, nodes_.front().box.squaredExteriorDistance(point)};
  while (open > 0) {
    const Open entry = stack[--open];
    if (entry.squared >= bestSquared) continue;
    const Node& node = nodes_[static_cast<std::size_t>(entry.node)];
    if (node.count == 0) {
      const auto gap = [&](int child) {
        return nodes_[static_cast<std::size_t>(child)].box.squaredExteriorDistance(point);
      };
      Open near{node.first, gap(node.first)};
      Open far{node.second, gap(node.second)};
      if (far.squared < near.squared) std::swap(near, far);
      stack[open++] = far;
      stack[open++] = near;
      continue;
    }
    for (int i = node.first; i < node.first + node.count; ++i) {
      const int id = order_[static_cast<std::size_t>(i)];
      const auto t = static_cast<std::size_t>(id);
      const Vec3 w = nearestWeights(point, mesh_.corner(t, 0), mesh_.corner(t, 1), mesh_.corner(t, 2));
      const Vec3 position = w[0] * mesh_.corner(t, 0) + w[1] * mesh_.corner(t, 1) + w[2] * mesh_.corner(t, 2);
      const double squared = (position - point).squaredNorm();
      if (squared < bestSquared) {
        bestSquared = squared;
        best = {id, position, w, 0};
      }
    }
  }
  best.distance = std::sqrt(bestSquared);
  return best;
}

void TriangleTree::appendOverlaps(const Box& box, std::vector<int>& triangles) const {
  if (nodes_.empty()) return;
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
}

}  // namespace barelattice
