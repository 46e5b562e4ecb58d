/// @file
/// The chain of maps from design variables to physical density.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// One step from variables towards densities; all fields have one entry per cell of the grid, from 0 to 1.
/// Maps remember nothing from call to call, and may be called from several threads.
class LayoutMap {
 public:
  /// Which fields its derivative depends on: of a linear map, none.
  enum class Reads { nothing, input, both };

  virtual ~LayoutMap() = default;
  virtual void forward(std::span<const double> in, std::span<double> out) const = 0;
  /// The exact transpose of the derivative at `in`: from d/d(out) to d/d(in).
  /// @param in and out, what forward made of it, may be empty where `reads` says that they do not matter.
  virtual void backward(std::span<const double> in, std::span<const double> out,
                        std::span<const double> gradientOut, std::span<double> gradientIn) const = 0;
  virtual Reads reads() const { return Reads::both; }
};

/// Maps one after another. It keeps no field: what the way back needs between maps is made again.
class LayoutChain {
 public:
  /// @throws InputError for none.
  void append(std::shared_ptr<const LayoutMap> map);

  std::vector<double> forward(std::span<const double> in) const;

  /// Derivative by the input from that by the output.
  /// @param in where it is taken; may be empty if the chain does not read it.
  std::vector<double> backward(std::span<const double> in, std::span<const double> gradient) const;

  /// Whether the way back depends on where it is taken.
  bool readsInput() const;

 private:
  std::vector<std::vector<double>> between(std::span<const double> in) const;

  std::vector<std::shared_ptr<const LayoutMap>> maps_;
};

}  // namespace barelattice
