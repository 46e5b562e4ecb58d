#include "face_on_mesh.hpp"

#include <algorithm>
#include <array>
#include <set>
#include <unordered_map>

namespace barelattice {
namespace {

constexpr double kFacing = 0.5;  // cosine between a triangle and the face below it

}  // namespace

FaceOnMesh::FaceOnMesh(const QuadraticTets& mesh, const Face& face, double reach) : faceArea_(face.area()) {
  std::vector<signed char> known(mesh.cornerCount(), -1);
  const auto on = [&](int node) {
    signed char& is = known[static_cast<std::size_t>(node)];
    if (is < 0) is = face.covers(mesh.nodes()[static_cast<std::size_t>(node)], reach) ? 1 : 0;
    return is == 1;
  };
  for (const auto& nodes : mesh.surface()) {
    if (!on(nodes[0]) || !on(nodes[1]) || !on(nodes[2])) continue;
    const auto at = [&](std::size_t i) -> const Vec3& {
      return mesh.nodes()[static_cast<std::size_t>(nodes[i])];
    };
    const Vec3 twice = (at(1) - at(0)).cross(at(2) - at(0));
    const Vec3 normal = twice.stableNormalized();
    // A chord of a curved face may pass below it by more than its ends lie off.
    const Vec3 centre = (at(0) + at(1) + at(2)) / 3;
    const Patch* below = face.patchAt(centre, 2 * reach);
    if (!below || below->normal(centre).dot(normal) < kFacing) continue;
    triangles_.push_back({nodes, normal, 0.5 * twice.norm()});
    area_ += triangles_.back().area;
    for (std::size_t i = 0; i < 3; ++i)
      if (const Patch* patch = face.patchAt(at(i), reach))
        offArea_ += triangles_.back().area / 3 * patch->distance(at(i));
  }
}

void FaceOnMesh::addAction(const FaceAction& action, std::vector<double>& forces) const {
  for (const Triangle& t : triangles_) {
    const Vec3 traction = action.force / area_ - action.pressure * t.normal;
    for (std::size_t middle = 3; middle < 6; ++middle)
      for (int i = 0; i < 3; ++i)
        forces[3 * static_cast<std::size_t>(t.nodes[middle]) + static_cast<std::size_t>(i)] +=
            t.area / 3 * traction[i];
  }
}

Vec3 FaceOnMesh::mean(std::span<const double> field) const {
  Vec3 sum = Vec3::Zero();
  for (const Triangle& t : triangles_)
    for (std::size_t middle = 3; middle < 6; ++middle)
      for (int i = 0; i < 3; ++i)
        sum[i] += t.area / (3 * area_) *
                  field[3 * static_cast<std::size_t>(t.nodes[middle]) + static_cast<std::size_t>(i)];
  return sum;
}

std::vector<std::size_t> FaceOnMesh::nodes() const {
  std::vector<std::size_t> all;
  for (const Triangle& t : triangles_)
    for (const int node : t.nodes) all.push_back(static_cast<std::size_t>(node));
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

std::vector<std::size_t> FaceOnMesh::flushRim(const QuadraticTets& mesh) const {
  constexpr double kStraight = 0.85;  // cosine: what bends more is an edge of the body
  std::unordered_map<int, Vec3> normalAt;
  for (const Triangle& t : triangles_)
    for (const int node : t.nodes) normalAt.insert_or_assign(node, t.normal);
  std::set<std::array<int, 6>> own;
  for (const Triangle& t : triangles_) own.insert(t.nodes);
  std::set<std::size_t> rim;
  for (const auto& nodes : mesh.surface()) {
    if (own.contains(nodes)) continue;
    const auto at = [&](std::size_t i) -> const Vec3& {
      return mesh.nodes()[static_cast<std::size_t>(nodes[i])];
    };
    const Vec3 normal = (at(1) - at(0)).cross(at(2) - at(0)).stableNormalized();
    for (const int node : nodes)
      if (const auto found = normalAt.find(node);
          found != normalAt.end() && found->second.dot(normal) > kStraight)
        rim.insert(static_cast<std::size_t>(node));
  }
  return {rim.begin(), rim.end()};
}

}  // namespace barelattice
