#include "table_reader.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <numeric>

#include "base/plain_numbers.hpp"
#include "text_limits.hpp"

namespace barelattice {
namespace {

/// Edit distance (Levenshtein 1966).
std::size_t editDistance(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), 0);
  for (std::size_t i = 1; i <= a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t above = row[j];
      row[j] = std::min({above + 1, row[j - 1] + 1, diagonal + (a[i - 1] == b[j - 1] ? 0 : 1)});
      diagonal = above;
    }
  }
  return row.back();
}

}  // namespace

std::string listed(const std::vector<std::string>& names) {
  constexpr std::size_t kMost = 40;
  const std::size_t shown = std::min(names.size(), kMost);
  const auto end = names.begin() + static_cast<std::ptrdiff_t>(shown);
  return fmt::format("{}{}", fmt::join(names.begin(), end, ", "),
                     shown < names.size() ? fmt::format(" and {} more", names.size() - shown) : "");
}

std::string nearestName(std::string_view name, const std::vector<std::string>& known) {
  std::string best;
  if (name.size() > kMostNameBytes) return best;
  std::size_t least = std::max<std::size_t>(2, name.size() / 3) + 1;
  for (const std::string& candidate : known) {
    const std::size_t distance = editDistance(name, candidate);
    if (distance >= least) continue;
    least = distance;
    best = candidate;
  }
  return best;
}

TextPlace TableReader::placeOf(const toml::node& node) {
  const auto& begin = node.source().begin;
  return {static_cast<int>(begin.line), static_cast<int>(begin.column)};
}

void TableReader::fail(const toml::node& at, const std::string& what, const std::string& cure) const {
  throw BriefError(file_, placeOf(at), label_.empty() ? what : label_ + " " + what, cure);
}

void TableReader::checkName(const std::string& name) const {
  const std::string fault = faultOfName(name);
  if (fault.empty()) return;
  for (const auto& [key, node] : table_) {
    if (key.str() != name) continue;
    const auto& begin = key.source().begin;
    throw BriefError(file_, {static_cast<int>(begin.line), static_cast<int>(begin.column)},
                     fmt::format("{} has a name that {}", label_, fault), "give it a short name");
  }
}

std::string TableReader::named(const std::string& key) const {
  return "'" + key + "'";
}

const toml::node* TableReader::find(const std::string& key) {
  known_.push_back(key);
  return table_.get(key);
}

const toml::node& TableReader::need(const std::string& key, const std::string& cure) {
  if (const toml::node* node = find(key)) return *node;
  // Perhaps it is there under a slightly wrong name, which is then the better place to point at.
  std::vector<std::string> present;
  for (const auto& [name, node] : table_)
    if (std::find(known_.begin(), known_.end(), std::string(name.str())) == known_.end())
      present.emplace_back(name.str());
  constexpr std::size_t kShort = 3;  // names as short as "at" and "of" are near to everything
  const std::string near = key.size() > kShort ? nearestName(key, present) : std::string();
  if (!near.empty())
    fail(*table_.get(near), fmt::format("{} is missing, and there is the unknown key '{}'", named(key), near),
         fmt::format("did you mean {}?", named(key)));
  fail(fmt::format("{} is missing", named(key)), cure);
}

const toml::node* TableReader::findOrNeed(const std::string& key, const std::string& need) {
  return need.empty() ? find(key) : &this->need(key, need);
}

double TableReader::inRange(const toml::node& node, const std::string& key, double value,
                            const Wanted& wanted) const {
  const auto refuse = [&](const std::string& should) {
    fail(node, fmt::format("{} should {}", named(key), should), wanted.cure);
  };
  const bool low = (wanted.above && !(value > *wanted.above)) || (wanted.least && !(value >= *wanted.least));
  const bool high = (wanted.below && !(value < *wanted.below)) || (wanted.most && !(value <= *wanted.most));
  if (!low && !high) return value;
  const std::optional<double> from = wanted.above ? wanted.above : wanted.least;
  const std::optional<double> to = wanted.below ? wanted.below : wanted.most;
  if (from && to) refuse(fmt::format("lie between {} and {}", *from, *to));
  if (wanted.above) refuse(*from == 0 ? "be above zero" : fmt::format("be above {}", *from));
  if (wanted.least) refuse(*from == 0 ? "not be negative" : fmt::format("be at least {}", *from));
  refuse(fmt::format("be {} {}", wanted.below ? "below" : "at most", *to));
  return value;
}

double TableReader::number(const std::string& key, const Wanted& wanted) {
  const toml::node* node = findOrNeed(key, wanted.need);
  return node ? inRange(*node, key, number(*node, key), wanted) : *wanted.otherwise;
}

double TableReader::quantity(const std::string& key, Measure measure, const Wanted& wanted) {
  const toml::node* node = findOrNeed(key, wanted.need);
  return node ? inRange(*node, key, quantity(*node, key, measure), wanted) : *wanted.otherwise;
}

