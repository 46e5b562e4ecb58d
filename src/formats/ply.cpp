#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <sstream>

#include "barelattice/base/error.hpp"
#include "barelattice/base/quantity.hpp"
#include "base/plain_numbers.hpp"
#include "mesh_formats.hpp"

namespace barelattice {
namespace {

static_assert(std::endian::native == std::endian::little, "numbers are copied as they lie in memory");

template <class T>
void append(std::string& bytes, T value) {
  char raw[sizeof(T)];
  std::memcpy(raw, &value, sizeof(T));
  bytes.append(raw, sizeof(T));
}

enum class Type { int8, uint8, int16, uint16, int32, uint32, float32, float64 };

struct Property {
  std::string name;
  Type type = Type::float32;
  bool list = false;
  Type countType = Type::uint8;
};

struct Element {
  std::string name;
  std::size_t count = 0;
  std::vector<Property> properties;
};

enum class Layout { text, little, big };

/// Reads the numbers that follow the header, whatever form they have.
class Numbers {
 public:
  Numbers(const std::string& bytes, std::size_t begin, Layout layout, const std::filesystem::path& path)
      : bytes_(bytes), at_(begin), layout_(layout), path_(path) {}

  double next(Type type) {
    if (layout_ == Layout::text) return nextWord();
    switch (type) {
      case Type::int8:
        return raw<std::int8_t>();
      case Type::uint8:
        return raw<std::uint8_t>();
      case Type::int16:
        return raw<std::int16_t>();
      case Type::uint16:
        return raw<std::uint16_t>();
      case Type::int32:
        return raw<std::int32_t>();
      case Type::uint32:
        return raw<std::uint32_t>();
      case Type::float32:
        return static_cast<double>(raw<float>());
      case Type::float64:
        return raw<double>();
    }
    return 0;
  }

 private:
  [[noreturn]] void cutOff() const { throw InputError(path_.string() + " is cut off"); }

  template <class T>
  T raw() {
    if (bytes_.size() - at_ < sizeof(T)) cutOff();
    std::array<char, sizeof(T)> piece{};
    std::memcpy(piece.data(), bytes_.data() + at_, sizeof(T));
    if (layout_ == Layout::big) std::reverse(piece.begin(), piece.end());
    at_ += sizeof(T);
    T value;
    std::memcpy(&value, piece.data(), sizeof(T));
    return value;
  }

  double nextWord() {
    while (at_ < bytes_.size() && std::isspace(static_cast<unsigned char>(bytes_[at_]))) ++at_;
    const std::size_t begin = at_;
    while (at_ < bytes_.size() && !std::isspace(static_cast<unsigned char>(bytes_[at_]))) ++at_;
    if (begin == at_) cutOff();
    const std::string word = bytes_.substr(begin, at_ - begin);
    if (const std::optional<double> value = numberFrom(word)) return *value;
    throw InputError(fmt::format("{}: what stands at byte {} is not a number", path_.string(), begin));
  }

