/// @file
/// From a layout to a closed surface of the wanted volume.
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/base/progress.hpp"
#include "barelattice/meshes/outline.hpp"
#include "barelattice/meshes/tet_mesh.hpp"
#include "barelattice/solid/solid_function.hpp"

namespace barelattice BARELATTICE_API {

/// Cubes (squares of a sheet) that a lattice made finer for thin shapes has at most: about ten seconds for
/// each reading of the layout.
inline constexpr double kMostLatticeCells = 2e6;

struct SolidOptions {
  /// Of the surface lattice, m, above zero; 1 to 1.5 cells shows all members. A finer one is taken where
  /// space, keeps or clears hold gaps or walls this one misses.
  double spacing = 0;
  double mostCells = kMostLatticeCells;  ///< of that finer lattice
  bool keepVolume = true;                ///< false reads the layout at `threshold`, whatever the volume
  double threshold = 0.5;                ///< used when the volume is let go
  double volumeTolerance =
      2e-3;  ///< relative; the threshold is moved until the finished volume is this close
  CleanUp cleanUp;
  /// Loose pieces up to a ball (disc) of this diameter, m, are dropped as crumbs; a larger one means that the
  /// layout is not one part. Without it, all loose pieces are dropped.
  std::optional<double> largestCrumb;
  /// Triangles are left out as long as the surface stays this close, m; 0 leaves all, and three hundredths of
  /// its spacing is allowed where a finer lattice was taken.
  double deviation = 0;
  /// Edges of triangles pass no further than this from the round faces they belong to, m; 0 leaves those of
  /// the lattice.
  double chord = 0;
};

/// @throws InputError for one out of range.
void validate(const SolidOptions& options);

/// What was left out because it does not hang on to a keep.
struct Dropped {
  std::size_t pieces = 0;
  double volume = 0;              ///< m3
  double largest = 0;             ///< volume of the largest one, m3
  Vec3 largestAt = Vec3::Zero();  ///< its centre, m

  void add(double piece, const Vec3& centre);  ///< counts one more piece, of a volume in m3
};

/// How well exact faces and the sharp edges between them were kept.
struct FaceCheck {
  std::size_t triangles = 0;  ///< whose corners all lie on faces of space, keeps and clears
  /// Largest distance between surface and such faces, m: the sagitta on a curved face, the height of the
  /// bevel where an edge was not restored, the depth of a gap that was bridged.
  double largest = 0;
  Vec3 largestAt = Vec3::Zero();  ///< where, m
  double missing = 0;  ///< area of faces further than a spacing from the surface, m2: of what is too thin for
                       ///< the lattice
};

struct Solid {
  double threshold = 0.5;      ///< density at which the layout was read
  double spacing = 0;          ///< of the lattice it was read on, m
  TriangleMesh surface;        ///< closed, oriented, rounded to the precision of STL
  Vec3 origin = Vec3::Zero();  ///< where the coordinates of its files count from, m: see originOfFiles
  double volume = 0;           ///< enclosed by the surface, m3
  double wantedVolume = 0;     ///< m3
  Dropped dropped;
  std::size_t pieces = 1;  ///< 1 unless the part falls apart
  CleanUpReport cleanedUp;
  std::size_t trianglesBefore = 0;  ///< the reduction
  double deviation = 0;  ///< largest distance between the surfaces before and after the reduction, m
  FaceCheck faces;
  Outline outline;      ///< of a sheet; empty for a body
  MeshDefects defects;  ///< of `surface`; sound unless something is wrong
};

/// Width from which gaps and walls of space, keeps and clears are sure to be in a solid read with the default
/// options, m.
double narrowestHeld(const Regions& regions);

/// Removes the pieces of a mesh (tetrahedra joined by common vertices) that have no vertex inside or on
/// `regions`' keeps or bonded parts; without any, all but the largest piece.
/// @param[out] pieces number of pieces left.
Dropped dropLoosePieces(TetMesh& mesh, const Regions& regions, std::size_t& pieces);

/// The volume (m3) of every material in a part, by number. Tetrahedra of a lattice of `spacing` (m) count by
/// their centres: good to about the area of the seams times a tenth of the spacing.
std::vector<double> volumesByMaterial(const Implicit& part, const Regions& regions, double spacing);

/// Reads the layout at the threshold for which the finished part, after loose pieces are dropped and space
/// and clears have trimmed it, has the wanted volume. Sharp edges between faces of different direction are
/// restored exactly. The surface is checked, not assumed, to be sound; see `defects`.
/// A sheet is read as an outline and extruded.
/// @throws RunError if no threshold gives the volume, or a loose piece is larger than the largest crumb.
Solid reinterpret(const SmoothLayout& layout, const Regions& regions, double wantedVolume,
                  const SolidOptions& options, const ProgressCallback& progress = {});

}  // namespace barelattice
