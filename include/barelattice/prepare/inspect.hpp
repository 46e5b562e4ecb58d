/// @file
/// What a geometry file offers to a brief.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/formats/cad.hpp"
#include "barelattice/meshes/mesh_repair.hpp"

namespace barelattice BARELATTICE_API {

/// A face one may choose.
struct InspectedFace {
  Patch patch;
  double area = 0;             ///< m2
  Vec3 centre = Vec3::Zero();  ///< of its area, m
  std::vector<int> adjacent;   ///< faces it shares an edge with, from 0; of CAD solids only
  std::string selector;        ///< what to write in a brief's [faces] to get this face and no other
};

/// A body of the file.
struct InspectedBody {
  std::string name;       ///< of a CAD solid
  std::string shapeText;  ///< what to write in a brief's [shapes]
  double volume = 0;      ///< m3; of a surface that is not closed, zero
  double area = 0;        ///< m2
  Box bounds;             ///< m
  bool valid = true;
  std::vector<InspectedFace> faces;
  TriangleMesh surface;
  std::vector<int> faceOf;  ///< the face of every triangle, from 0, or -1
};

struct Inspection {
  std::filesystem::path file;
  std::string unit;  ///< CAD: the unit the file was written in; triangles: the unit they were read in
  std::vector<InspectedBody> bodies;
  std::size_t looseFaces = 0;         ///< CAD faces of no solid
  bool triangles = false;             ///< the file holds triangles
  std::vector<MeshDefect> defects;    ///< of the triangles as they are in the file; places refer to `surface`
  TriangleMesh surface;               ///< as it is in the file
  std::vector<std::string> mended;    ///< what reading it in a brief would mend
  std::vector<MeshDefect> remaining;  ///< what is left then, in the first body's surface
  std::string fault;                  ///< why closed triangles still do not tell what is material; or empty
  bool usable = true;                 ///< a brief can use it
};

/// Reads a STEP, STL, 3MF, OBJ or PLY file. Defective triangle files do not fail: the inspection says what is
/// wrong.
/// @param unit metres per unit of triangle files that name none.
/// @throws InputError if the file cannot be read at all.
Inspection inspectFile(const std::filesystem::path& file, double unit = 1e-3);

/// Lines for people.
std::string describe(const Inspection& inspection);
/// What a face is, in a few words.
std::string describe(const InspectedFace& face);

/// The same with all measures as JSON, indented: lengths in mm, areas in mm2, volumes in mm3.
std::string jsonText(const Inspection& inspection);

}  // namespace barelattice
