#include "vtu.hpp"

#include <fmt/format.h>

#include <cstdint>
#include <cstring>
#include <pugixml.hpp>

#include "barelattice/base/quantity.hpp"
#include "base/markup.hpp"
#include "formats/vtk_data.hpp"

namespace barelattice {
namespace {

constexpr std::uint8_t kQuadraticTetrahedron = 24;
constexpr double kPascalPerMegapascal = 1e6;

template <class T>
std::string array(const char* type, const std::string& name, int components, std::span<const T> values) {
  return fmt::format(
      "        <DataArray type=\"{}\" Name=\"{}\" NumberOfComponents=\"{}\" "
      "format=\"binary\">{}</DataArray>\n",
      type, escaped(name), components, encodeVtk<T>(values));
}

/// A field given at the corners, in MPa, with edge middles between.
std::string stressArray(const std::string& name, const QuadraticTets& mesh,
                        const std::vector<double>& corners) {
  std::vector<float> stress;
  for (const double s : corners) stress.push_back(static_cast<float>(s / kPascalPerMegapascal));
  for (const auto& [a, b] : mesh.edges())
    stress.push_back(0.5F * (stress[static_cast<std::size_t>(a)] + stress[static_cast<std::size_t>(b)]));
  return array<float>("Float32", name, 1, stress);
}

pugi::xml_node named(const pugi::xml_node& parent, const std::string& name) {
  for (const pugi::xml_node node : parent.children("DataArray"))
    if (name == node.attribute("Name").value()) return node;
  throw InputError(fmt::format("there is no array \"{}\"", name));
}

std::vector<float> scaled(std::vector<float> values, double factor) {
  for (float& value : values) value = static_cast<float>(value * factor);
  return values;
}

/// @param positions of nodes, mm. @param nodes ten of each cell.
TetMesh tetsFrom(const std::vector<double>& positions, const std::vector<std::int32_t>& nodes) {
  TetMesh tets;
  const std::size_t points = positions.size() / 3;
  for (std::size_t n = 0; n < points; ++n)
    tets.vertices.push_back(Vec3(positions[3 * n], positions[3 * n + 1], positions[3 * n + 2]) /
                            kMillimetresPerMetre);
  for (std::size_t t = 0; t < nodes.size() / 10; ++t) {
    tets.tets.push_back({nodes[10 * t], nodes[10 * t + 1], nodes[10 * t + 2], nodes[10 * t + 3]});
    for (const int n : tets.tets.back())
      if (n < 0 || static_cast<std::size_t>(n) >= points)
        throw InputError("a cell names a point that is not there");
  }
  return tets;
}

/// @param used the points that are wanted, in their order.
ProofSurface::Case caseFrom(const pugi::xml_node& data, const pugi::xml_node& vonMises,
                            const std::string& name, unsigned long long points,
                            const std::vector<std::size_t>& used) {
  ProofSurface::Case c{name, {}, {}, {}, {}};
  const auto field = [&](const pugi::xml_node& node, unsigned long long count, double factor) {
    return scaled(decodeVtk<float>(node.child_value(), count), factor);
  };
  const auto stress = field(vonMises, points, kPascalPerMegapascal);
  const auto most = field(named(data, "largest principal " + name), points, kPascalPerMegapascal);
  const auto least = field(named(data, "smallest principal " + name), points, kPascalPerMegapascal);
  const auto moved = field(named(data, "displacement " + name), 3 * points, 1 / kMillimetresPerMetre);
  for (const std::size_t n : used) {
    c.vonMises.push_back(stress[n]);
    c.principalMost.push_back(most[n]);
    c.principalLeast.push_back(least[n]);
    for (std::size_t i = 0; i < 3; ++i) c.displacement.push_back(moved[3 * n + i]);
  }
  return c;
}

/// "mode 1"; where supports differ between cases, "mode 1 of" the first that stands on them.
std::string modeName(const Proof& proof, std::size_t set, std::size_t mode) {
  const std::string name = fmt::format("mode {}", mode + 1);
  return proof.modes.size() == 1 ? name : name + " of " + proof.cases[proof.modes[set].cases.front()].name;
}

/// The shape of a mode, the largest displacement of a node made one.
std::vector<float> unitShape(const std::vector<double>& shape) {
  double largest = 0;
  for (std::size_t n = 0; n + 2 < shape.size(); n += 3)
    largest = std::max(largest, Vec3(shape[n], shape[n + 1], shape[n + 2]).norm());
  std::vector<float> unit;
  unit.reserve(shape.size());
  for (const double u : shape) unit.push_back(static_cast<float>(largest > 0 ? u / largest : 0));
  return unit;
}

}  // namespace

ProofSurface parseProofSurface(const std::string& text) {
  pugi::xml_document document;
  if (const auto result = document.load_buffer(text.data(), text.size()); !result)
    throw InputError(result.description());
  const pugi::xml_node piece = document.child("VTKFile").child("UnstructuredGrid").child("Piece");
  if (!piece) throw InputError("this is not a VTK unstructured grid");
  const auto points = piece.attribute("NumberOfPoints").as_ullong();
  const auto cells = piece.attribute("NumberOfCells").as_ullong();
  constexpr unsigned long long kMost = 1'000'000'000;  // beyond it the products below could wrap round
  if (points > kMost || cells > kMost) throw InputError("the mesh is larger than this program reads");
  const auto positions =
      decodeVtk<double>(piece.child("Points").child("DataArray").child_value(), 3 * points);
  const auto nodes =
      decodeVtk<std::int32_t>(named(piece.child("Cells"), "connectivity").child_value(), 10 * cells);
  const TetMesh tets = tetsFrom(positions, nodes);
  ProofSurface surface;
  const TriangleMesh boundary = tets.boundary();
  std::vector<int> number(points, -1);
  std::vector<std::size_t> used;
  for (auto t : boundary.triangles) {
    for (int& v : t) {
      int& n = number[static_cast<std::size_t>(v)];
      if (n < 0) {
        n = static_cast<int>(used.size());
        used.push_back(static_cast<std::size_t>(v));
        surface.mesh.vertices.push_back(boundary.vertices[static_cast<std::size_t>(v)]);
      }
      v = n;
    }
    surface.mesh.triangles.push_back(t);
  }
  const std::string prefix = "von Mises ";
  for (const pugi::xml_node node : piece.child("PointData").children("DataArray")) {
    const std::string name = node.attribute("Name").value();
    if (!name.starts_with(prefix)) continue;
    surface.cases.push_back(
        caseFrom(piece.child("PointData"), node, name.substr(prefix.size()), points, used));
  }
  for (const pugi::xml_node node : piece.child("PointData").children("DataArray")) {
    const std::string name = node.attribute("Name").value();
    if (!name.starts_with("mode ")) continue;
    const std::vector<float> shape = decodeVtk<float>(node.child_value(), 3 * points);
    ProofSurface::Mode& mode = surface.modes.emplace_back();
    mode.name = name;
    for (const std::size_t n : used)
      mode.shape.insert(mode.shape.end(), {shape[3 * n], shape[3 * n + 1], shape[3 * n + 2]});
  }
  return surface;
}

void writeVtu(const std::filesystem::path& path, const QuadraticTets& mesh, const Proof& proof) {
  std::vector<double> positions;  // in single precision a part far from the origin would lose its shape
  for (const Vec3& node : mesh.nodes())
    for (int i = 0; i < 3; ++i) positions.push_back(node[i] * kMillimetresPerMetre);
  std::vector<std::int32_t> connectivity;
  std::vector<std::int32_t> offsets;
  for (const auto& t : mesh.tets()) {
    connectivity.insert(connectivity.end(), t.begin(), t.end());
    offsets.push_back(static_cast<std::int32_t>(connectivity.size()));
  }
  const std::vector<std::uint8_t> types(mesh.tets().size(), kQuadraticTetrahedron);
  std::string text =
      "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" "
      "byte_order=\"LittleEndian\" header_type=\"UInt64\">\n  <UnstructuredGrid>\n";
  text += fmt::format("    <Piece NumberOfPoints=\"{}\" NumberOfCells=\"{}\">\n      <PointData>\n",
                      mesh.nodeCount(), mesh.tets().size());
  for (const CaseProof& c : proof.cases) {
    std::vector<float> moved;
    for (const double u : c.displacements) moved.push_back(static_cast<float>(u * kMillimetresPerMetre));
    text += stressArray("von Mises " + c.name, mesh, c.vonMises);
    text += stressArray("largest principal " + c.name, mesh, c.principalMost);
    text += stressArray("smallest principal " + c.name, mesh, c.principalLeast);
    text += array<float>("Float32", "displacement " + c.name, 3, moved);
  }
  for (std::size_t set = 0; set < proof.modes.size(); ++set)
    for (std::size_t m = 0; m < proof.modes[set].modes.size(); ++m)
      text += array<float>("Float32", modeName(proof, set, m), 3, unitShape(proof.modes[set].modes[m].shape));
  text += "      </PointData>\n      <Points>\n" + array<double>("Float64", "Points", 3, positions);
  text += "      </Points>\n      <Cells>\n" + array<std::int32_t>("Int32", "connectivity", 1, connectivity);
  text +=
      array<std::int32_t>("Int32", "offsets", 1, offsets) + array<std::uint8_t>("UInt8", "types", 1, types);
  text += "      </Cells>\n    </Piece>\n  </UnstructuredGrid>\n</VTKFile>\n";
  writeFile(path, text);
}

ProofSurface readProofSurface(const std::filesystem::path& path) {
  const std::string text = readFile(path);
  try {
    return parseProofSurface(text);
  } catch (const InputError& error) {
    throw InputError(fmt::format("{}: {}", path.string(), error.what()), error.cure());
  }
}

}  // namespace barelattice