int TableReader::wholeNumber(const std::string& key, const Wanted& wanted) {
  const toml::node* node = findOrNeed(key, wanted.need);
  return node ? wholeNumber(*node, key, static_cast<int>(*wanted.least))
              : static_cast<int>(*wanted.otherwise);
}

std::string TableReader::text(const std::string& key, const std::string& need) {
  return text(this->need(key, need), key);
}

std::size_t TableReader::word(const std::string& key, const std::vector<std::string>& words) {
  const toml::node* node = find(key);
  return node ? choice(*node, key, words) : 0;
}

bool TableReader::yesNo(const std::string& key, bool otherwise) {
  const toml::node* node = find(key);
  if (!node) return otherwise;
  if (const auto* value = node->as_boolean()) return value->get();
  fail(*node, fmt::format("{} should be true or false", named(key)), "without quotes");
}

std::string TableReader::name(const std::string& key, const char* kind, const std::vector<std::string>& known,
                              const std::string& need) {
  const toml::node* node = findOrNeed(key, need);
  if (!node) return {};
  std::string name = text(*node, key);
  resolve(*node, kind, name, known);
  return name;
}

std::vector<std::string> TableReader::names(const std::string& key, const char* kind,
                                            const std::vector<std::string>& known) {
  std::vector<std::string> found;
  if (const toml::node* node = find(key))
    for (const toml::node& entry : array(*node, key)) {
      found.push_back(text(entry, key));
      resolve(entry, kind, found.back(), known);
    }
  return found;
}

std::optional<TableReader> TableReader::tableIfThere(const std::string& key) {
  const toml::node* node = find(key);
  return node ? std::optional(table(*node, key)) : std::nullopt;
}

TextPlace TableReader::placeOf(const std::string& key) const {
  const toml::node* node = table_.get(key);
  return node ? placeOf(*node) : place();
}

std::string TableReader::text(const toml::node& node, const std::string& key) const {
  if (const auto* value = node.as_string()) return value->get();
  fail(node, fmt::format("{} should be text in quotes", named(key)));
}

double TableReader::number(const toml::node& node, const std::string& key) const {
  const std::optional<double> value = node.is_number() ? node.value<double>() : std::nullopt;
  if (value && std::isfinite(*value)) return *value;
  std::string cure;
  if (const auto* text = node.as_string()) {
    const LeadingNumber read = leadingNumber(text->get());
    if (read.length > 0 && text->get().find('%', read.length) != std::string::npos)
      cure = fmt::format("write {:g}, without quotes", read.value / 100);
    else if (read.length > 0)
      cure = fmt::format("write {:g}, without quotes and without a unit", read.value);
  }
  fail(node, fmt::format("{} should be a plain number", named(key)), cure);
}

int TableReader::wholeNumber(const toml::node& node, const std::string& key, int least) const {
  const auto* value = node.as_integer();
  constexpr int kMost = 100'000'000;
  if (!value || value->get() < least || value->get() > kMost)
    fail(node, fmt::format("{} should be a whole number of at least {}", named(key), least));
  return static_cast<int>(value->get());
}

double TableReader::quantity(const toml::node& node, const std::string& key, Measure measure) const {
  if (node.is_number())
    fail(node, fmt::format("{} is a bare number, but {} needs its unit", named(key), nameOf(measure)),
         fmt::format("write it in quotes with one of: {}", unitsOf(measure)));
  try {
    return parseQuantity(text(node, key), measure);
  } catch (const BriefError&) {
    throw;
  } catch (const InputError& error) {
    fail(node, fmt::format("{}: {}", named(key), error.what()), error.cure());
  }
}

double TableReader::fileUnit(const toml::node& node, const std::string& key) const {
  static const std::vector<std::string> units{"mm", "cm", "m", "in"};
  return parseQuantity("1 " + units[choice(node, key, units)], Measure::length);
}

Range TableReader::range(const toml::node& node, const std::string& key, Measure measure) const {
  if (!node.is_array()) return Range(quantity(node, key, measure));
  const std::vector<double> ends = quantities(node, key, measure, 2);
  if (ends[0] > ends[1])
    fail(node, fmt::format("{} should name the smaller end of its range first", named(key)));
  return {ends[0], ends[1]};
}

const toml::array& TableReader::array(const toml::node& node, const std::string& key) const {
  if (const auto* value = node.as_array()) return *value;
  fail(node, fmt::format("{} should be a list in square brackets", named(key)));
}

std::vector<double> TableReader::quantities(const toml::node& node, const std::string& key, Measure measure,
                                            std::size_t count) const {
  const toml::array& list = array(node, key);
  if (list.size() != count)
    fail(node, fmt::format("{} should hold {} values, not {}", named(key), count, list.size()));
  std::vector<double> values;
  for (const toml::node& entry : list) values.push_back(quantity(entry, key, measure));
  return values;
}

