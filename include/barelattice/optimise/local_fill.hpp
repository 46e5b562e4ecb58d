/// @file
/// How full the surroundings of every place are.
#pragma once

#include <cstdint>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/grid/held_field.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice BARELATTICE_API {

/// The largest share of the designed volume that is filled within a distance of any place (Wu, Aage,
/// Westermann & Sigmund 2018), as a mean of high power, which has derivatives:
///   g = (1 / (f V) sum_i v_i s_i^p)^(1/p),   s_i = sum_j v_j rho_j / sum_j v_j  over cells j near i
/// with p = 64 and f = 0.03. Near is what lies within the distance along each axis: those sums cost a few
/// operations a cell whatever the distance. If the share f of all cells is as full as the fullest, g is what
/// that is; if it is more or less, g is off by (that share / f)^(1/p): 4 % more at ten times f, 4 % less at a
/// tenth. Keeps do not count, nor do places with less than a quarter of the volume round them to design.
template <int D>
class LocalFill final : public Response {
 public:
  /// @param fill share of each cell that exists. @param keep not zero for the cells that stay solid.
  /// @param within m, one cell or more.
  LocalFill(const Grid<D>& grid, const std::vector<double>& fill, const std::vector<std::uint8_t>& keep,
            double within);

  std::vector<std::string> names(const Analysis& /*analysis*/) const override { return {"local_share"}; }
  std::vector<double> values(const Analysed& at) const override { return {value(at.states.density)}; }
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override;
  bool ofDensityAlone() const override { return true; }

  double value(std::span<const double> density) const;
  /// s_i, by cell; 0 where too little is designed.
  std::vector<double> shares(std::span<const double> density) const;

 private:
  std::vector<double> around(const std::vector<double>& field) const;

  Grid<D> grid_;
  std::vector<double> volume_;  // designed, of each cell
  std::vector<double> near_;    // the same within the distance; 0 where it is too little
  int reach_;                   // cells
  double total_;                // f V
};

}  // namespace barelattice
