// Passing a field on from layer to layer along a direction. Internal to the room.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "barelattice/grid/grid.hpp"

namespace barelattice {

// The box of the grid is cut into layers of cells across the axis the direction is nearest to. What a cell
// takes over comes from the layer before: from the cell that the line through it passes there, and, where an
// angle is given, from a ring of points of that layer, where a cone of that half angle round the line meets
// it.
//
// Lines are followed cell by cell: in layer l they stand round(d l) cells aside, d cells a layer being the
// slope, never further than half a cell off, so nothing is blurred on the way however long it is. Points of
// the ring fall between cells and are interpolated. So the scheme of an angle is the monotone upwind scheme
// (Osher & Sethian 1988) of
//
//   du/dl = tan(angle) |grad u|                                                   (1)
//
// by which the contours of a field grow sideways at that angle; it is of first order, and exact where the
// field is linear within a cell.

template <int D>
class Sweep {
 public:
  /// @param travel direction from each layer to the next, of length one.
  /// @param angle half that of the cone, rad.
  Sweep(const Grid<D>& grid, const Point<D>& travel, double angle);

  /// One value for each cell of the padded box.
  using Field = std::vector<double>;

  /// What each cell gives on: the larger of its own and what comes from before.
  Field greatest(std::span<const double> in) const;
  /// The smaller of its own and what comes from before; its own where `free` is not zero.
  Field carried(std::span<const double> in, std::span<const std::uint8_t> free) const;
  double at(const Field& field, std::size_t cell) const { return field[placeOf(grid_.cellIndex(cell))]; }

  /// Adds to gradientIn what follows from the derivatives by greatest(in), or carried(in) where `free` is
  /// given.
  /// @param field what it gave.
  void back(std::span<const double> in, const Field& field, std::span<const std::uint8_t> free,
            std::span<const double> gradientOut, std::span<double> gradientIn) const;

 private:
  static constexpr std::size_t kAcross = D - 1;  // axes within a layer
  /// A point of the layer before, as places relative to the one in line and their weights.
  struct Tap {
    std::array<std::ptrdiff_t, 1U << kAcross> offset{};
    std::array<double, 1U << kAcross> weight{};
    std::size_t count = 0;
  };

  void addTap(const std::array<double, kAcross>& aside);
  std::size_t placeOf(const Index<D>& cell) const;
  std::size_t layerOf(const Index<D>& cell) const;
  std::size_t rowCount() const;
  std::size_t rowAt(std::size_t layer, std::size_t row) const;
  std::ptrdiff_t lineFrom(std::size_t layer) const;
  double valueOf(const Tap& tap, const double* line) const;
  double before(const double* line) const;
  void passBack(const double* line, double* gradientLine, double gradient) const;
  Field spread(std::span<const double> in) const;
  template <class Join>
  Field pass(std::span<const double> in, const Join& join) const;

  Grid<D> grid_;
  std::size_t axis_ = 0;  // layers are across
  bool up_ = true;        // they are passed in the order of that axis
  std::array<std::size_t, kAcross> across_{};
  std::array<double, kAcross> slope_{};  // cells aside for each layer
  std::array<int, kAcross> size_{};
  int padding_ = 1;  // cells of nothing round each layer
  std::array<std::ptrdiff_t, kAcross> stride_{};
  std::size_t layerSize_ = 1;
  std::size_t layers_ = 1;
  std::vector<Tap> taps_;
};

}  // namespace barelattice
