/// @file
/// VTK XML image files: fields on the cells of a box.
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"

namespace barelattice BARELATTICE_API {

/// Fields on all cells of a box, the first coordinate running fastest. Positions are in millimetres in the
/// file and in metres here.
struct CellImage {
  GridFrame<3> frame;  ///< one layer of cells for a sheet
  double layer = 0;    ///< thickness of that layer, m; zero for cubes
  std::vector<std::pair<std::string, std::vector<float>>> fields;  ///< name and one value per cell of the box

  /// @throws InputError if there is no such field.
  const std::vector<float>& field(const std::string& name) const;
};

/// Writes `.vti`, every array inline as base64. The file appears whole or not at all.
/// @throws RunError if the file cannot be written.
void writeVti(const std::filesystem::path& path, const CellImage& image);

/// Reads what writeVti writes: one piece, Float32 cell arrays, inline base64 with 64-bit sizes.
/// @throws InputError naming the file and what is wrong with it.
CellImage readVti(const std::filesystem::path& path);

/// The same from the text of a file.
CellImage parseVti(const std::string& text);

/// The box of a grid as an image's frame. @param thickness of a sheet, m; unused for a body.
template <int D>
CellImage imageOf(const Grid<D>& grid, double thickness);

/// A field given per cell of the grid, spread over its box; `outside` where there is no cell.
template <int D>
std::vector<float> spread(const Grid<D>& grid, const std::vector<double>& values, float outside = 0);

/// The reverse of spread.
template <int D>
std::vector<double> gathered(const Grid<D>& grid, const std::vector<float>& box);

}  // namespace barelattice
