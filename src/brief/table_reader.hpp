// Reading TOML tables with places in every message. Internal to the room.
#pragma once

#include <toml++/toml.h>

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "barelattice/base/quantity.hpp"
#include "barelattice/brief/brief.hpp"

namespace barelattice {

/// The name among `known` that `name` most likely was meant to be; empty if none is close.
std::string nearestName(std::string_view name, const std::vector<std::string>& known);

/// Names for a message, the first of them if there are many.
std::string listed(const std::vector<std::string>& names);

/// How many coordinates a place of the brief has. Its sheet must be known.
inline std::size_t dimensionsOf(const Brief& brief) {
  return brief.sheet ? 2 : 3;
}

/// What the number under a key may be, and what is taken where the key is not there.
struct Wanted {
  std::string need = {};                 ///< the key has to be there: what to give, for the message
  std::optional<double> otherwise = {};  ///< it may be missing: taken instead
  std::optional<double> above = {};      ///< it has to be larger
  std::optional<double> least = {};      ///< it has to be no smaller
  std::optional<double> below = {};      ///< it has to be smaller
  std::optional<double> most = {};       ///< it has to be no larger
  std::string cure = {};                 ///< of a number out of range
};

/// One table of the brief. Every key must be asked for; `finish` refuses the others by name.
///
/// A key is read in one statement, which says its type, its range, what is taken where it is not there, and
/// how to mend it.
class TableReader {
 public:
  /// @param label how messages call the table, e.g. "[faces.bore]"; empty for the top of the file.
  TableReader(const std::filesystem::path& file, const toml::table& table, std::string label)
      : file_(file), table_(table), label_(std::move(label)) {}

  [[noreturn]] void fail(const toml::node& at, const std::string& what, const std::string& cure = {}) const;
  [[noreturn]] void fail(const std::string& what, const std::string& cure = {}) const {
    fail(table_, what, cure);
  }

  /// A plain number.
  double number(const std::string& key, const Wanted& wanted);
  /// A number with its unit, in SI units.
  double quantity(const std::string& key, Measure measure, const Wanted& wanted);
  /// A whole number of at least `wanted.least`.
  int wholeNumber(const std::string& key, const Wanted& wanted);
  /// Text in quotes. @param need what to give, for the message.
  std::string text(const std::string& key, const std::string& need);
  /// The number of one of a few words; the first where the key is not there.
  std::size_t word(const std::string& key, const std::vector<std::string>& words);
  /// true or false.
  bool yesNo(const std::string& key, bool otherwise);
  /// A name among those of a kind. @param need what to give, for the message; empty if the key may be
  /// missing,
  ///   and the name is empty then.
  std::string name(const std::string& key, const char* kind, const std::vector<std::string>& known,
                   const std::string& need);
  /// Names in a list among those of a kind; none where the key is not there.
  std::vector<std::string> names(const std::string& key, const char* kind,
                                 const std::vector<std::string>& known);
  /// The table under a key, or nothing.
  std::optional<TableReader> tableIfThere(const std::string& key);
  bool has(const std::string& key) const { return table_.contains(key); }
  /// Where the value of a key stands; the table itself where it does not.
  TextPlace placeOf(const std::string& key) const;

  /// The value under a key, or nullptr; marks the key as known.
  const toml::node* find(const std::string& key);
  /// The value under a key that must be there.
  const toml::node& need(const std::string& key, const std::string& cure);

  std::string text(const toml::node& node, const std::string& key) const;
  double number(const toml::node& node, const std::string& key) const;
  int wholeNumber(const toml::node& node, const std::string& key, int least) const;
  double quantity(const toml::node& node, const std::string& key, Measure measure) const;
  /// The unit of a file's coordinates: mm, cm, m or in; metres per unit.
  double fileUnit(const toml::node& node, const std::string& key) const;
  /// One quantity, or a list of the least and the largest one.
  Range range(const toml::node& node, const std::string& key, Measure measure) const;
  std::vector<double> quantities(const toml::node& node, const std::string& key, Measure measure,
                                 std::size_t count) const;
  Vec3 point(const toml::node& node, const std::string& key, Measure measure = Measure::length) const;
  /// A point or vector of two or three coordinates; in two, z is zero.
  Vec3 position(const toml::node& node, const std::string& key, std::size_t dimensions,
                Measure measure = Measure::length) const;
  /// "+x" ... "-z", or plain numbers, as many as there are dimensions; a unit vector.
  Vec3 direction(const toml::node& node, const std::string& key, std::size_t dimensions = 3) const;
  /// The keys 'across' and 'at' of this table.
  MirrorPlane mirrorPlane(std::size_t dimensions);
  /// The tables of a list, or the one table there is; none where the key is not there.
  std::vector<TableReader> tablesIfThere(const std::string& key);
  std::vector<std::string> texts(const toml::node& node, const std::string& key) const;
  const toml::array& array(const toml::node& node, const std::string& key) const;
  TableReader table(const toml::node& node, const std::string& key) const;

  /// Refuses a name under which this table defines something, if it cannot stand in messages and files.
  void checkName(const std::string& name) const;

  /// Refuses a name that is not among the known ones.
  void resolve(const toml::node& at, const char* what, const std::string& name,
               const std::vector<std::string>& known) const;

  /// One of a few words.
  std::size_t choice(const toml::node& node, const std::string& key,
                     const std::vector<std::string>& words) const;

  TextPlace place() const { return placeOf(table_); }
  static TextPlace placeOf(const toml::node& node);
  const toml::table& raw() const { return table_; }
  const std::filesystem::path& file() const { return file_; }

  /// @throws BriefError for the first key nobody asked for.
  void finish() const;

 private:
  std::string named(const std::string& key) const;
  const toml::node* findOrNeed(const std::string& key, const std::string& need);
  double inRange(const toml::node& node, const std::string& key, double value, const Wanted& wanted) const;

  const std::filesystem::path& file_;
  const toml::table& table_;
  std::string label_;
  std::vector<std::string> known_;
};

}  // namespace barelattice
