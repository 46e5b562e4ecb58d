#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <sstream>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/plain_numbers.hpp"
#include "mesh_formats.hpp"

namespace barelattice {

std::string objText(const TriangleMesh& mesh) {
  std::string text = "# Bare Lattice solid, millimetres\n";
  for (const Vec3& v : mesh.vertices) {
    const Vec3 mm = kMillimetresPerMetre * v;
    fmt::format_to(std::back_inserter(text), "v {:.7g} {:.7g} {:.7g}\n", mm.x(), mm.y(), mm.z());
  }
  for (const auto& t : mesh.triangles)
    fmt::format_to(std::back_inserter(text), "f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1);
  return text;
}

/// Only "v" and "f" lines matter; normals, textures, groups and materials are passed over.
TriangleMesh parseObj(const std::string& text, const std::filesystem::path& path) {
  TriangleMesh mesh;
  std::istringstream in = plainStream(withPlainLineEnds(text));
  std::string line;
  int number = 0;
  const auto nextLine = [&] {
    if (!std::getline(in, line)) return false;
    ++number;
    for (std::string more; line.ends_with('\\') && std::getline(in, more); ++number) {
      line.back() = ' ';
      line += more;
    }
    line.erase(std::min(line.find('#'), line.size()));
    return true;
  };
  while (nextLine()) {
    if (line.find('\0') != std::string::npos) throw InputError(path.string() + " is not an OBJ text file");
    std::istringstream words = plainStream(line);
    std::string word;
    if (!(words >> word)) continue;
    const auto wrong = [&](const std::string& what) {
      throw InputError(fmt::format("{}:{}: {}", path.string(), number, what));
    };
    if (word == "v") {
      Vec3 v;
      if (!(words >> v.x() >> v.y() >> v.z()) || !v.allFinite()) wrong("a vertex should hold three numbers");
      mesh.vertices.push_back(v);
    } else if (word == "f") {
      std::vector<long long> corners;
      while (words >> word) {
        // "7", "7/1" or "7/1/3": the vertex comes first; negative ones count from the last.
        std::size_t used = 0;
        long long index = 0;
        try {
          index = std::stoll(word, &used);
        } catch (const std::logic_error&) {
          wrong("a face should hold the numbers of vertices");
        }
        if (index == 0 || (used < word.size() && word[used] != '/'))
          wrong("a face should hold the numbers of vertices");
        corners.push_back(index > 0 ? index - 1 : index + static_cast<long long>(mesh.vertices.size()));
      }
      if (corners.size() < 3) wrong("a face should have at least three corners");
      appendPolygon(mesh, corners, path);
    }
  }
  return mesh;
}

}  // namespace barelattice