Vec3 TableReader::point(const toml::node& node, const std::string& key, Measure measure) const {
  const std::vector<double> v = quantities(node, key, measure, 3);
  return {v[0], v[1], v[2]};
}

Vec3 TableReader::position(const toml::node& node, const std::string& key, std::size_t dimensions,
                           Measure measure) const {
  const std::vector<double> v = quantities(node, key, measure, dimensions);
  return {v[0], v[1], dimensions == 3 ? v[2] : 0};
}

Vec3 TableReader::direction(const toml::node& node, const std::string& key, std::size_t dimensions) const {
  if (node.is_string()) {
    static const std::vector<std::string> inSpace{"+x", "-x", "+y", "-y", "+z", "-z", "x", "y", "z"};
    static const std::vector<std::string> inPlane{"+x", "-x", "+y", "-y", "x", "y"};
    const std::vector<std::string>& words = dimensions == 2 ? inPlane : inSpace;
    const std::string& word = words[choice(node, key, words)];
    return (word[0] == '-' ? -1.0 : 1.0) * Vec3::Unit(word.back() - 'x');
  }
  const toml::array& list = array(node, key);
  if (list.size() != dimensions)
    fail(node, fmt::format("{} should hold {} numbers", named(key), dimensions == 2 ? "two" : "three"));
  Vec3 direction = Vec3::Zero();
  for (std::size_t i = 0; i < dimensions; ++i) direction[static_cast<Eigen::Index>(i)] = number(list[i], key);
  if (direction.norm() == 0) fail(node, fmt::format("{} has no direction", named(key)));
  return direction.normalized();
}

MirrorPlane TableReader::mirrorPlane(std::size_t dimensions) {
  MirrorPlane plane;
  plane.normal = direction(need("across", "the axis the plane is perpendicular to"), "across", dimensions);
  plane.at = quantity(need("at", "where the plane crosses that axis"), "at", Measure::length);
  return plane;
}

std::vector<TableReader> TableReader::tablesIfThere(const std::string& key) {
  std::vector<TableReader> tables;
  const toml::node* node = find(key);
  if (!node) return tables;
  if (const toml::array* list = node->as_array()) {
    for (const toml::node& entry : *list) tables.push_back(table(entry, key));
  } else {
    tables.push_back(table(*node, key));
  }
  return tables;
}

void TableReader::resolve(const toml::node& at, const char* what, const std::string& name,
                          const std::vector<std::string>& known) const {
  if (std::find(known.begin(), known.end(), name) != known.end()) return;
  const std::string near = nearestName(name, known);
  fail(at, fmt::format("names the unknown {} \"{}\"", what, name),
       !near.empty()   ? fmt::format("did you mean \"{}\"?", near)
       : known.empty() ? fmt::format("no {} is defined", what)
                       : "known are: " + listed(known));
}

std::vector<std::string> TableReader::texts(const toml::node& node, const std::string& key) const {
  std::vector<std::string> values;
  for (const toml::node& entry : array(node, key)) values.push_back(text(entry, key));
  return values;
}

TableReader TableReader::table(const toml::node& node, const std::string& key) const {
  const auto* value = node.as_table();
  if (!value)
    fail(node, fmt::format("{} should be a table", named(key)),
         node.is_array() ? fmt::format("with single brackets: [{}]", key) : "");
  const std::string outer = label_.empty() ? "" : label_.substr(1, label_.size() - 2) + ".";
  return {file_, *value, "[" + outer + key + "]"};
}

std::size_t TableReader::choice(const toml::node& node, const std::string& key,
                                const std::vector<std::string>& words) const {
  const std::string word = text(node, key);
  const auto found = std::find(words.begin(), words.end(), word);
  if (found == words.end())
    fail(node, fmt::format("{} is \"{}\"", named(key), word),
         fmt::format("it can be: {}", fmt::join(words, ", ")));
  return static_cast<std::size_t>(found - words.begin());
}

void TableReader::finish() const {
  for (const auto& [key, node] : table_) {
    const std::string name(key.str());
    if (std::find(known_.begin(), known_.end(), name) != known_.end()) continue;
    // Under another name in earlier versions.
    static const std::map<std::string, std::string> renamed{{"parts", "inserts"},
                                                            {"walls", "boundary"},
                                                            {"set_apart", "exclude_within"},
                                                            {"agreement", "mesh_difference"}};
    const auto now = renamed.find(name);
    const bool moved =
        now != renamed.end() && std::find(known_.begin(), known_.end(), now->second) != known_.end();
    const std::string near = moved ? now->second : nearestName(name, known_);
    const auto& begin = key.source().begin;
    throw BriefError(file_, {static_cast<int>(begin.line), static_cast<int>(begin.column)},
                     (label_.empty() ? "" : label_ + " ") + fmt::format("has the unknown key '{}'", name),
                     moved          ? fmt::format("it is called '{}' now", near)
                     : near.empty() ? "known here: " + listed(known_)
                                    : fmt::format("did you mean '{}'?", near));
  }
}

}  // namespace barelattice
