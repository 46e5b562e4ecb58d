/// @file
/// Data arrays of VTK XML files as inline base64 with 64-bit sizes.
#pragma once

#include <fmt/format.h>

#include <cstring>
#include <span>
#include <string>
#include <vector>

#include "barelattice/base/error.hpp"
#include "barelattice/base/file.hpp"

namespace barelattice {

/// The text of a data array.
template <class T>
std::string encodeVtk(std::span<const T> values) {
  const std::uint64_t bytes = values.size_bytes();
  std::string raw(sizeof bytes + bytes, '\0');
  std::memcpy(raw.data(), &bytes, sizeof bytes);
  if (bytes) std::memcpy(raw.data() + sizeof bytes, values.data(), bytes);
  return toBase64(raw);
}

/// The values of a data array.
/// @throws InputError unless it holds exactly `count` of them.
template <class T>
std::vector<T> decodeVtk(std::string_view text, std::size_t count) {
  const std::string raw = fromBase64(text);
  std::uint64_t bytes = 0;
  if (raw.size() < sizeof bytes) throw InputError("a data array is empty");
  std::memcpy(&bytes, raw.data(), sizeof bytes);
  if (bytes != count * sizeof(T) || raw.size() != sizeof bytes + bytes)
    throw InputError(fmt::format("a data array holds {} bytes where {} are due", raw.size() - sizeof bytes,
                                 count * sizeof(T)));
  std::vector<T> values(count);
  if (bytes) std::memcpy(values.data(), raw.data() + sizeof bytes, bytes);
  return values;
}

}  // namespace barelattice
