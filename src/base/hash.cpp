#include "barelattice/base/hash.hpp"

#include <fmt/format.h>

#include <cstdint>

namespace barelattice {

std::string hashOf(std::string_view text) {
  std::uint64_t hash = 14695981039346656037U;
  for (const char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211U;
  return fmt::format("{:016x}", hash);
}

}  // namespace barelattice
