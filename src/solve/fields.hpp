/// @file
/// Vectors worked on together.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace barelattice {

/// Vectors of one length, one for each right-hand side worked on in the same pass over the stiffness.
template <class Real>
using Fields = std::vector<std::span<Real>>;

/// The same for reading only.
template <class Real>
Fields<const Real> asConst(const Fields<Real>& fields) {
  return {fields.begin(), fields.end()};
}

/// Room for vectors worked on together, made as soon as so many are.
class FieldStore {
 public:
  explicit FieldStore(std::size_t length = 0) : length_(length) {}
  /// The first `count` vectors; what they hold stays.
  Fields<float> first(std::size_t count) {
    if (vectors_.size() < count) vectors_.resize(count, std::vector<float>(length_));
    return {vectors_.begin(), vectors_.begin() + static_cast<std::ptrdiff_t>(count)};
  }

 private:
  std::size_t length_;
  std::vector<std::vector<float>> vectors_;
};

}  // namespace barelattice
