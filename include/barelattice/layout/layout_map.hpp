/// @file
/// The chain of maps from design variables to physical density.
#pragma once

#include <memory>
#include <span>
#include <vector>

namespace barelattice {

/// One step from variables towards densities; all fields have one entry per cell of the grid, from 0 to 1.
/// Maps remember nothing from call to call, and may be called from several threads.
class LayoutMap {
 public:
  virtual ~LayoutMap() = default;
  virtual void forward(std::span<const double> in, std::span<double> out) const = 0;
  /// The exact transpose of the derivative at `in`: from d/d(out) to d/d(in).
  /// @param out what forward made of `in`.
  virtual void backward(std::span<const double> in, std::span<const double> out,
                        std::span<const double> gradientOut, std::span<double> gradientIn) const = 0;
};

/// Maps one after another. Keeps the fields between them for the way back.
class LayoutChain {
 public:
  void append(std::shared_ptr<const LayoutMap> map) { maps_.push_back(std::move(map)); }

  /// Density from design variables.
  const std::vector<double>& forward(std::span<const double> variables);

  /// What the last forward returned.
  const std::vector<double>& result() const { return fields_.back(); }

  /// Derivative by the design variables from the derivative by the density, at the last forward's variables.
  std::vector<double> backward(std::span<const double> gradient) const;

 private:
  std::vector<std::shared_ptr<const LayoutMap>> maps_;
  std::vector<std::vector<double>> fields_;  // the input of each map, and the density
};

}  // namespace barelattice
