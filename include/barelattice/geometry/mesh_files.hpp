/// @file
/// Triangle surfaces as files of any format we write.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "barelattice/geometry/triangle_mesh.hpp"

namespace barelattice {

enum class MeshFormat { stl, threeMf, obj, ply };

/// The file ending of each format without its dot, in the order of MeshFormat: stl, 3mf, obj, ply.
const std::vector<std::string>& meshFormatNames();

/// Writes a surface in millimetres: binary STL, 3MF, Wavefront OBJ as text, or binary PLY. The file appears
/// whole or not at all.
/// @throws RunError if the file cannot be written.
void writeMesh(const std::filesystem::path& path, const TriangleMesh& mesh, MeshFormat format);

/// Reads an STL file; the other formats are written only.
/// @throws InputError naming the file and what is wrong with it.
TriangleMesh readMesh(const std::filesystem::path& path);

}  // namespace barelattice
