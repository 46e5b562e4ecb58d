#include "plain_numbers.hpp"

#include <charconv>
#include <limits>

namespace barelattice {

LeadingNumber leadingNumber(std::string_view text) {
  const std::size_t sign = !text.empty() && text.front() == '+' ? 1 : 0;
  double value = 0;
  const auto [end, fault] = std::from_chars(text.data() + sign, text.data() + text.size(), value);
  const auto length = static_cast<std::size_t>(end - text.data());
  if (fault == std::errc::invalid_argument || (sign && text.size() > 1 && text[1] == '-')) return {};
  if (fault == std::errc::result_out_of_range) {
    // Too small or too large: the exponent's sign tells, or, without one, that there are very many digits.
    const std::string_view number = text.substr(0, length);
    const std::size_t exponent = number.find_first_of("eE");
    const bool small = exponent == std::string_view::npos
                           ? number.find('.') <= sign + 2
                           : number.substr(exponent).find('-') != std::string_view::npos;
    value = small ? 0 : std::numeric_limits<double>::infinity();
    if (number.front() == '-') value = -value;
  }
  return {value, length};
}

std::optional<double> numberFrom(std::string_view word) {
  const LeadingNumber number = leadingNumber(word);
  if (number.length == 0 || number.length != word.size()) return std::nullopt;
  return number.value;
}

PlainNumbers::PlainNumbers() : plain_(newlocale(LC_ALL_MASK, "C", nullptr)), before_(uselocale(plain_)) {}

PlainNumbers::~PlainNumbers() {
  uselocale(before_);
  freelocale(plain_);
}

}  // namespace barelattice
