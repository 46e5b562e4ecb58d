/// @file
/// Density fields made elsewhere, brought onto our voxels.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/domain.hpp"

namespace barelattice BARELATTICE_API {

/// A density field as values at places.
struct DensitySamples {
  std::vector<Vec3> places;     ///< centres of cells, or points, m
  std::vector<double> values;   ///< 0 to 1
  std::vector<double> volumes;  ///< of the cells, m3; zero where the file does not tell
  double spacing = 0;           ///< typical distance between neighbours, m
};

/// Reads a scalar field: a VTK XML image (.vti) or unstructured grid (.vtu), from its cells or else its
/// points; or a CSV file (.csv) with a heading that names the columns x, y, z and the field. VTK arrays may
/// be text, inline base64 or appended, but not compressed.
/// @param unit metres per unit of the file's coordinates.
/// @throws InputError naming the file and what is wrong: no such field (the ones there are, are listed),
/// values
///   that are no densities, a file cut off.
DensitySamples readDensity(const std::filesystem::path& path, const std::string& field, double unit);

/// The same from the bytes of a file. @param path for its ending, and for messages.
DensitySamples parseDensity(const std::string& bytes, const std::filesystem::path& path,
                            const std::string& field, double unit);

struct ResampledDensity {
  std::vector<double> density;  ///< one entry per cell of the domain
  double given = 0;             ///< volume of material in the samples, m3: values times volumes
  double kept = 0;              ///< the same in `density`, cells weighted with their fill, m3
  double outside = 0;           ///< share of `given` that lies outside the domain
};

/// Brings samples onto the cells of a domain: each cell takes the mean of the samples in it, or the nearest
/// one within two spacings; all are then scaled until the volume of material inside the domain is kept, as
/// far as densities of at most one allow. O(samples + cells).
/// @throws InputError if fewer than half of the material lies in the domain: most likely the unit is wrong.
template <int D>
ResampledDensity resampled(const DensitySamples& samples, const Domain<D>& domain);

}  // namespace barelattice
