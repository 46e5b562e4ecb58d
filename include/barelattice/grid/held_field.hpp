/// @file
/// A field that does not change and may be held by many.
#pragma once

#include <memory>
#include <utility>
#include <vector>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// One number per cell. Copies share the numbers: fields of a large job are stored once.
class HeldField {
 public:
  /// Owns the numbers, together with its copies.
  HeldField(std::vector<double> values)  // NOLINT(google-explicit-constructor): fields are given as vectors
      : values_(std::make_shared<const std::vector<double>>(std::move(values))) {}
  /// Looks at numbers that outlive it and all its copies.
  static HeldField lent(std::vector<double>&&) = delete;
  static HeldField lent(const std::vector<double>& values) {
    return HeldField(std::shared_ptr<const std::vector<double>>(std::shared_ptr<void>(), &values));
  }

  const std::vector<double>& operator*() const { return *values_; }
  const std::vector<double>* operator->() const { return values_.get(); }
  double operator[](std::size_t i) const { return (*values_)[i]; }

 private:
  explicit HeldField(std::shared_ptr<const std::vector<double>> values) : values_(std::move(values)) {}
  std::shared_ptr<const std::vector<double>> values_;
};

}  // namespace barelattice
