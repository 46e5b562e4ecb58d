#include "barelattice/optimise/local_fill.hpp"

#include <algorithm>
#include <cmath>

#include "barelattice/optimise/layout_problem.hpp"
#include "base/check.hpp"
#include "base/parallel.hpp"

namespace barelattice {
namespace {

constexpr double kPower = 64;
constexpr double kFull = 0.03;  // share of the volume that may be as full as the fullest place

}  // namespace

// With s = N^-1 K rho, K the sum over cells near each other weighted by their volumes, N that of ones, and
// u = sum v_i s_i^p / (f V), g = u^(1/p):
//
//   dg/ds_i = u^(1/p - 1) v_i s_i^(p-1) / (f V) = v_i (s_i / g)^(p-1) / (f V)     (1)
//   dg/drho_j = v_j sum_{i near j} (dg/ds_i) / N_i                                (2)
//
// since being near is mutual. (1) is formed from s / g, which is about one where it matters, so that no power
// overflows.

template <int D>
LocalFill<D>::LocalFill(const Grid<D>& grid, const std::vector<double>& fill,
                        const std::vector<std::uint8_t>& keep, double within)
    : grid_(grid), volume_(fill) {
  requireCount("fill", fill.size(), grid.cellCount(), "cells");
  requireCountOrNone("keep", keep.size(), grid.cellCount(), "cells");
  requirePositive("within", within);
  for (std::size_t c = 0; c < keep.size(); ++c)
    if (keep[c]) volume_[c] = 0;
  reach_ = static_cast<int>(std::lround(within / grid.frame().size));
  if (reach_ < 1)
    throw InputError(fmt::format("within is {}, less than a cell of {}", within, grid.frame().size),
                     "look further, or take smaller cells");
  constexpr double kLeast = 0.25;
  near_ = around(volume_);
  const double whole = std::pow(2 * reach_ + 1, D);
  double sum = 0;
  for (std::size_t c = 0; c < near_.size(); ++c) {
    if (near_[c] < kLeast * whole || volume_[c] == 0) near_[c] = 0;
    if (near_[c] > 0) sum += volume_[c];
  }
  if (!(sum > 0)) throw InputError("nowhere is there enough to design within that distance", "look less far");
  total_ = kFull * sum;
}

/// The sums over all cells that lie within the reach along each axis: one axis after the other.
template <int D>
std::vector<double> LocalFill<D>::around(const std::vector<double>& field) const {
  const GridFrame<D>& frame = grid_.frame();
  std::vector<double> box(frame.boxCells(), 0.0);
  forEach(field.size(), [&](std::size_t c) { box[frame.linear(grid_.cellIndex(c))] = field[c]; });
  std::size_t stride = 1;
  for (std::size_t axis = 0; axis < D; ++axis) {
    const auto n = static_cast<std::size_t>(frame.cells[axis]);
    const auto reach = static_cast<std::size_t>(reach_);
    const std::size_t lines = box.size() / n;
    forEach(
        lines,
        [&](std::size_t line) {
          double* first = box.data() + line / stride * stride * n + line % stride;
          std::vector<double> sums(n + 1, 0.0);  // from the beginning of the line
          for (std::size_t i = 0; i < n; ++i) sums[i + 1] = sums[i] + first[i * stride];
          for (std::size_t i = 0; i < n; ++i)
            first[i * stride] = sums[std::min(n, i + reach + 1)] - sums[i > reach ? i - reach : 0];
        },
        std::max<std::size_t>(1, kBlockSize / n));
    stride *= n;
  }
  std::vector<double> result(field.size());
  forEach(field.size(), [&](std::size_t c) { result[c] = box[frame.linear(grid_.cellIndex(c))]; });
  return result;
}

template <int D>
std::vector<double> LocalFill<D>::shares(std::span<const double> density) const {
  requireCount("density", density.size(), volume_.size(), "cells");
  std::vector<double> filled(density.size());
  forEach(filled.size(), [&](std::size_t c) { filled[c] = volume_[c] * density[c]; });
  std::vector<double> result = around(filled);
  forEach(result.size(), [&](std::size_t c) { result[c] = near_[c] > 0 ? result[c] / near_[c] : 0; });
  return result;
}

template <int D>
double LocalFill<D>::value(std::span<const double> density) const {
  const std::vector<double> s = shares(density);
  const double most = *std::max_element(s.begin(), s.end());
  if (most <= 0) return 0;
  const double sum = sumBlocks(s.size(), [&](std::size_t begin, std::size_t end) {
    double part = 0;
    for (std::size_t c = begin; c < end; ++c)
      part += volume_[c] * std::pow(std::max(0.0, s[c] / most), kPower);
    return part;
  });
  return most * std::pow(sum / total_, 1 / kPower);
}

template <int D>
void LocalFill<D>::gradient(const Analysed& at, std::size_t /*which*/, std::span<double> gradient) const {
  requireCount("gradient", gradient.size(), volume_.size(), "cells");
  const std::vector<double> s = shares(at.states.density);
  const double g = value(at.states.density);
  std::vector<double> byShare(s.size(), 0.0);  // (1), over N
  if (g > 0)
    forEach(s.size(), [&](std::size_t c) {
      if (near_[c] > 0)
        byShare[c] = volume_[c] * std::pow(std::max(0.0, s[c] / g), kPower - 1) / (total_ * near_[c]);
    });
  const std::vector<double> sums = around(byShare);
  forEach(s.size(), [&](std::size_t c) { gradient[c] = volume_[c] * sums[c]; });  // (2)
}

template <int D>
std::vector<Limit> limitsOf(const LayoutProblem<D>& problem) {
  std::vector<Limit> limits = problem.limits;
  for (const MakingRule& rule : problem.making) {
    const auto* share = std::get_if<LocalShare>(&rule);
    if (!share) continue;
    if (!(share->most > 0 && share->most < 1))
      throw InputError(fmt::format("the most a local share may be is {}", share->most),
                       "give above 0, below 1");
    limits.push_back({std::make_shared<LocalFill<D>>(problem.grid, problem.fill, problem.keep, share->within),
                      0, LimitSense::atMost, share->most});
  }
  return limits;
}

template class LocalFill<2>;
template class LocalFill<3>;
template BARELATTICE_API std::vector<Limit> limitsOf<2>(const LayoutProblem<2>&);
template BARELATTICE_API std::vector<Limit> limitsOf<3>(const LayoutProblem<3>&);

}  // namespace barelattice
