/// @file
/// Answers of the CAD reader's process, written as text.
#pragma once

#include <nlohmann/json.hpp>
#include <string>

namespace barelattice {

/// What barelattice-cad would write of a tree given as JSON.
inline std::string cadAnswer(const std::string& json) {
  std::string bytes;
  nlohmann::json::to_cbor(nlohmann::json::parse(json), bytes);
  return bytes;
}

}  // namespace barelattice
