// What a step depends on, by value. Internal to the room.
#pragma once

#include <map>
#include <optional>
#include <string>

#include "barelattice/prepare/job.hpp"

namespace barelattice {

/// Increase when a step computes something else from the same brief, so that old results are not reused.
inline constexpr const char* kMethodVersion = "30";

/// The values a step reads, under keys for people such as "[loads.down] force". What is written differently
/// but means the same, "9 mm" and "9.0 mm", has one value.
class Inputs {
 public:
  void add(const std::string& key, const std::string& value) { values_[key] = value; }
  void add(const std::string& key, double value);
  void add(const Inputs& other) { values_.insert(other.values_.begin(), other.values_.end()); }

  /// Of all keys and values, and of the method's version.
  std::string hash() const;
  const std::map<std::string, std::string>& values() const { return values_; }
  /// What is not as it was: "[loads.down] force changed". Empty if nothing is, or nothing was.
  std::string changeSince(const std::map<std::string, std::string>& before) const;

 private:
  std::map<std::string, std::string> values_;
};

/// What decides on a layout, but for how many iterations are wished for.
Inputs inputsOfLayout(const Job& job);

/// All faces, of which figures are told whether anything acts on them or not.
Inputs inputsOfFaces(const Job& job);

/// Besides the layout, what decides on the solid and its figures.
Inputs inputsOfSolid(const Job& job);

/// Besides the body, what decides on its proof and its figures, but for what is required of them.
Inputs inputsOfProof(const Job& job);

/// What figures are judged by.
Inputs inputsOfVerdict(const Job& job);

/// What decides on the full block and how it is held and loaded, or on the baseline, if its shape is given.
Inputs inputsOfBlock(const Job& job, std::optional<std::size_t> baseline = std::nullopt);

}  // namespace barelattice
