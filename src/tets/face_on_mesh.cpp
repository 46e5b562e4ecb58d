#include "face_on_mesh.hpp"

#include <algorithm>
#include <array>
#include <set>
#include <unordered_map>

namespace barelattice {
namespace {

constexpr double kFacing = 0.5;  // cosine between a triangle and the face below it

}  // namespace

FaceOnMesh::FaceOnMesh(const QuadraticTets& mesh, const Face& face, double reach) {
  ties_.faceArea = face.area();
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
    triangles_.push_back({nodes, normal});
    const double share = 0.5 * twice.norm() / 3;  // of each middle
    for (std::size_t i = 0; i < 3; ++i) {
      ties_.weights.push_back({static_cast<std::size_t>(nodes[3 + i]), 1});
      ties_.close({at(3 + i), normal, share});
      if (const Patch* patch = face.patchAt(at(i), reach)) offArea_ += share * patch->distance(at(i));
    }
    for (const int node : nodes) ties_.nodes.push_back(static_cast<std::size_t>(node));
  }
  std::sort(ties_.nodes.begin(), ties_.nodes.end());
  ties_.nodes.erase(std::unique(ties_.nodes.begin(), ties_.nodes.end()), ties_.nodes.end());
  for (const std::size_t node : ties_.nodes) ties_.places.push_back(mesh.nodes()[node]);
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
