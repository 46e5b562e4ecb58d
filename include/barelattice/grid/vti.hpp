/// @file
/// VTK XML image files: fields on the cells of a box.
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "barelattice/grid/grid.hpp"

namespace barelattice {

/// Fields on all cells of a box, the first coordinate running fastest. Positions are in millimetres in the
/// file and in metres here.
struct CellImage {
  GridFrame<3> frame;
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

/// A field given per cell of the grid, spread over its box; `outside` where there is no cell.
std::vector<float> spread(const Grid<3>& grid, const std::vector<double>& values, float outside = 0);

}  // namespace barelattice
