/// @file
/// Which of many things hang together.
#pragma once

#include <algorithm>
#include <cstddef>
#include <numeric>
#include <vector>

namespace barelattice {

/// Disjoint sets of the numbers below a count, with path halving (Tarjan & van Leeuwen 1984); almost O(1)
/// each.
class Groups {
 public:
  explicit Groups(std::size_t count) : parent_(count) { std::iota(parent_.begin(), parent_.end(), 0); }

  /// The number that stands for the group of `i`.
  int find(int i) {
    while (at(i) != i) i = at(i) = at(at(i));
    return i;
  }
  void join(int a, int b) { at(find(a)) = find(b); }
  /// The same, with the lower number to stand for both.
  void joinEarlier(int a, int b) {
    const int one = find(a);
    const int other = find(b);
    at(std::max(one, other)) = std::min(one, other);
  }

 private:
  int& at(int i) { return parent_[static_cast<std::size_t>(i)]; }
  std::vector<int> parent_;
};

}  // namespace barelattice
