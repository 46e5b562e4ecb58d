#include "three_mf_limits.hpp"

#include <fmt/format.h>
#include <zip.h>

#include <algorithm>
#include <charconv>
#include <map>
#include <memory>
#include <string_view>
#include <vector>

#include "barelattice/base/error.hpp"

namespace barelattice {
namespace {

constexpr std::uint64_t kMostBytes = 400'000'000;  // unpacked: about five million triangles
constexpr double kMostTriangles = 2e7;             // once all components are in their places
constexpr int kMostDepth = 50;                     // of components within components

struct Closing {
  void operator()(zip_t* archive) const { zip_discard(archive); }
  void operator()(zip_file_t* file) const { zip_fclose(file); }
};

/// Counts what the objects of a model hold, tag by tag. An object can only be made of those before it (3MF
/// core specification 1.2.3, section 4.2), so that one pass is enough.
class ObjectCounter {
 public:
  explicit ObjectCounter(const std::filesystem::path& path) : path_(path) {}

  /// Takes the next block of the text.
  void take(std::string_view block) {
    rest_ += block;
    std::size_t at = 0;
    while (true) {
      const std::size_t open = rest_.find('<', at);
      if (open == std::string::npos) {
        rest_.clear();
        return;
      }
      const std::size_t close = rest_.find('>', open);
      if (close == std::string::npos) {
        rest_.erase(0, open);
        if (rest_.size() > kMostTag) rest_.clear();  // no tag that counts is as long
        return;
      }
      count(std::string_view(rest_).substr(open + 1, close - open - 1));
      at = close + 1;
    }
  }

 private:
  static constexpr std::size_t kMostTag = 100'000;
  struct Size {
    double triangles = 0;
    int depth = 0;
  };

  static std::string_view nameOf(std::string_view tag) {
    const std::string_view name = tag.substr(0, tag.find_first_of(" \t\r\n/"));
    const std::size_t prefix = name.find(':');
    return prefix == std::string_view::npos ? name : name.substr(prefix + 1);
  }

  /// The whole number an attribute holds, or -1.
  static long numberOf(std::string_view tag, std::string_view attribute) {
    for (std::size_t at = tag.find(attribute); at != std::string_view::npos;
         at = tag.find(attribute, at + 1)) {
      if (at == 0 || std::string_view(" \t\r\n").find(tag[at - 1]) == std::string_view::npos) continue;
      const std::size_t digits = tag.find_first_of("0123456789", at + attribute.size());
      if (digits == std::string_view::npos) return -1;
      long value = -1;
      std::from_chars(tag.data() + digits, tag.data() + tag.size(), value);
      return value;
    }
    return -1;
  }

  void count(std::string_view tag) {
    const std::string_view name = nameOf(tag);
    if (name == "object") {
      own_ = &sizes_[numberOf(tag, "id")];
    } else if (name == "triangle" && own_) {
      ++own_->triangles;
    } else if (name == "component" && own_) {
      const Size part = sizes_[numberOf(tag, "objectid")];
      own_->triangles += std::max(part.triangles, 1.0);
      own_->depth = std::max(own_->depth, part.depth + 1);
    } else {
      return;
    }
    if (own_->triangles > kMostTriangles)
      throw InputError(
          fmt::format("{}: its components make more than {:.0e} triangles", path_.string(), kMostTriangles),
          "export the part alone; copies of it are made with 'repeat'");
    if (own_->depth > kMostDepth)
      throw InputError(fmt::format("{}: components are nested deeper than {}", path_.string(), kMostDepth),
                       "export the part as one mesh");
  }

  const std::filesystem::path& path_;
  std::string rest_;
  std::map<long, Size> sizes_;
  Size* own_ = nullptr;
};

}  // namespace

void refuseEndless3mf(const std::string& bytes, const std::filesystem::path& path) {
  const auto broken = [&] {
    return InputError(path.string() + " is not a whole 3MF file: its archive is damaged");
  };
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* source = zip_source_buffer_create(bytes.data(), bytes.size(), 0, &error);
  const std::unique_ptr<zip_t, Closing> archive(source ? zip_open_from_source(source, ZIP_RDONLY, &error)
                                                       : nullptr);
  zip_error_fini(&error);
  if (!archive) {
    zip_source_free(source);
    throw broken();
  }
  std::uint64_t unpacked = 0;
  std::vector<char> block(1 << 18);
  for (zip_int64_t i = 0; i < zip_get_num_entries(archive.get(), 0); ++i) {
    const auto entry = static_cast<zip_uint64_t>(i);
    const std::unique_ptr<zip_file_t, Closing> file(zip_fopen_index(archive.get(), entry, 0));
    if (!file) throw broken();
    ObjectCounter counter(path);
    // By what comes out, not by the size that is stated.
    for (zip_int64_t got = 0; (got = zip_fread(file.get(), block.data(), block.size())) > 0;) {
      unpacked += static_cast<std::uint64_t>(got);
      if (unpacked > kMostBytes)
        throw InputError(fmt::format("{} unpacks to more than {:.3g} MB", path.string(), kMostBytes / 1e6),
                         "export it with coarser triangles");
      counter.take({block.data(), static_cast<std::size_t>(got)});
    }
  }
}

}  // namespace barelattice
