#include <filesystem>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/formats/vti.hpp"
#include "barelattice/shapes/shape.hpp"
#include "run/vtu.hpp"
#include "target.hpp"

using namespace barelattice;

std::vector<std::string> seeds() {
  const auto folder = std::filesystem::temp_directory_path();
  GridFrame<3> frame;
  frame.cells = {3, 2, 2};
  CellImage image = imageOf(Grid<3>(frame, std::vector<std::uint8_t>(12, 1)), 0);
  image.fields = {{"density", std::vector<float>(12, 0.5F)}, {"fill", std::vector<float>(12, 1.0F)}};
  writeVti(folder / "barelattice-fuzz-seed.vti", image);
  const ShapePtr box = makeBox({0, 0, 0}, {1, 1, 1});
  const QuadraticTets mesh(stuff([&](const Vec3& p) { return box->distance(p); }, box->bounds(), 0.8));
  Proof proof;
  CaseProof c;
  c.name = "pull";
  c.vonMises = c.principalMost = c.principalLeast = std::vector<double>(mesh.cornerCount(), 1e6);
  c.displacements.assign(3 * mesh.nodeCount(), 1e-3);
  proof.cases = {c};
  writeVtu(folder / "barelattice-fuzz-seed.vtu", mesh, proof);
  std::vector<std::string> texts;
  for (const char* name : {"barelattice-fuzz-seed.vti", "barelattice-fuzz-seed.vtu"}) {
    texts.push_back(readFile(folder / name));
    std::filesystem::remove(folder / name);
  }
  return texts;
}

std::vector<std::string> words() {
  return {"<DataArray type=\"Float32\" Name=\"density\" format=\"binary\">",
          "</DataArray>",
          "<Piece ",
          "NumberOfPoints=\"9223372036854775807\" ",
          "WholeExtent=\"0 2000000000 0 2 0 2\" ",
          "Spacing=\"0 0 0\" ",
          "AAAAAAAA",
          "====",
          "&lt;",
          "<!--",
          "]]>"};
}

void read(std::string_view input) {
  const std::string text(input);
  try {
    parseVti(text);
  } catch (const InputError&) {
  }
  parseProofSurface(text);
}
