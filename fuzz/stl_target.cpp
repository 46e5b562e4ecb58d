#include <filesystem>

#include "barelattice/base/file.hpp"
#include "barelattice/formats/stl.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/shapes/mesh_shape.hpp"
#include "target.hpp"

using namespace barelattice;

std::vector<std::string> seeds() {
  const ShapePtr ball = makeSphere({0, 0, 0}, 0.01);
  const auto path = std::filesystem::temp_directory_path() / "barelattice-fuzz-seed.stl";
  writeStl(path, stuff([&](const Vec3& p) { return ball->distance(p); }, ball->bounds(), 0.006).boundary());
  const std::string binary = readFile(path);
  std::filesystem::remove(path);
  const std::string text = R"(solid wedge
facet normal 0 0 -1
outer loop
vertex 0 0 0
vertex 0 1 0
vertex 1 0 0
endloop
endfacet
facet normal 0 -1 0
outer loop
vertex 0 0 0
vertex 1 0 0
vertex 0 0 1
endloop
endfacet
facet normal -1 0 0
outer loop
vertex 0 0 0
vertex 0 0 1
vertex 0 1 0
endloop
endfacet
facet normal 1 1 1
outer loop
vertex 1 0 0
vertex 0 1 0
vertex 0 0 1
endloop
endfacet
endsolid wedge
)";
  return {binary, text};
}

std::vector<std::string> words() {
  return {"solid ",   "facet", "outer loop", "vertex 1 2 3\n",       "endloop\n",
          "endsolid", "nan",   "inf",        std::string(4, '\xff'), std::string(12, '\0')};
}

void read(std::string_view input) {
  const TriangleMesh mesh = parseStl(std::string(input), "fuzz.stl");
  inspectTopology(mesh);
  if (mesh.triangles.size() < 5000) makeMeshShape(mesh)->distance({0.001, 0.002, 0.003});
}
