// The triangle formats, each as bytes in and out. Internal to the room; mesh_files.hpp is the door.
#pragma once

#include <filesystem>
#include <string>

#include "barelattice/meshes/triangle_mesh.hpp"

namespace barelattice {

// Writers: millimetres.
std::string objText(const TriangleMesh& mesh);
std::string plyBytes(const TriangleMesh& mesh);
void write3mf(const std::filesystem::path& path, const TriangleMesh& mesh);

// Readers: vertices as the file has them, in its own unit, not joined; polygons cut into triangles. `path` is
// for messages only. They throw InputError.
TriangleMesh parseObj(const std::string& text, const std::filesystem::path& path);
TriangleMesh parsePly(const std::string& bytes, const std::filesystem::path& path);
/// In metres: the format names its unit. All objects that are to be built, in their places.
TriangleMesh parse3mf(const std::string& bytes, const std::filesystem::path& path);

/// Text whose lines end with "\n" alone, whatever they ended with, and without a byte order mark.
std::string withPlainLineEnds(const std::string& text);

/// Appends a polygon as triangles. @throws InputError for a vertex that is not there, or too many.
void appendPolygon(TriangleMesh& mesh, const std::vector<long long>& corners,
                   const std::filesystem::path& path);

}  // namespace barelattice
