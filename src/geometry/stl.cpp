#include "barelattice/geometry/stl.hpp"

#include <fmt/format.h>

#include <cmath>
#include <cstdint>
#include <cstring>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"

namespace barelattice {
namespace {

constexpr std::size_t kHeaderBytes = 80;
constexpr std::size_t kTriangleBytes = 50;  // normal, three corners, two bytes of attributes

template <class T>
void append(std::string& bytes, T value) {
  char raw[sizeof(T)];
  std::memcpy(raw, &value, sizeof(T));
  bytes.append(raw, sizeof(T));
}

void append(std::string& bytes, const Vec3& v) {
  for (int i = 0; i < 3; ++i) append(bytes, static_cast<float>(v[i]));
}

}  // namespace

void writeStl(const std::filesystem::path& path, const TriangleMesh& mesh) {
  std::string bytes = "Bare Lattice solid, millimetres";  // must not begin with "solid": that means text
  bytes.resize(kHeaderBytes, ' ');
  bytes.reserve(kHeaderBytes + 4 + kTriangleBytes * mesh.triangles.size());
  append(bytes, static_cast<std::uint32_t>(mesh.triangles.size()));
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const Vec3 normal = (mesh.corner(t, 1) - mesh.corner(t, 0)).cross(mesh.corner(t, 2) - mesh.corner(t, 0));
    append(bytes, Vec3(normal.stableNormalized()));
    for (int i = 0; i < 3; ++i) append(bytes, Vec3(mesh.corner(t, i) * kMillimetresPerMetre));
    append(bytes, std::uint16_t{0});
  }
  writeFile(path, bytes);
}

TriangleMesh readStl(const std::filesystem::path& path) {
  const std::string bytes = readFile(path);
  if (bytes.size() < kHeaderBytes + 4)
    throw InputError(fmt::format("{} is too short for a binary STL file", path.string()));
  std::uint32_t count = 0;
  std::memcpy(&count, bytes.data() + kHeaderBytes, sizeof count);
  if (bytes.size() != kHeaderBytes + 4 + kTriangleBytes * std::size_t{count})
    throw InputError(
        fmt::format("{} is not a whole binary STL file: {} triangles are announced, {} bytes are there",
                    path.string(), count, bytes.size()));
  TriangleMesh mesh;
  mesh.vertices.reserve(3 * std::size_t{count});
  for (std::size_t t = 0; t < count; ++t) {
    float corners[9];
    std::memcpy(corners, bytes.data() + kHeaderBytes + 4 + kTriangleBytes * t + 12, sizeof corners);
    const int base = static_cast<int>(mesh.vertices.size());
    for (int i = 0; i < 3; ++i) {
      const Vec3 v(corners[3 * i], corners[3 * i + 1], corners[3 * i + 2]);
      if (!v.allFinite())
        throw InputError(fmt::format("{}: triangle {} has a coordinate that is no number", path.string(), t));
      mesh.vertices.emplace_back(v / kMillimetresPerMetre);
    }
    mesh.triangles.push_back({base, base + 1, base + 2});
  }
  return welded(mesh);
}

TriangleMesh roundedToStl(const TriangleMesh& mesh) {
  TriangleMesh rounded = mesh;
  for (Vec3& vertex : rounded.vertices)
    vertex = (vertex * kMillimetresPerMetre).cast<float>().cast<double>() / kMillimetresPerMetre;
  return welded(rounded);
}

}  // namespace barelattice
