#include "markup.hpp"

namespace barelattice {

std::string escaped(std::string_view text) {
  std::string safe;
  for (const char c : text) switch (c) {
      case '<':
        safe += "&lt;";
        break;
      case '>':
        safe += "&gt;";
        break;
      case '&':
        safe += "&amp;";
        break;
      case '"':
        safe += "&quot;";
        break;
      default:
        safe += static_cast<unsigned char>(c) < 0x20 && c != '\t' && c != '\n' && c != '\r' ? ' ' : c;
    }
  return safe;
}

}  // namespace barelattice
