// Tables of things with names. Internal to the room.
#pragma once

#include <algorithm>
#include <string>
#include <vector>

#include "table_reader.hpp"

namespace barelattice {

inline constexpr double kNotGiven = -1;  // of a length that is never negative

template <class Entry>
std::vector<std::string> namesOf(const std::vector<Entry>& entries) {
  std::vector<std::string> names;
  for (const Entry& entry : entries) names.push_back(entry.name);
  return names;
}

inline std::size_t numberOf(const std::string& name, const std::vector<std::string>& names) {
  return static_cast<std::size_t>(std::find(names.begin(), names.end(), name) - names.begin());
}

/// The keys of a table as they stand in the text.
inline std::vector<std::string> inOrder(const toml::table& table) {
  std::vector<std::string> names;
  for (const auto& [name, node] : table) names.emplace_back(name.str());
  std::stable_sort(names.begin(), names.end(), [&](const std::string& a, const std::string& b) {
    return TableReader::placeOf(*table.get(a)).line < TableReader::placeOf(*table.get(b)).line;
  });
  return names;
}

/// Calls read(reader, name) for every table inside the table `key`, in the order of the file.
template <class Read>
void forEachNamed(TableReader& top, const std::string& key, const std::string& cure, const Read& read) {
  TableReader group = top.table(top.need(key, cure), key);
  const std::vector<std::string> names = inOrder(group.raw());
  if (names.empty()) group.fail("is empty", cure);
  for (const std::string& name : names) {
    group.checkName(name);
    TableReader reader = group.table(*group.raw().get(name), name);
    read(reader, name);
    reader.finish();
  }
}

/// The same, of a table that need not be there.
template <class Read>
void forEachNamedIfThere(TableReader& top, const std::string& key, const std::string& cure,
                         const Read& read) {
  if (top.has(key)) forEachNamed(top, key, cure, read);
}

}  // namespace barelattice
