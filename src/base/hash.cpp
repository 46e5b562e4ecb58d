#include "barelattice/base/hash.hpp"

#include <fmt/format.h>

#include <fstream>
#include <vector>

#include "barelattice/base/error.hpp"

namespace barelattice {

void Hasher::add(std::string_view bytes) {
  for (const char c : bytes) hash_ = (hash_ ^ static_cast<unsigned char>(c)) * 1099511628211U;
}

std::string Hasher::text() const {
  return fmt::format("{:016x}", hash_);
}

std::string hashOf(std::string_view bytes) {
  Hasher hasher;
  hasher.add(bytes);
  return hasher.text();
}

std::string hashOfFile(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::vector<char> buffer(1 << 20);
  Hasher hasher;
  while (in) {
    in.read(buffer.data(), static_cast<std::streamsize>(buffer.size()));
    hasher.add({buffer.data(), static_cast<std::size_t>(in.gcount())});
  }
  if (!in.eof()) throw InputError(path.string() + " cannot be read to its end");
  return hasher.text();
}

}  // namespace barelattice
