/// @file
/// A short fingerprint of text.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <string_view>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// The same hash as `hashOf`, of bytes that come piece by piece.
class Hasher {
 public:
  void add(std::string_view bytes);
  std::string text() const;

 private:
  std::uint64_t hash_ = 14695981039346656037U;
};

/// FNV-1a over the bytes, 64 bits as 16 hexadecimal digits: small, fast, the same everywhere. Not for
/// secrets.
std::string hashOf(std::string_view bytes);

/// The same of a file's bytes, whatever its size. @throws InputError if it cannot be read to its end.
std::string hashOfFile(const std::filesystem::path& path);

}  // namespace barelattice
