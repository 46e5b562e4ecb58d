/// @file
/// The design space on the grid: how full each cell is, and which cells must stay solid.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/shapes/shape.hpp"

namespace barelattice BARELATTICE_API {

/// Along each axis a place that is to fall between cells, as that of a mirror plane, m; nothing for any.
using BetweenCells = std::array<std::optional<double>, 3>;

/// A piece of the body made of another material than the rest.
struct MaterialRegion {
  ShapePtr shape;
  int material = 0;     ///< number of the material, above zero: 0 is that of the rest
  bool bonded = false;  ///< a part joined to the design for good: it carries load and is never designed
};

/// The regions a domain is made of. For a part cut from sheet the shapes are regions of the x-y plane (see
/// Extrusion::endless), and the part lies between z = 0 and the thickness.
struct Regions {
  ShapePtr space;                ///< what the part may occupy
  std::vector<ShapePtr> keeps;   ///< what must stay solid; solid also where it reaches out of `space`
  std::vector<ShapePtr> clears;  ///< what must stay empty; wins over `space` and over `keeps`
  std::vector<MaterialRegion> materials = {};  ///< earlier ones win; bonded parts win over all, also clears
  double thickness = 0;                        ///< of the sheet, m; zero for a body

  /// Signed function of what may hold material: (space or keeps) without clears, or bonded parts.
  double available(const Vec3& point) const;
  /// Signed function of what must hold material: keeps without clears, or bonded parts. Positive everywhere
  /// without either.
  double kept(const Vec3& point) const;
  /// Signed function of the bonded parts; positive everywhere without any.
  double bonded(const Vec3& point) const;
  bool hasBonded() const;
  /// The number of the material at a point: that of a bonded part inside of one, else designedMaterial.
  int materialAt(const Vec3& point) const;
  int nearestBondedMaterial(const Vec3& point) const;  ///< zero without bonded parts
  int designedMaterial(const Vec3& point) const;       ///< as if there were no bonded parts
  /// Signed function of the sheet's thickness; negative everywhere for a body.
  double withinSheet(const Vec3& point) const;
  Box bounds() const;
};

/// @throws InputError where a shape or the space is missing, or a number is out of range.
void validate(const Regions& regions);

/// The regions on the grid: cubes of a body, squares of a sheet. Entries are per cell of `grid`.
template <int D>
struct Domain {
  Grid<D> grid;
  std::vector<double> fill;        ///< share of the cell that lies in the available region, above 0 up to 1
  std::vector<std::uint8_t> keep;  ///< 1 where the greater part of the filled share must stay solid
  std::vector<std::uint8_t> partlyKept;  ///< 1 where a part of it must that is not the greater one
  std::vector<double> bonded;            ///< share of the cell that bonded parts fill, at most `fill`
  std::vector<std::uint8_t> material;    ///< number of the material, see MaterialRegion

  double thickness = 1;  ///< of a sheet, m; unused for a body

  /// True where bonded parts hold the greater part of the filled share. Such a cell is a keep as well.
  bool isBonded(std::size_t cell) const { return bonded[cell] > 0.5 * fill[cell]; }

  /// Volume of a full cell, m3.
  double cellVolume() const {
    const double area = grid.frame().size * grid.frame().size;
    return D == 3 ? area * grid.frame().size : area * thickness;
  }
  /// Volume of the available region, m3.
  double volume() const;
};

/// Samples the regions on cells of edge `size` (m). Cells on a boundary are sampled at 5 points along each
/// axis, so that volumes come out within about 0.1 % at 100 cells across.
/// @param between where cells are to begin; elsewhere they lie evenly in the box.
/// @throws InputError if no cell is filled or the box would hold more than `kMostCells` cells.
template <int D>
Domain<D> sampleRegions(const Regions& regions, double size, const BetweenCells& between = {});

/// Largest box that is sampled: beyond it the index tables alone pass four gigabytes.
inline constexpr double kMostCells = 5e8;

}  // namespace barelattice
