/// @file
/// Maps that look along directions: what can be drawn from a mould, reached by a tool, or printed.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/layout/layout_map.hpp"
#include "barelattice/layout/tool.hpp"
#include "barelattice/meshes/vec.hpp"

namespace barelattice BARELATTICE_API {

template <int D>
class SideAccess;
template <int D>
class Sweep;

/// Fills what cannot be emptied from given sides. Seen from a side, a cell is as full as the fullest one that
/// lies in front of it or is itself:
///   a_s(x) = max { in(y) : y before x, seen from s, within the angle of draft },
/// and what is taken away can be taken away from one side at least:
///   out(x) = min_s a_s(x)
/// (Langelaar 2019 for milling; with one side, or two that face each other, it is Gersborg & Andreasen's
/// (2011) casting). With a parting plane each side counts on its own half only. Where a tool is given, only
/// what it has room for is taken away: its edge and the holder go round what is full too.
///
/// Largest and smallest values do not care for a projection that follows, so the level may be mapped, and all
/// readings of it obey the rule. Derivatives are exact but where several cells are equally full: there they
/// are shared equally, which is one of the slopes there are.
/// O(cells of the box times sides), with draft nine times that; 8 bytes a cell of the box for each side. With
/// a tool O(cells times rows of cells across it, and across the holder for each reach of depth), 32 bytes a
/// cell of each side and 24 more for each reach.
template <int D>
class AccessMap final : public LayoutMap {
 public:
  struct Options {
    std::vector<Point<D>> sides;  ///< unit vectors from the part to where it is emptied from; one or more
    double draft = 0;             ///< by which walls lean towards that side, rad; 0 up to kMostDraft
    /// Of two sides that face each other: where the plane between them lies, along the first side from the
    /// origin, m.
    std::optional<double> parting = {};
    Tool tool = {};  ///< one without width, unless it is given
  };
  /// @throws InputError for directions that are not of length one, draft out of range, a parting of anything
  ///   but two sides that face each other, a tool that is none.
  AccessMap(const Grid<D>& grid, const Options& options);
  ~AccessMap() override;

  void forward(std::span<const double> in, std::span<double> out) const override;
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override;
  Reads reads() const override { return Reads::input; }

 private:
  bool counts(std::size_t side, std::size_t cell) const;

  Grid<D> grid_;
  Options options_;
  std::vector<std::unique_ptr<const SideAccess<D>>> access_;  // by side
};

inline constexpr double kMostDraft = 0.5236;     ///< 30 degrees, rad
inline constexpr double kMostOverhang = 1.2218;  ///< 70 degrees, rad

/// Leaves out what would be printed on nothing. Layer by layer from the base plate a cell is no fuller than
/// the fullest one that can carry it (Langelaar 2016, 2017; any direction and angle as fronts, van de Ven et
/// al. 2018):
///   out(x) = min(in(x), max { out(y) : y in the layer below, within the angle of overhang }).
/// The lowest layer lies on the plate; keeps are there whatever carries them, and carry. Read as AccessMap.
template <int D>
class PrintMap final : public LayoutMap {
 public:
  /// @param up where layers grow to, of length one.
  /// @param overhang largest angle between a wall that faces down and the vertical, rad; above 0, up to
  ///   kMostOverhang.
  /// @param keep not zero for the cells that are there whatever carries them; empty for none.
  PrintMap(const Grid<D>& grid, const Point<D>& up, double overhang, std::vector<std::uint8_t> keep = {});
  ~PrintMap() override;

  void forward(std::span<const double> in, std::span<double> out) const override;
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override;
  Reads reads() const override { return Reads::input; }

 private:
  std::unique_ptr<const Sweep<D>> sweep_;
  std::vector<std::uint8_t> free_;  // cells that nothing needs to carry
};

}  // namespace barelattice
