#include <array>
#include <cstdio>
#include <map>

#include "barelattice/base/error.hpp"
#include "barelattice/shapes/derived_shapes.hpp"
#include "base/check.hpp"

extern "C" {
#include <libqhull_r/qhull_ra.h>
}

namespace barelattice {
namespace {

/// Frees what the library holds, however the work ends.
struct Qhull {
  qhT state;
  std::FILE* words = std::fopen("/dev/null", "w");  // it insists on a place to complain to
  Qhull() { qh_zero(&state, words); }
  Qhull(const Qhull&) = delete;
  Qhull& operator=(const Qhull&) = delete;
  ~Qhull() {
    qh_freeqhull(&state, !qh_ALL);
    int blocks = 0;
    int bytes = 0;
    qh_memfreeshort(&state, &blocks, &bytes);
    std::fclose(words);
  }
};

}  // namespace

TriangleMesh convexHull(const std::vector<Vec3>& points) {
  for (const Vec3& point : points) requireFinite("a point", point);
  Box box;
  for (const Vec3& p : points) box.extend(p);
  const double scale = points.empty() ? 0 : box.diagonal().norm();
  if (points.size() < 4 || !(scale > 0))
    throw InputError("a hull needs at least four points that span a body");
  std::vector<double> coordinates;
  for (const Vec3& p : points)
    for (int i = 0; i < 3; ++i) coordinates.push_back((p[i] - box.center()[i]) / scale);
  Qhull hull;
  qhT* qh = &hull.state;           // the name the library's macros expect
  char options[] = "qhull Qt Pp";  // triangles only, no words
  if (qh_new_qhull(qh, 3, static_cast<int>(points.size()), coordinates.data(), False, options, nullptr,
                   hull.words) != 0)
    throw InputError("the points of the hull lie in one plane, or on one line");
  TriangleMesh mesh;
  std::map<int, int> number;
  facetT* facet = nullptr;
  FORALLfacets {
    setT* vertices = qh_facet3vertex(qh, facet);
    std::array<int, 3> corners{};
    for (int k = 0; k < 3; ++k) {
      const auto* vertex = static_cast<const vertexT*>(SETelem_(vertices, k));
      const int id = qh_pointid(qh, vertex->point);
      const auto [entry, fresh] = number.try_emplace(id, static_cast<int>(mesh.vertices.size()));
      if (fresh) mesh.vertices.push_back(points[static_cast<std::size_t>(id)]);
      corners[static_cast<std::size_t>(k)] = entry->second;
    }
    qh_settempfree(qh, &vertices);
    mesh.triangles.push_back(corners);
  }
  if (mesh.volume() < 0)
    for (auto& t : mesh.triangles) std::swap(t[1], t[2]);
  return mesh;
}

}  // namespace barelattice
