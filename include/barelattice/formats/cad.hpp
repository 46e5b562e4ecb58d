/// @file
/// Solids of a CAD file: what faces they have, and as shapes.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

struct CadFace {
  Patch patch;                 ///< with a net; freeform unless the kernel knows the kind
  Vec3 centre = Vec3::Zero();  ///< of its area, m
  std::vector<int> adjacent;   ///< faces that share an edge with it, ascending

  double area() const { return patch.net->area; }  ///< m2, by the CAD kernel
};

struct CadSolid {
  std::string name;    ///< as the file has it; may be empty
  double volume = 0;   ///< m3, by the CAD kernel
  Box bounds;          ///< of the exact faces, m
  bool valid = false;  ///< what the kernel says of its topology
  std::vector<CadFace> faces;
  TriangleMesh surface;     ///< closed
  std::vector<int> faceOf;  ///< the face of every triangle
  double deviation = 0;     ///< the triangles were asked to stay this close to the faces, m
};

struct CadModel {
  std::string unit;  ///< length unit the file was written in; coordinates are in metres all the same
  std::vector<CadSolid> solids;
  std::size_t looseFaces = 0;  ///< faces that belong to no solid
};

/// What reading one file may cost.
struct CadLimits {
  double seconds = 120;
  double bytes = 6e9;
};

/// True if the name ends like that of a STEP file.
bool isStepFile(const std::filesystem::path& path);

/// True if this build reads CAD files.
bool cadAvailable();

/// Reads the solids of a STEP file (AP203, AP214, AP242). The kernel that does it runs as a process of its
/// own (barelattice-cad, searched beside the running program, then where it was built and installed, or
/// wherever BARELATTICE_CAD says), so that a damaged file cannot harm the caller.
/// @param deviation largest distance of the triangles from the faces, m; zero takes 1/2000 of each solid's
///   diagonal.
/// @throws InputError if the file cannot be read, holds no solid or costs more than the limits; RunError if
///   there is nothing to read it with.
CadModel readStep(const std::filesystem::path& path, double deviation = 0, const CadLimits& limits = {});

/// The same from what barelattice-cad wrote.
/// @param answer in CBOR (RFC 8949).
/// @param path for messages only.
CadModel parseCadModel(const std::string& answer, const std::filesystem::path& path);

/// The body of a solid. Near a plane, cylinder, cone, sphere or torus the distance is that to the exact
/// surface, elsewhere that to the triangles; its patches are the faces.
/// @throws InputError if its triangles do not close.
ShapePtr makeCadShape(const CadSolid& solid);

}  // namespace barelattice
