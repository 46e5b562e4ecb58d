#include "barelattice/base/file.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstdint>
#include <cstring>
#include <fstream>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

constexpr std::string_view kAlphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

}  // namespace

void writeFile(const std::filesystem::path& path, std::string_view content) {
  writeFile(path, std::span(&content, 1));
}

void writeFile(const std::filesystem::path& path, std::span<const std::string_view> pieces) {
  std::filesystem::path part = path;
  part += fmt::format(".{}.part", ::getpid());
  errno = 0;
  std::ofstream out(part, std::ios::binary);
  for (const std::string_view piece : pieces)
    out.write(piece.data(), static_cast<std::streamsize>(piece.size()));
  out.close();
  std::error_code fault;
  if (out) std::filesystem::rename(part, path, fault);
  if (!out || fault) {
    const std::string cause = fault ? fault.message() : std::strerror(errno);
    std::error_code ignored;
    std::filesystem::remove(part, ignored);
    throw RunError(fmt::format("cannot write {}: {}", path.string(), cause));
  }
}

std::string readFile(const std::filesystem::path& path, std::uintmax_t most) {
  const auto fail = [&](const std::string& cause, const char* cure = "") {
    throw InputError(fmt::format("cannot read {}: {}", path.string(), cause), cure);
  };
  // Looked at before it is opened: to open a pipe waits for its writer, and a device would never end.
  std::error_code fault;
  const std::filesystem::file_status status = std::filesystem::status(path, fault);
  if (!std::filesystem::exists(status)) fail(fault ? fault.message() : "there is no such file");
  if (std::filesystem::is_directory(status)) fail("it is a folder");
  if (!std::filesystem::is_regular_file(status)) fail("it is not a file");
  const std::uintmax_t size = std::filesystem::file_size(path, fault);
  if (fault) fail(fault.message());
  if (size > most)
    fail(fmt::format("it has {:.4g} MB, more than the {:.4g} MB that are read",
                     static_cast<double>(size) / 1e6, static_cast<double>(most) / 1e6));
  errno = 0;
  std::ifstream in(path, std::ios::binary);
  std::string content(static_cast<std::size_t>(size), '\0');
  in.read(content.data(), static_cast<std::streamsize>(size));
  if (!in) fail(errno ? std::strerror(errno) : "it ended early");
  return content;
}

std::string toBase64(std::string_view bytes) {
  std::string text;
  text.reserve((bytes.size() + 2) / 3 * 4);
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    const std::size_t have = std::min<std::size_t>(3, bytes.size() - i);
    std::uint32_t group = 0;
    for (std::size_t k = 0; k < 3; ++k)
      group = group << 8 | (k < have ? static_cast<unsigned char>(bytes[i + k]) : 0U);
    for (std::size_t k = 0; k < 4; ++k) text += k <= have ? kAlphabet[group >> (18 - 6 * k) & 63U] : '=';
  }
  return text;
}

std::string fromBase64(std::string_view text) {
  std::string bytes;
  bytes.reserve(text.size() / 4 * 3);
  std::uint32_t group = 0;
  std::size_t have = 0;
  std::size_t padding = 0;
  for (const char c : text) {
    if (c == ' ' || c == '\n' || c == '\r' || c == '\t') continue;
    const std::size_t value = c == '=' ? 0 : kAlphabet.find(c);
    if (value == std::string_view::npos || (padding && c != '='))
      throw InputError("the base64 text is damaged");
    padding += c == '=';
    group = group << 6 | static_cast<std::uint32_t>(value);
    if (++have % 4) continue;
    if (padding > 2) throw InputError("the base64 text is damaged");
    for (std::size_t k = 0; k < 3 - padding; ++k) bytes += static_cast<char>(group >> (16 - 8 * k) & 255U);
    group = 0;
  }
  if (have % 4) throw InputError("the base64 text is cut short");
  return bytes;
}

}  // namespace barelattice
