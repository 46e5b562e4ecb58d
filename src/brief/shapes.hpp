// Reading the table of shapes. Internal to the room.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "table_reader.hpp"

namespace barelattice {

/// Builds every shape of the table, in the order of the file. Shapes refer to each other by name, in any
/// order.
/// @param folder file names are relative to.
/// @param[out] notes receives what was mended in files.
/// @param sheet when given, shapes are regions of the x-y plane, sampled over the sheet's thickness.
/// @throws BriefError for the first shape that cannot be built.
std::vector<BriefShape> buildShapes(const TableReader& shapes, const std::optional<BriefSheet>& sheet,
                                    const std::filesystem::path& folder, std::vector<std::string>& notes,
                                    std::vector<std::filesystem::path>& files);

}  // namespace barelattice
