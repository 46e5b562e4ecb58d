#include "barelattice/formats/mesh_files.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/stl.hpp"
#include "base/file_name.hpp"
#include "mesh_formats.hpp"
#include "meshes/polygon.hpp"

namespace barelattice {

const std::vector<std::string>& meshFormatNames() {
  static const std::vector<std::string> names{"stl", "3mf", "obj", "ply"};
  return names;
}

void writeMesh(const std::filesystem::path& path, const TriangleMesh& mesh, MeshFormat format) {
  validate(mesh);
  switch (format) {
    case MeshFormat::stl:
      return writeStl(path, mesh);
    case MeshFormat::threeMf:
      return write3mf(path, mesh);
    case MeshFormat::obj:
      return writeFile(path, objText(mesh));
    case MeshFormat::ply:
      return writeFile(path, plyBytes(mesh));
  }
}

MeshFormat meshFormatOf(const std::filesystem::path& path) {
  const std::string ending = endingOf(path);
  const std::vector<std::string>& names = meshFormatNames();
  for (std::size_t f = 0; f < names.size(); ++f)
    if (ending == "." + names[f]) return static_cast<MeshFormat>(f);
  throw InputError(fmt::format("{} is not a triangle file by its name", path.string()),
                   "STL, 3MF, OBJ and PLY files are read");
}

TriangleMesh parseMesh(const std::string& bytes, MeshFormat format, const std::filesystem::path& path,
                       double unit) {
  TriangleMesh mesh;
  double scale = unit;
  switch (format) {
    case MeshFormat::stl:
      mesh = parseStl(bytes, path);
      scale = unit * 1e3;  // it has been read as millimetres
      break;
    case MeshFormat::threeMf:
      mesh = parse3mf(bytes, path);
      scale = 1;
      break;
    case MeshFormat::obj:
      mesh = parseObj(bytes, path);
      break;
    case MeshFormat::ply:
      mesh = parsePly(bytes, path);
      break;
  }
  for (Vec3& v : mesh.vertices) v *= scale;
  if (mesh.triangles.empty()) throw InputError(path.string() + " holds no triangle");
  return format == MeshFormat::stl ? mesh : welded(mesh);
}

TriangleMesh readMesh(const std::filesystem::path& path, double unit) {
  const MeshFormat format = meshFormatOf(path);
  return parseMesh(readFile(path), format, path, unit);
}

std::string withPlainLineEnds(const std::string& text) {
  std::string plain;
  plain.reserve(text.size());
  for (std::size_t i = text.starts_with("\xef\xbb\xbf") ? 3 : 0; i < text.size(); ++i) {
    if (text[i] != '\r')
      plain += text[i];
    else if (i + 1 == text.size() || text[i + 1] != '\n')
      plain += '\n';
  }
  return plain;
}

void appendPolygon(TriangleMesh& mesh, const std::vector<long long>& corners,
                   const std::filesystem::path& path) {
  for (const long long corner : corners)
    if (corner < 0 || corner >= static_cast<long long>(mesh.vertices.size()))
      throw InputError(
          fmt::format("{}: a face names vertex {} of {}", path.string(), corner + 1, mesh.vertices.size()));
  constexpr std::size_t kMostCorners = 1000;  // cutting takes up to the cube of their number
  if (corners.size() > kMostCorners)
    throw InputError(
        fmt::format("{}: a face has {} corners, more than {}", path.string(), corners.size(), kMostCorners),
        "export triangles");
  if (corners.size() == 3) {
    mesh.triangles.push_back(
        {static_cast<int>(corners[0]), static_cast<int>(corners[1]), static_cast<int>(corners[2])});
    return;
  }
  std::vector<Vec3> places;
  for (const long long corner : corners) places.push_back(mesh.vertices[static_cast<std::size_t>(corner)]);
  for (const auto& t : triangulated(places))
    mesh.triangles.push_back(
        {static_cast<int>(corners[t[0]]), static_cast<int>(corners[t[1]]), static_cast<int>(corners[t[2]])});
}

}  // namespace barelattice
