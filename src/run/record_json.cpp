#include "record_json.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <type_traits>

#include "barelattice/base/hash.hpp"
#include "base/json_text.hpp"
#include "record_fields.hpp"

namespace barelattice {
namespace {

using nlohmann::json;

template <class T>
struct IsOptional : std::false_type {};
template <class T>
struct IsOptional<std::optional<T>> : std::true_type {};
template <class T>
struct IsVector : std::false_type {};
template <class T>
struct IsVector<std::vector<T>> : std::true_type {};
template <class T>
struct IsMap : std::false_type {};
template <class T>
struct IsMap<std::map<std::string, T>> : std::true_type {};

template <class T>
inline constexpr bool kPlain =
    std::is_same_v<T, bool> || std::is_same_v<T, std::string> || std::is_same_v<T, std::size_t>;

/// Records whose figures are in a unit of where they stand.
template <class T>
inline constexpr bool kInUnits = std::is_same_v<T, FigureRecord> || std::is_same_v<T, VectorFigureRecord>;

/// The number in SI units. What was written as v times the scale comes back so that it is written the same:
/// if numbers lie further apart here than there, the nearest one is v itself, and if not, the quotient's
/// rounding is too small to show in the product.
double unscaled(double stored, double scale) {
  return stored / scale;
}

template <class T>
bool isNothing(const T& value) {
  if constexpr (IsOptional<T>::value)
    return !value.has_value();
  else
    return value.empty();
}

class Writer {
 public:
  template <class T>
  void operator()(const char* key, T& value, const char* /*meaning*/, double scale = 1) {
    out[key] = encoded(value, scale);
  }
  template <class T>
  void maybe(const char* key, T& value, const char* /*meaning*/, double scale = 1) {
    if (!isNothing(value)) out[key] = encoded(value, scale);
  }
  template <class T>
  void flat(const char* /*first*/, T& value) {
    if constexpr (IsOptional<T>::value) {
      if (value) describeFields(*value, *this);
    } else {
      describeFields(value, *this);
    }
  }

  json out = json::object();

 private:
  /// JSON has no number for what is infinite.
  template <class T>
  static json encoded(T& value, double scale) {
    using Value = std::remove_const_t<T>;
    if constexpr (kPlain<Value>) {
      return value;
    } else if constexpr (std::is_same_v<Value, double>) {
      return std::isfinite(value) ? json(value * scale) : json(nullptr);
    } else if constexpr (std::is_same_v<Value, Vec3>) {
      return {value.x() * scale, value.y() * scale, value.z() * scale};
    } else if constexpr (IsOptional<Value>::value) {
      return value ? encoded(*value, scale) : json(nullptr);
    } else if constexpr (IsVector<Value>::value) {
      json list = json::array();
      for (auto& each : value) list.push_back(encoded(each, scale));
      return list;
    } else if constexpr (IsMap<Value>::value) {
      json map = json::object();
      for (auto& [name, each] : value) map[name] = encoded(each, scale);
      return map;
    } else {
      Writer inner;
      if constexpr (kInUnits<Value>)
        describeFields(value, inner, scale);
      else
        describeFields(value, inner);
      return inner.out;
    }
  }
};

class Reader {
 public:
  explicit Reader(const json& in) : in_(in) {}

  template <class T>
  void operator()(const char* key, T& value, const char* /*meaning*/, double scale = 1) {
    decode(in_.at(key), value, scale);
  }
  template <class T>
  void maybe(const char* key, T& value, const char* /*meaning*/, double scale = 1) {
    if (in_.contains(key)) decode(in_.at(key), value, scale);
  }
  /// @param first the key by which a record that may be missing is known.
  template <class T>
  void flat(const char* first, T& value) {
    if constexpr (IsOptional<T>::value) {
      if (in_.contains(first)) describeFields(value.emplace(), *this);
    } else {
      describeFields(value, *this);
    }
  }

 private:
  template <class T>
  static void decode(const json& from, T& value, double scale) {
    if constexpr (kPlain<T>) {
      value = from.get<T>();
    } else if constexpr (std::is_same_v<T, double>) {
      value = from.is_null() ? std::numeric_limits<double>::infinity() : unscaled(from.get<double>(), scale);
    } else if constexpr (std::is_same_v<T, Vec3>) {
      for (int i = 0; i < 3; ++i)
        value[i] = unscaled(from.at(static_cast<std::size_t>(i)).get<double>(), scale);
    } else if constexpr (IsOptional<T>::value) {
      if (!from.is_null()) decode(from, value.emplace(), scale);
    } else if constexpr (IsVector<T>::value) {
      if (!from.is_array()) static_cast<void>(from.get<json::array_t>());  // throws
      for (const json& each : from) decode(each, value.emplace_back(), scale);
    } else if constexpr (IsMap<T>::value) {
      for (const auto& [name, each] : from.get_ref<const json::object_t&>()) decode(each, value[name], scale);
    } else {
      Reader inner(from);
      if constexpr (kInUnits<T>)
        describeFields(value, inner, scale);
      else
        describeFields(value, inner);
    }
  }

  const json& in_;
};

/// Tables of all records, each where it is first used.
class Documenter {
 public:
  explicit Documenter(std::string heading) : heading_(std::move(heading)) {}

  template <class T>
  void operator()(const char* key, T& value, const char* meaning, double /*scale*/ = 1) {
    rows_ += fmt::format("| `{}` | {} |\n", key, meaning);
    below(key, value);
  }
  template <class T>
  void maybe(const char* key, T& value, const char* meaning, double /*scale*/ = 1) {
    rows_ += fmt::format("| `{}` | {}; may be missing |\n", key, meaning);
    below(key, value);
  }
  template <class T>
  void flat(const char* /*first*/, T& value) {
    if constexpr (IsOptional<T>::value)
      describeFields(value.emplace(), *this);
    else
      describeFields(value, *this);
  }
  std::string text() const {
    return fmt::format("## {}\n\n| key | meaning |\n|---|---|\n{}\n{}", heading_, rows_, inner_);
  }

 private:
  template <class T>
  void below(const std::string& key, T& value) {
    if constexpr (IsOptional<T>::value) {
      below(key, value.emplace());
    } else if constexpr (IsVector<T>::value) {
      typename T::value_type each{};
      below(key, each);
    } else if constexpr (IsMap<T>::value) {
      typename T::mapped_type each{};
      below(key, each);
    } else if constexpr (!kPlain<T> && !std::is_same_v<T, double> && !std::is_same_v<T, Vec3>) {
      Documenter inner(std::is_same_v<T, BodyRecord> ? "proof, block, baseline, outside"
                       : heading_ == "results.json"  ? key
                                                     : heading_ + ": " + key);
      describeFields(value, inner);
      const std::string text = inner.text();
      if (inner_.find(text) == std::string::npos) inner_ += text;  // several keys hold bodies
    }
  }

  std::string heading_;
  std::string rows_;
  std::string inner_;
};

}  // namespace

json recordJson(const RunRecord& record) {
  RunRecord copy = record;  // one description serves reading and writing
  Writer writer;
  describeFields(copy, writer);
  return writer.out;
}

RunRecord recordFrom(const json& from) {
  RunRecord record;
  Reader reader(from);
  describeFields(record, reader);
  return record;
}

std::string recordText(const RunRecord& record) {
  return jsonText(recordJson(record), 2);
}

std::string hashOfResults(json results) {
  results.erase("hash");
  return hashOf(jsonText(results));
}

std::string recordDocs() {
  RunRecord record;
  Documenter documenter("results.json");
  describeFields(record, documenter);
  return documenter.text();
}

}  // namespace barelattice
