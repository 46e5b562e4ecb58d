#include "flat_triangles.hpp"

#include <algorithm>
#include <array>
#include <map>
#include <utility>
#include <vector>

namespace barelattice {

void turnFlatTriangles(TriangleMesh& mesh) {
  using Corners = std::array<int, 3>;
  constexpr double kFlat = 1e-4;   // height over the longest edge
  constexpr double kAlong = 0.99;  // cosine between the normals before and after
  const auto at = [&](int v) -> const Vec3& { return mesh.vertices[static_cast<std::size_t>(v)]; };
  const auto twiceArea = [&](const Corners& t) -> Vec3 {
    return (at(t[1]) - at(t[0])).cross(at(t[2]) - at(t[0]));
  };
  const auto longestFrom = [&](const Corners& t) {
    const auto squared = [&](std::size_t i) { return (at(t[(i + 1) % 3]) - at(t[i])).squaredNorm(); };
    std::size_t longest = 0;
    for (std::size_t i = 1; i < 3; ++i)
      if (squared(i) > squared(longest)) longest = i;
    return std::pair{longest, squared(longest)};
  };
  const auto isFlat = [&](const Corners& t) { return twiceArea(t).norm() < kFlat * longestFrom(t).second; };
  // Of a row of them, one within the other, each pass frees the outermost.
  for (bool turned = true; turned;) {
    turned = false;
    std::vector<std::size_t> flat;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
      if (isFlat(mesh.triangles[t])) flat.push_back(t);
    if (flat.empty()) return;
    std::map<std::pair<int, int>, std::size_t> sideOf;  // directed edge to its triangle
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
      for (std::size_t i = 0; i < 3; ++i) sideOf[{mesh.triangles[t][i], mesh.triangles[t][(i + 1) % 3]}] = t;
    for (const std::size_t t : flat) {
      const Corners own = mesh.triangles[t];
      if (!isFlat(own)) continue;
      const std::size_t i = longestFrom(own).first;
      const int a = own[i];
      const int b = own[(i + 1) % 3];
      const int c = own[(i + 2) % 3];
      const auto beyond = sideOf.find({b, a});
      if (beyond == sideOf.end()) continue;
      const Corners other = mesh.triangles[beyond->second];
      const int d = *std::find_if(other.begin(), other.end(), [&](int v) { return v != a && v != b; });
      if (sideOf.contains({c, d}) || sideOf.contains({d, c})) continue;
      const Corners first{c, a, d};
      const Corners second{d, b, c};
      const Vec3 normal = twiceArea(other).stableNormalized();
      if (isFlat(first) || isFlat(second) || twiceArea(first).stableNormalized().dot(normal) < kAlong ||
          twiceArea(second).stableNormalized().dot(normal) < kAlong)
        continue;
      const std::size_t n = beyond->second;
      turned = true;
      mesh.triangles[t] = first;
      mesh.triangles[n] = second;
      sideOf.erase({a, b});
      sideOf.erase({b, a});
      for (const auto& [which, corners] : {std::pair{t, first}, std::pair{n, second}})
        for (std::size_t k = 0; k < 3; ++k) sideOf[{corners[k], corners[(k + 1) % 3]}] = which;
    }
  }
}

}  // namespace barelattice
