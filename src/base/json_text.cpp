#include "base/json_text.hpp"

namespace barelattice {

std::string jsonText(const nlohmann::json& tree, int indent) {
  return tree.dump(indent, ' ', false, nlohmann::json::error_handler_t::replace);
}

}  // namespace barelattice
