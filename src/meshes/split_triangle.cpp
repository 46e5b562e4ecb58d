#include "split_triangle.hpp"

#include <algorithm>

namespace barelattice {

void splitTriangle(const TriangleMesh& mesh, const std::array<int, 3>& t, const std::array<int, 3>& middle,
                   std::vector<std::array<int, 3>>& out) {
  const auto count = std::count_if(middle.begin(), middle.end(), [](int m) { return m >= 0; });
  if (count == 0) return out.push_back(t);
  if (count == 3) {
    for (std::size_t i = 0; i < 3; ++i) out.push_back({t[i], middle[i], middle[(i + 2) % 3]});
    return out.push_back(middle);
  }
  // Turned so that edge 2 is whole, and edge 0 is not.
  std::size_t turn = 0;
  while (!(middle[turn] >= 0 && middle[(turn + 2) % 3] < 0)) ++turn;
  const std::array<int, 3> c{t[turn], t[(turn + 1) % 3], t[(turn + 2) % 3]};
  const int first = middle[turn];
  const int second = middle[(turn + 1) % 3];
  if (count == 1) {
    out.push_back({c[0], first, c[2]});
    return out.push_back({first, c[1], c[2]});
  }
  // Of the two diagonals of what is left, the shorter one.
  out.push_back({first, c[1], second});
  const auto at = [&](int v) -> const Vec3& { return mesh.vertices[static_cast<std::size_t>(v)]; };
  if ((at(first) - at(c[2])).squaredNorm() < (at(second) - at(c[0])).squaredNorm()) {
    out.push_back({c[0], first, c[2]});
    out.push_back({first, second, c[2]});
  } else {
    out.push_back({c[0], first, second});
    out.push_back({c[0], second, c[2]});
  }
}

}  // namespace barelattice
