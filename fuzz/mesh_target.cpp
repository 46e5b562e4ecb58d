// The readers of OBJ, PLY and 3MF, and the mending of what they read.

#include <filesystem>

#include "barelattice/base/file.hpp"
#include "barelattice/formats/mesh_files.hpp"
#include "barelattice/meshes/mesh_repair.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/shapes/shape.hpp"
#include "target.hpp"

using namespace barelattice;

namespace {

// The first byte of an input chooses the reader.
constexpr char kFormats[] = {'o', 'p', '3'};

}  // namespace

std::vector<std::string> seeds() {
  const ShapePtr ball = makeSphere({0, 0, 0}, 0.01);
  const TriangleMesh mesh =
      stuff([&](const Vec3& p) { return ball->distance(p); }, ball->bounds(), 0.008).boundary();
  const auto folder = std::filesystem::temp_directory_path();
  std::vector<std::string> all;
  const MeshFormat formats[] = {MeshFormat::obj, MeshFormat::ply, MeshFormat::threeMf};
  for (std::size_t f = 0; f < 3; ++f) {
    const auto path =
        folder / ("barelattice-fuzz-seed." + meshFormatNames()[static_cast<std::size_t>(formats[f])]);
    writeMesh(path, mesh, formats[f]);
    all.push_back(kFormats[f] + readFile(path));
    std::filesystem::remove(path);
  }
  all.push_back(
      "pply\nformat ascii 1.0\nelement vertex 4\nproperty double x\nproperty double y\nproperty double z\n"
      "element face 4\nproperty list uchar uint vertex_index\nend_header\n0 0 0\n1 0 0\n0 1 0\n0 0 1\n"
      "3 0 2 1\n3 0 1 3\n3 0 3 2\n3 1 2 3\n");
  return all;
}

std::vector<std::string> words() {
  return {"v 1 2 3\n",
          "f 1 2 3\n",
          "f -1/2/3 2 9",
          "element face 99999999",
          "property list int double x\n",
          "binary_big_endian",
          "end_header\n",
          "nan",
          "-1",
          std::string(4, '\xff'),
          std::string(8, '\0')};
}

void read(std::string_view input) {
  if (input.empty()) return;
  const MeshFormat format = input[0] == 'o'   ? MeshFormat::obj
                            : input[0] == 'p' ? MeshFormat::ply
                                              : MeshFormat::threeMf;
  const TriangleMesh mesh = parseMesh(std::string(input.substr(1)), format, "fuzz");
  if (mesh.triangles.size() > 5000) return;
  findDefects(mesh);
  inspectTopology(mended(mesh).mesh);
}
