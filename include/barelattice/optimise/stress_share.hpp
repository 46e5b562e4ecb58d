/// @file
/// How much of its strength a layout uses.
#pragma once

#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/grid/grid.hpp"
#include "barelattice/optimise/response.hpp"

namespace barelattice BARELATTICE_API {

/// Which stress is held against a bound.
enum class StressKind {
  vonMises,
  tension,      ///< the largest principal stress, where it pulls
  compression,  ///< the size of the smallest principal stress, where it pushes
};

/// What stresses are held against, cell by cell.
struct StressLimits {
  std::vector<double> modulus;   ///< of the solid material, Pa
  std::vector<double> strength;  ///< Pa, above zero
  std::vector<double> volume;    ///< of each cell, in any unit; 0 where stress is not looked at
  double poisson = 0;            ///< as the elements have it, see sheetMaterial
  double across = 0;  ///< sheets: stress across over the sum of those within, Poisson's ratio in plane strain
  StressKind kind = StressKind::vonMises;
  std::string name = "strength_used";  ///< heads the columns: "strength_used_in_push"
};

/// The share of its strength that a layout uses where it uses most of it, in each case, as a mean of high
/// power, which has derivatives (Le, Norato, Bruns, Ha & Tortorelli 2010):
///   g = (1 / (f V) sum_i v_i s_i^p)^(1/p),   s_i = rho_i^q sigma_i / strength_i
/// with p = 12, q = 3/2 and f = 0.01. sigma is the root mean square over the cell of the von Mises stress in
/// the solid material at the cell's strain, or a principal stress at its centre (n^T S n for the direction n
/// of it, whose derivative is that at n held fast). Stiffness falls with rho^3: where a half-full cell has to
/// carry a force, its share grows by rho^(q-3) as it gets lighter; where it is strained by what is around it,
/// it falls by rho^q, so that cells can become empty (Bruggi 2008). In between neither is favoured; with less
/// relaxation light cells beside members, which are strained a lot, hide what members bear. If the share f of
/// all that is looked at is as stressed as the most stressed, g is what that is; a tenth of it makes g 17 %
/// less. What a peak on the finished surface is over g, a proof tells. One adjoint solve for each derivative.
template <int D>
class StressShare final : public Response {
 public:
  /// @throws InputError unless there is one of each for every cell, and a volume to look at.
  StressShare(const Grid<D>& grid, StressLimits limits);

  std::vector<std::string> names(const Analysis& analysis) const override;
  std::vector<double> values(const Analysed& at) const override;
  void gradient(const Analysed& at, std::size_t which, std::span<double> gradient) const override;
  bool heldByCompliance() const override { return true; }
  bool ledByStiffness() const override { return true; }
  /// Rounding off corners helps; that it halves the stress of the full domain is not to be expected.
  double mostGain(const Analysis& analysis, std::size_t which) const override {
    constexpr double kHalf = 2;
    return analysis.loadFollowsLayout(which) ? std::numeric_limits<double>::infinity() : kHalf;
  }
  std::optional<AdjointLoad> adjointLoad(const Analysed& at, std::size_t which) const override;
  void gradientFrom(const Analysed& at, std::size_t which, std::span<const double> adjoint,
                    std::span<double> gradient) const override;

  /// s_i by cell, 0 where it is not looked at or, of a principal stress, where there is none of its sign.
  std::vector<double> shares(std::span<const double> density, std::span<const double> displacement) const;

 private:
  double meanOf(const std::vector<double>& shares) const;
  double byShare(double share, double mean, std::size_t cell) const;

  Grid<D> grid_;
  StressLimits limits_;
  double total_;  // f V
};

}  // namespace barelattice
