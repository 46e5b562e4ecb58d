/// @file
/// Briefs that travel inside the library.
#pragma once

#include <string_view>

#include "barelattice/base/api.hpp"

namespace barelattice BARELATTICE_API {

/// A commented first brief to change and build on.
std::string_view firstBrief();

/// The sculling rigger, the main demo.
std::string_view riggerBrief();

}  // namespace barelattice
