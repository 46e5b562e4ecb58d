#include "barelattice/formats/vti.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <pugixml.hpp>
#include <sstream>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"
#include "barelattice/base/quantity.hpp"
#include "barelattice/grid/domain.hpp"
#include "base/check.hpp"
#include "base/markup.hpp"
#include "base/plain_numbers.hpp"
#include "vtk_data.hpp"

namespace barelattice {
namespace {

std::vector<float> finite(std::vector<float> values) {
  for (const float value : values)
    if (!std::isfinite(value)) throw InputError("a data array holds a value that is no number");
  return values;
}

std::array<double, 3> three(const std::string& text, const char* what) {
  std::istringstream in = plainStream(text);
  std::array<double, 3> values{};
  for (double& value : values)
    if (!(in >> value) || !std::isfinite(value))
      throw InputError(fmt::format("{} should hold three numbers", what));
  return values;
}

void readFrame(const pugi::xml_node& image, CellImage& cells) {
  GridFrame<3>& frame = cells.frame;
  const auto origin = three(image.attribute("Origin").value(), "Origin");
  const auto spacing = three(image.attribute("Spacing").value(), "Spacing");
  frame.size = spacing[0] / kMillimetresPerMetre;
  std::istringstream extent = plainStream(image.attribute("WholeExtent").value());
  double count = 1;
  for (std::size_t i = 0; i < 3; ++i) {
    int low = 0;
    int high = 0;
    if (!(extent >> low >> high) || low != 0 || high <= low)
      throw InputError("WholeExtent should hold three ranges that start at 0");
    frame.cells[i] = high;
    frame.origin[static_cast<Eigen::Index>(i)] = origin[i] / kMillimetresPerMetre;
    count *= high;
  }
  if (count > kMostCells) throw InputError("the image has more cells than this program reads");
  const bool cubes = spacing[0] == spacing[2];
  if (!(spacing[0] > 0 && spacing[2] > 0) || spacing[0] != spacing[1] || !(cubes || frame.cells[2] == 1))
    throw InputError("the cells must be cubes with a size above zero, or a single layer");
  if (!cubes) cells.layer = spacing[2] / kMillimetresPerMetre;
}

}  // namespace

CellImage parseVti(const std::string& text) {
  pugi::xml_document document;
  const pugi::xml_parse_result result = document.load_buffer(text.data(), text.size());
  if (!result) throw InputError(result.description());
  const pugi::xml_node file = document.child("VTKFile");
  const pugi::xml_node image = file.child("ImageData");
  if (!image) throw InputError("this is not a VTK image file (no VTKFile with ImageData inside)");
  if (std::strcmp(file.attribute("header_type").value(), "UInt64") != 0 || file.attribute("compressor"))
    throw InputError("arrays must be uncompressed with UInt64 sizes");
  CellImage cells;
  readFrame(image, cells);
  for (const pugi::xml_node array : image.child("Piece").child("CellData").children("DataArray")) {
    const std::string name = array.attribute("Name").value();
    if (std::strcmp(array.attribute("type").value(), "Float32") != 0 ||
        std::strcmp(array.attribute("format").value(), "binary") != 0)
      throw InputError(fmt::format("array \"{}\" is not Float32 in inline base64", name));
    cells.fields.emplace_back(name, finite(decodeVtk<float>(array.child_value(), cells.frame.boxCells())));
  }
  return cells;
}

const std::vector<float>& CellImage::field(const std::string& name) const {
  for (const auto& [key, values] : fields)
    if (key == name) return values;
  throw InputError(fmt::format("there is no field \"{}\" in the image", name));
}

void writeVti(const std::filesystem::path& path, const CellImage& image) {
  for (const auto& [name, values] : image.fields)
    requireCount("field " + name, values.size(), image.frame.boxCells(), "cells in the box");
  const GridFrame<3>& frame = image.frame;
  const Point<3> origin = frame.origin * kMillimetresPerMetre;
  const double size = frame.size * kMillimetresPerMetre;
  const std::string extent = fmt::format("0 {} 0 {} 0 {}", frame.cells[0], frame.cells[1], frame.cells[2]);
  std::string text =
      "<?xml version=\"1.0\"?>\n<VTKFile type=\"ImageData\" version=\"1.0\" byte_order=\"LittleEndian\" "
      "header_type=\"UInt64\">\n";
  text += fmt::format(
      "  <ImageData WholeExtent=\"{}\" Origin=\"{} {} {}\" Spacing=\"{} {} {}\">\n    <Piece "
      "Extent=\"{}\">\n",
      extent, origin.x(), origin.y(), origin.z(), size, size,
      image.layer > 0 ? image.layer * kMillimetresPerMetre : size, extent);
  text += "      <CellData>\n";
  for (const auto& [name, values] : image.fields)
    text += fmt::format("        <DataArray type=\"Float32\" Name=\"{}\" format=\"binary\">{}</DataArray>\n",
                        escaped(name), encodeVtk<float>(values));
  text += "      </CellData>\n    </Piece>\n  </ImageData>\n</VTKFile>\n";
  writeFile(path, text);
}

CellImage readVti(const std::filesystem::path& path) {
  const std::string text = readFile(path);
  try {
    return parseVti(text);
  } catch (const InputError& error) {
    throw InputError(fmt::format("{}: {}", path.string(), error.what()), error.cure());
  }
}

template <int D>
CellImage imageOf(const Grid<D>& grid, double thickness) {
  CellImage image;
  image.frame.size = grid.frame().size;
  image.frame.cells.fill(1);
  std::copy(grid.frame().cells.begin(), grid.frame().cells.end(), image.frame.cells.begin());
  image.frame.origin.template head<D>() = grid.frame().origin;
  if (D == 2) image.layer = thickness;
  return image;
}

template <int D>
std::vector<float> spread(const Grid<D>& grid, const std::vector<double>& values, float outside) {
  requireCount("values", values.size(), grid.cellCount(), "cells");
  std::vector<float> box(grid.frame().boxCells(), outside);
  for (std::size_t c = 0; c < values.size(); ++c)
    box[grid.frame().linear(grid.cellIndex(c))] = static_cast<float>(values[c]);
  return box;
}

template <int D>
std::vector<double> gathered(const Grid<D>& grid, const std::vector<float>& box) {
  requireCount("box", box.size(), grid.frame().boxCells(), "cells in the box");
  std::vector<double> values(grid.cellCount());
  for (std::size_t c = 0; c < values.size(); ++c)
    values[c] = static_cast<double>(box[grid.frame().linear(grid.cellIndex(c))]);
  return values;
}

template BARELATTICE_API CellImage imageOf<2>(const Grid<2>&, double);
template BARELATTICE_API CellImage imageOf<3>(const Grid<3>&, double);
template BARELATTICE_API std::vector<float> spread<2>(const Grid<2>&, const std::vector<double>&, float);
template BARELATTICE_API std::vector<float> spread<3>(const Grid<3>&, const std::vector<double>&, float);
template BARELATTICE_API std::vector<double> gathered<2>(const Grid<2>&, const std::vector<float>&);
template BARELATTICE_API std::vector<double> gathered<3>(const Grid<3>&, const std::vector<float>&);

}  // namespace barelattice
