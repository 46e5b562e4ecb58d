// How places and fields stand in a page's data. Internal to the room.
#pragma once

#include <cstdint>
#include <cstring>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice {

template <class T>
nlohmann::json packed(const std::vector<T>& values) {
  std::string raw(values.size() * sizeof(T), '\0');
  if (!raw.empty()) std::memcpy(raw.data(), values.data(), raw.size());
  return {{"bytes", toBase64(raw)}};
}

/// Places as a page has them: in mm and in single precision, which is exact enough only near its zero. So
/// they count from a place near the part, as the run's files do.
class PagePlaces {
 public:
  /// @param origin where they count from, m: see originOfFiles.
  explicit PagePlaces(Vec3 origin) : origin_(std::move(origin)) {}

  [[nodiscard]] Vec3 inMm(const Vec3& place) const { return (place - origin_) * kMillimetresPerMetre; }
  [[nodiscard]] nlohmann::json list(const Vec3& place) const {
    const Vec3 p = inMm(place);
    return {p.x(), p.y(), p.z()};
  }
  void append(const Vec3& place, std::vector<float>& positions) const {
    for (const double x : inMm(place)) positions.push_back(static_cast<float>(x));
  }
  [[nodiscard]] nlohmann::json mesh(const TriangleMesh& mesh) const {
    std::vector<float> positions;
    for (const Vec3& v : mesh.vertices) append(v, positions);
    std::vector<std::uint32_t> triangles;
    for (const auto& t : mesh.triangles)
      for (const int v : t) triangles.push_back(static_cast<std::uint32_t>(v));
    return {{"positions", packed(positions)}, {"triangles", packed(triangles)}};
  }

 private:
  Vec3 origin_;
};

}  // namespace barelattice
