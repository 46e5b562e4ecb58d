/// @file
/// The map that leaves no void closed.
#pragma once

#include <memory>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/layout/layout_map.hpp"

namespace barelattice BARELATTICE_API {

template <int D>
struct WideBox;
template <int D>
class Neighbours;

/// Fills what a ball of some width cannot leave. A cell becomes as full as the fullest place on the emptiest
/// way from it to the outside,
///   F(p) = min over ways from p { max over places q of the way: D(q) },
/// (a flood from the border, Barnes, Lehman & Mulla 2014), where D is the largest level within the ball, and
/// is emptied by any ball that lies there:
///   out(x) = min { F(p) : p within a radius of x }.
/// A way leads from cell to cell through common sides, and out of the grid's cells. In a void with no way out
/// the level is that of its thinnest wall: what it weighs depends on that place, and opening it there empties
/// it. It commutes with projections, as AccessMap does; derivatives go to one of several equal places.
/// O(n log n + n cells of the ball); 32 bytes a cell.
template <int D>
class OpenVoidsMap final : public LayoutMap {
 public:
  /// @param opening diameter of the ball, m; zero for any way at all.
  /// @throws InputError for a negative one.
  OpenVoidsMap(const Grid<D>& grid, double opening);
  ~OpenVoidsMap() override;

  void forward(std::span<const double> in, std::span<double> out) const override;
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override;
  Reads reads() const override { return Reads::input; }

 private:
  struct Made;
  Made make(std::span<const double> in) const;

  Grid<D> grid_;
  std::unique_ptr<const WideBox<D>> box_;
  std::unique_ptr<const Neighbours<D>> ball_;
};

}  // namespace barelattice
