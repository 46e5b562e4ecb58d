/// @file
/// Numbers as files have them, with a point, whatever language the program around the library speaks.
#pragma once

#include <locale.h>  // NOLINT(modernize-deprecated-headers): newlocale is POSIX, and not of <clocale>

#include <locale>
#include <optional>
#include <sstream>
#include <string>
#include <string_view>

namespace barelattice {

/// A stream that reads numbers with a point, whatever std::locale::global says.
inline std::istringstream plainStream(std::string text) {
  std::istringstream stream(std::move(text));
  stream.imbue(std::locale::classic());
  return stream;
}

/// A word as a number; nothing unless all of it is one. "inf" and "nan" are; what is too small is zero, what
/// is too large infinite.
std::optional<double> numberFrom(std::string_view word);

/// What a text begins with, as a number, and how much of it that is; 0 if it begins with none.
struct LeadingNumber {
  double value = 0;
  std::size_t length = 0;
};
LeadingNumber leadingNumber(std::string_view text);

/// While it lives C functions of other libraries read and write numbers with a point, in this thread only.
class PlainNumbers {
 public:
  PlainNumbers();
  ~PlainNumbers();
  PlainNumbers(const PlainNumbers&) = delete;
  PlainNumbers& operator=(const PlainNumbers&) = delete;

 private:
  locale_t plain_;
  locale_t before_;
};

}  // namespace barelattice