  const std::string& bytes_;
  std::size_t at_;
  Layout layout_;
  const std::filesystem::path& path_;
};

Type typeNamed(const std::string& name, const std::filesystem::path& path) {
  static const std::vector<std::pair<std::string, Type>> names{
      {"char", Type::int8},      {"int8", Type::int8},       {"uchar", Type::uint8},
      {"uint8", Type::uint8},    {"short", Type::int16},     {"int16", Type::int16},
      {"ushort", Type::uint16},  {"uint16", Type::uint16},   {"int", Type::int32},
      {"int32", Type::int32},    {"uint", Type::uint32},     {"uint32", Type::uint32},
      {"float", Type::float32},  {"float32", Type::float32}, {"double", Type::float64},
      {"float64", Type::float64}};
  for (const auto& [known, type] : names)
    if (known == name) return type;
  throw InputError(path.string() + ": the PLY header names a type that is none of PLY");
}

struct Header {
  Layout layout = Layout::text;
  std::vector<Element> elements;
  std::size_t end = 0;  // of the header in the file
};

Header parseHeader(const std::string& bytes, const std::filesystem::path& path) {
  Header header;
  const std::size_t mark = bytes.find("end_header");
  const std::size_t newline = mark == std::string::npos ? mark : bytes.find('\n', mark);
  if (!bytes.starts_with("ply") || newline == std::string::npos)
    throw InputError(path.string() + " is not a PLY file");
  header.end = newline + 1;
  std::istringstream in = plainStream(bytes.substr(0, mark));
  std::string line;
  bool formatKnown = false;
  for (int number = 1; std::getline(in, line); ++number) {
    std::istringstream words = plainStream(line);
    std::string word;
    words >> word;
    const auto wrong = [&] {
      throw InputError(
          fmt::format("{}:{}: this line of the PLY header cannot be read", path.string(), number));
    };
    if (word == "format") {
      words >> word;
      if (word != "ascii" && word != "binary_little_endian" && word != "binary_big_endian") wrong();
      header.layout = word == "ascii"                  ? Layout::text
                      : word == "binary_little_endian" ? Layout::little
                                                       : Layout::big;
      formatKnown = true;
    } else if (word == "element") {
      Element element;
      if (!(words >> element.name >> element.count)) wrong();
      header.elements.push_back(element);
    } else if (word == "property") {
      Property property;
      std::string type;
      if (header.elements.empty() || !(words >> type)) wrong();
      if (type == "list") {
        std::string count;
        property.list = true;
        if (!(words >> count >> type)) wrong();
        property.countType = typeNamed(count, path);
      }
      property.type = typeNamed(type, path);
      if (!(words >> property.name)) wrong();
      header.elements.back().properties.push_back(property);
    }
  }
  if (!formatKnown) throw InputError(path.string() + ": the PLY header names no format");
  return header;
}

}  // namespace

std::string plyBytes(const TriangleMesh& mesh) {
  std::string bytes = fmt::format(
      "ply\nformat binary_little_endian 1.0\ncomment Bare Lattice solid, millimetres\nelement vertex {}\n"
      "property float x\nproperty float y\nproperty float z\nelement face {}\n"
      "property list uchar int vertex_indices\nend_header\n",
      mesh.vertices.size(), mesh.triangles.size());
  for (const Vec3& v : mesh.vertices)
    for (int i = 0; i < 3; ++i) append(bytes, static_cast<float>(kMillimetresPerMetre * v[i]));
  for (const auto& t : mesh.triangles) {
    append(bytes, std::uint8_t{3});
    for (const int v : t) append(bytes, static_cast<std::int32_t>(v));
  }
  return bytes;
}

TriangleMesh parsePly(const std::string& bytes, const std::filesystem::path& path) {
  const Header header = parseHeader(bytes, path);
  Numbers numbers(bytes, header.end, header.layout, path);
  TriangleMesh mesh;
  std::vector<std::vector<long long>> polygons;
  for (const Element& element : header.elements) {
    if (element.properties.empty()) continue;
    for (std::size_t e = 0; e < element.count; ++e) {
      Vec3 vertex = Vec3::Constant(std::nan(""));
      for (const Property& property : element.properties) {
        if (!property.list) {
          const double value = numbers.next(property.type);
          for (int i = 0; i < 3; ++i)
            if (property.name == std::string(1, static_cast<char>('x' + i))) vertex[i] = value;
          continue;
        }
        const double count = numbers.next(property.countType);
        if (!(count >= 0 && count <= 1e6))
          throw InputError(fmt::format("{}: a list of {} entries", path.string(), count));
        std::vector<long long> corners;
        for (double i = 0; i < count; ++i) {
          const double corner = numbers.next(property.type);
          corners.push_back(std::abs(corner) < 1e15 ? static_cast<long long>(corner) : -1);
        }
        if (element.name == "face" && corners.size() >= 3 &&
            (property.name == "vertex_indices" || property.name == "vertex_index"))
          polygons.push_back(std::move(corners));
      }
      if (element.name != "vertex") continue;
      if (!vertex.allFinite())
        throw InputError(fmt::format("{}: vertex {} has invalid coordinates", path.string(), e));
      mesh.vertices.push_back(vertex);
    }
  }
  for (const std::vector<long long>& polygon : polygons) appendPolygon(mesh, polygon, path);
  return mesh;
}

}  // namespace barelattice
