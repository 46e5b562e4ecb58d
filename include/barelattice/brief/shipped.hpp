/// @file
/// Briefs that travel inside the library.
#pragma once

#include <string_view>

namespace barelattice {

/// A commented first brief to change and build on.
std::string_view firstBrief();

/// The sculling rigger, the main demo.
std::string_view riggerBrief();

}  // namespace barelattice
