#include "barelattice/base/hash.hpp"

#include <fmt/format.h>

#include <cstdint>
#include <fstream>
#include <vector>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

constexpr std::uint64_t kStart = 14695981039346656037U;

std::uint64_t hashed(std::uint64_t hash, std::string_view text) {
  for (const char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211U;
  return hash;
}

std::string text(std::uint64_t hash) {
  return fmt::format("{:016x}", hash);
}

}  // namespace

std::string hashOf(std::string_view bytes) {
  return text(hashed(kStart, bytes));
}

std::string hashOfFile(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::vector<char> buffer(1 << 20);
  std::uint64_t hash = kStart;
  while (in) {
    in.read(buffer.data(), static_cast<std::streamsize>(buffer.size()));
    hash = hashed(hash, {buffer.data(), static_cast<std::size_t>(in.gcount())});
  }
  if (!in.eof()) throw InputError(path.string() + " cannot be read to its end");
  return text(hash);
}

}  // namespace barelattice
