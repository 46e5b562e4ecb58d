#include "barelattice/formats/stl.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <sstream>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/plain_numbers.hpp"
#include "mesh_formats.hpp"

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
  validate(mesh);
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

namespace {

void appendTriangle(TriangleMesh& mesh, const std::array<Vec3, 3>& corners,
                    const std::filesystem::path& path) {
  const int base = static_cast<int>(mesh.vertices.size());
  for (const Vec3& v : corners) {
    if (!v.allFinite())
      throw InputError(fmt::format("{}: triangle {} has a coordinate that is no number", path.string(),
                                   mesh.triangles.size()));
    mesh.vertices.emplace_back(v / kMillimetresPerMetre);
  }
  mesh.triangles.push_back({base, base + 1, base + 2});
}

TriangleMesh readBinary(const std::string& bytes, const std::filesystem::path& path) {
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
    float c[9];
    std::memcpy(c, bytes.data() + kHeaderBytes + 4 + kTriangleBytes * t + 12, sizeof c);
    appendTriangle(mesh, {Vec3(c[0], c[1], c[2]), Vec3(c[3], c[4], c[5]), Vec3(c[6], c[7], c[8])}, path);
  }
  return mesh;
}

/// Text STL: only the vertices matter, three after each "outer loop"; normals are not read.
TriangleMesh readText(const std::string& text, const std::filesystem::path& path) {
  TriangleMesh mesh;
  std::istringstream in = plainStream(withPlainLineEnds(text));
  std::string line;
  std::array<Vec3, 3> corners;
  std::size_t found = 0;
  bool ended = false;
  for (int number = 1; std::getline(in, line); ++number) {
    std::istringstream words = plainStream(line);
    std::string word;
    if (!(words >> word)) continue;
    for (char& c : word) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    const auto wrong = [&](const char* what) {
      throw InputError(fmt::format("{}:{}: {}", path.string(), number, what));
    };
    if (word == "vertex") {
      Vec3 v;
      if (found == 3) wrong("a facet has more than three vertices");
      if (!(words >> v.x() >> v.y() >> v.z())) wrong("a vertex should hold three numbers");
      corners[found++] = v;
    } else if (word == "endloop") {
      if (found != 3) wrong("a facet has fewer than three vertices");
      appendTriangle(mesh, corners, path);
      found = 0;
    } else if (word == "endsolid") {
      ended = true;
    } else if (word != "solid" && word != "facet" && word != "outer" && word != "endfacet") {
      wrong("this is neither text nor binary STL");
    }
  }
  if (!ended) throw InputError(path.string() + " is cut off: text STL ends with endsolid");
  return mesh;
}

}  // namespace

TriangleMesh readStl(const std::filesystem::path& path) {
  return parseStl(readFile(path), path);
}

TriangleMesh parseStl(const std::string& bytes, const std::filesystem::path& path) {
  // Binary files may begin with "solid" too, but only they have the length their count of triangles asks for.
  std::uint32_t count = 0;
  if (bytes.size() >= kHeaderBytes + 4) std::memcpy(&count, bytes.data() + kHeaderBytes, sizeof count);
  const bool binary = bytes.size() == kHeaderBytes + 4 + kTriangleBytes * std::size_t{count};
  std::string start = withPlainLineEnds(bytes.substr(0, 512));
  start.erase(0, std::min(start.find_first_not_of(" \t\n"), start.size()));
  for (char& c : start) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  const bool text = !binary && start.starts_with("solid") && start.find('\0') == std::string::npos;
  return welded(text ? readText(bytes, path) : readBinary(bytes, path));
}

Vec3 originOfFiles(const Box& body) {
  constexpr double kNear = 16;     // m
  constexpr double kOfItself = 4;  // of its own size
  if (body.isEmpty()) return Vec3::Zero();
  const double far = std::max(body.min().cwiseAbs().maxCoeff(), body.max().cwiseAbs().maxCoeff());
  if (far <= std::max(kNear, kOfItself * body.sizes().maxCoeff())) return Vec3::Zero();
  return body.center().array().round();
}

Vec3 roundedToStl(const Vec3& place, const Vec3& origin) {
  // By way of a vector of its own: in one expression GCC 12 takes the two casts for nothing, leaves both out.
  const Eigen::Vector3f written = ((place - origin) * kMillimetresPerMetre).cast<float>();
  return origin + written.cast<double>() / kMillimetresPerMetre;
}

TriangleMesh roundedToStl(const TriangleMesh& mesh, const Vec3& origin) {
  TriangleMesh rounded = mesh;
  for (Vec3& vertex : rounded.vertices) vertex = roundedToStl(vertex, origin);
  return welded(rounded);
}

}  // namespace barelattice
