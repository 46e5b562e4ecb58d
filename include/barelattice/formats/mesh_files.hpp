/// @file
/// Triangle surfaces as files of any format we write.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice BARELATTICE_API {

enum class MeshFormat { stl, threeMf, obj, ply };

/// The file ending of each format without its dot, in the order of MeshFormat: stl, 3mf, obj, ply.
const std::vector<std::string>& meshFormatNames();

/// Writes a surface in millimetres: binary STL, 3MF, Wavefront OBJ as text, or binary PLY. The file appears
/// whole or not at all.
/// @throws RunError if the file cannot be written.
void writeMesh(const std::filesystem::path& path, const TriangleMesh& mesh, MeshFormat format);

/// The format a file has by its ending. @throws InputError for any other ending.
MeshFormat meshFormatOf(const std::filesystem::path& path);

/// Reads a surface and joins equal vertices; polygons become fans of triangles. Of a 3MF file all objects
/// that are to be built are read, in their places.
/// @param unit metres per unit of the file; 3MF files name their own, which counts.
/// @throws InputError naming the file and what is wrong with it.
TriangleMesh readMesh(const std::filesystem::path& path, double unit = 1e-3);

/// The same from the bytes of a file. @param path for messages only.
TriangleMesh parseMesh(const std::string& bytes, MeshFormat format, const std::filesystem::path& path,
                       double unit = 1e-3);

}  // namespace barelattice
