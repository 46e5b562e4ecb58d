/// @file
/// STL, the triangle format of printers: coordinates in millimetres, single precision.
#pragma once

#include <filesystem>

#include "barelattice/base/api.hpp"
#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice BARELATTICE_API {

/// Writes binary STL. The file appears whole or not at all.
/// @throws RunError if the file cannot be written.
void writeStl(const std::filesystem::path& path, const TriangleMesh& mesh);

/// Reads binary or text STL and joins equal vertices.
/// @throws InputError if the file is missing, truncated, not STL, or holds coordinates that are no numbers.
TriangleMesh readStl(const std::filesystem::path& path);

/// The same from the bytes of a file. @param path for messages only.
TriangleMesh parseStl(const std::string& bytes, const std::filesystem::path& path);

/// Where the coordinates of a body's triangle files count from, m. Single precision tells places apart to
/// 2^-23 of their distance from zero. Within 16 m that is under 0.002 mm, a tenth of what a surface is
/// accurate to, and files count from the origin, as they do for bodies that are themselves as large as they
/// are far. Others count from a whole number of metres close to the middle of the body.
Vec3 originOfFiles(const Box& body);

/// A place (m) as it will read after writing, in single precision of the millimetres that it lies from
/// `origin` (m).
Vec3 roundedToStl(const Vec3& place, const Vec3& origin);

/// The mesh as it will read after writing: vertices rounded to the precision of the format, which counts from
/// `origin` (m). Rounding may merge vertices, so whoever checks a surface checks this one.
TriangleMesh roundedToStl(const TriangleMesh& mesh, const Vec3& origin = Vec3::Zero());

}  // namespace barelattice
