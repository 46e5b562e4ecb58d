#include "text_limits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "barelattice/brief/brief.hpp"

namespace barelattice {
namespace {

/// Goes through TOML text by its lexical rules (TOML 1.0: comments, four kinds of strings).
class KeyScanner {
 public:
  KeyScanner(std::string_view text, const std::filesystem::path& path) : text_(text), path_(path) {}

  void scan() {
    while (at_ < text_.size()) {
      const char c = text_[at_];
      if (c == '#')
        at_ = std::min(text_.find('\n', at_), text_.size());
      else if (c == '"' || c == '\'')
        skipString(c);
      else
        take(c);
    }
  }

 private:
  void take(char c) {
    ++at_;
    if (c == '\n') {
      ++line_;
      parts_ = 0;
    } else if (c == '.') {
      if (++parts_ >= kMostKeyParts)
        throw BriefError(path_, {line_, 1}, fmt::format("a key has more than {} parts", kMostKeyParts),
                         "no key of a brief has more than a few");
    } else if (!std::isalnum(static_cast<unsigned char>(c)) && c != '_' && c != '-' && c != ' ' &&
               c != '\t') {
      parts_ = 0;
    }
  }

  /// Past the closing quotes, or the end of the text or, of a short string, of the line.
  void skipString(char quote) {
    const std::string three(3, quote);
    const bool longOne = text_.substr(at_, 3) == three;
    at_ += longOne ? 3 : 1;
    while (at_ < text_.size()) {
      if (longOne && text_.substr(at_, 3) == three) {
        at_ += 3;
        return;
      }
      const char c = text_[at_];
      if (c == '\n') {
        if (!longOne) return;
        ++line_;
      }
      at_ += quote == '"' && c == '\\' ? 2 : 1;
      if (!longOne && c == quote) return;
    }
  }

  std::string_view text_;
  const std::filesystem::path& path_;
  std::size_t at_ = 0;
  int line_ = 1;
  std::size_t parts_ = 0;  // dots since what cannot stand within a key
};

}  // namespace

void refuseDeepKeys(std::string_view text, const std::filesystem::path& path) {
  if (text.size() > kMostBriefBytes)
    throw BriefError(
        path, {},
        fmt::format("the brief has {:.3g} MB, more than {:.3g}", static_cast<double>(text.size()) / 1e6,
                    static_cast<double>(kMostBriefBytes) / 1e6),
        "shapes of many corners belong in a file of their own: SVG, STEP or STL");
  KeyScanner(text, path).scan();
}

std::string shortened(const std::string& text) {
  constexpr std::size_t kMost = 2000;
  if (text.size() <= kMost) return text;
  std::size_t end = kMost;  // not within a character of UTF-8
  while (end > 0 && (static_cast<unsigned char>(text[end]) & 0xc0U) == 0x80U) --end;
  return text.substr(0, end) + " ...";
}

std::string faultOfName(std::string_view name) {
  if (name.empty()) return "is empty";
  if (name.size() > kMostNameBytes) return fmt::format("is longer than {} bytes", kMostNameBytes);
  const bool control = std::any_of(name.begin(), name.end(),
                                   [](char c) { return std::iscntrl(static_cast<unsigned char>(c)); });
  return control ? "holds a control character" : "";
}

}  // namespace barelattice
