/// @file
/// Maps that work cell by cell.
#pragma once

#include <cstdint>
#include <vector>

#include "barelattice/base/api.hpp"
#include "barelattice/layout/layout_map.hpp"

namespace barelattice BARELATTICE_API {

/// Pushes densities towards 0 and 1 by a smooth step (Wang, Lazarov & Sigmund 2011):
///   out = (tanh(b t) + tanh(b (in - t))) / (tanh(b t) + tanh(b (1 - t))).
class Projection final : public LayoutMap {
 public:
  /// @param sharpness b, above zero: about 1 is nearly linear, 32 nearly a step.
  /// @param threshold t, between 0 and 1.
  explicit Projection(double sharpness, double threshold = 0.5);
  void forward(std::span<const double> in, std::span<double> out) const override;
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override;
  Reads reads() const override { return Reads::input; }

 private:
  double sharpness_;
  double threshold_;
  double low_;    // tanh(b t)
  double range_;  // tanh(b t) + tanh(b (1 - t))
};

/// Sets the density of chosen cells to one.
class KeepSolid final : public LayoutMap {
 public:
  /// @param keep not zero for the cells that stay solid.
  explicit KeepSolid(std::vector<std::uint8_t> keep) : keep_(std::move(keep)) {}
  void forward(std::span<const double> in, std::span<double> out) const override;
  void backward(std::span<const double> in, std::span<const double> out, std::span<const double> gradientOut,
                std::span<double> gradientIn) const override;
  Reads reads() const override { return Reads::nothing; }

 private:
  std::vector<std::uint8_t> keep_;
};

}  // namespace barelattice
