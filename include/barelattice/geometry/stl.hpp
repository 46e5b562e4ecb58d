/// @file
/// STL, the triangle format of printers: coordinates in millimetres, single precision.
#pragma once

#include <filesystem>

#include "barelattice/geometry/triangle_mesh.hpp"

namespace barelattice {

/// Writes binary STL. The file appears whole or not at all.
/// @throws RunError if the file cannot be written.
void writeStl(const std::filesystem::path& path, const TriangleMesh& mesh);

/// Reads binary or text STL and joins equal vertices.
/// @throws InputError if the file is missing, truncated, not STL, or holds coordinates that are no numbers.
TriangleMesh readStl(const std::filesystem::path& path);

/// The same from the bytes of a file. @param path for messages only.
TriangleMesh parseStl(const std::string& bytes, const std::filesystem::path& path);

/// The mesh as it will read after writing: vertices rounded to the precision of the format. Rounding may
/// merge vertices, so whoever checks a surface checks this one.
TriangleMesh roundedToStl(const TriangleMesh& mesh);

}  // namespace barelattice
