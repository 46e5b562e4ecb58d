#include "neighbours.hpp"

#include <algorithm>
#include <cstdint>
#include <cstdlib>
#include <utility>

#include "base/parallel.hpp"

namespace barelattice {

// Offsets in a row along an axis form a run, and the best of a run of length l is that of two windows of 2^j
// <= l that cover it (sparse tables; for dilations van Herk 1992 has the same idea):
//   T_0 = field,  T_(j+1)(p) = better of T_j(p) and T_j(p + 2^j e).
// So a disc takes two steps for each of its rows. Tables are of the box with room at both ends of that axis.

template <int D>
Neighbours<D>::Neighbours(const Index<D>& cells, std::vector<Index<D>> offsets)
    : cells_(cells), offsets_(std::move(offsets)) {
  for (std::size_t axis = 0; axis < D; ++axis) {
    std::vector<Run> runs = runsAlong(axis);
    if (axis > 0 && runs.size() >= runs_.size()) continue;
    runs_ = std::move(runs);
    axis_ = axis;
  }
  for (const Run& run : runs_) {
    longest_ = std::max(longest_, run.length);
    room_ = std::max({room_, std::abs(run.first[axis_]), std::abs(run.first[axis_] + run.length - 1)});
  }
}

template <int D>
std::vector<typename Neighbours<D>::Run> Neighbours<D>::runsAlong(std::size_t axis) const {
  std::vector<Index<D>> sorted = offsets_;
  std::sort(sorted.begin(), sorted.end(), [&](Index<D> a, Index<D> b) {
    const int alongA = std::exchange(a[axis], 0);
    const int alongB = std::exchange(b[axis], 0);
    return a != b ? a < b : alongA < alongB;
  });
  std::vector<Run> runs;
  for (const Index<D>& offset : sorted) {
    if (!runs.empty()) {
      Index<D> next = runs.back().first;
      next[axis] += runs.back().length;
      if (next == offset) {
        ++runs.back().length;
        continue;
      }
    }
    runs.push_back({offset, 1});
  }
  return runs;
}

/// Calls visit(first place, its neighbour's place, count) for each row of a box along its first axis and each
/// place from there, as far as both lie in it.
template <int D, class Visit>
void visitRow(const Index<D>& cells, std::size_t row, const Index<D>& offset, const Visit& visit) {
  const int width = cells[0];
  std::ptrdiff_t delta = offset[0];
  std::ptrdiff_t stride = width;
  std::size_t rest = row;
  for (std::size_t i = 1; i < D; ++i) {
    const auto count = static_cast<std::size_t>(cells[i]);
    const int to = static_cast<int>(rest % count) + offset[i];
    if (to < 0 || to >= cells[i]) return;
    rest /= count;
    delta += offset[i] * stride;
    stride *= cells[i];
  }
  const int begin = std::max(0, -offset[0]);
  const int end = std::min(width, width - offset[0]);
  if (begin < end)
    visit(row * static_cast<std::size_t>(width) + static_cast<std::size_t>(begin), delta, end - begin);
}

/// Calls body(row) for the rows of a box, on any thread.
template <int D, class Body>
void forEachRow(const Index<D>& cells, std::size_t work, const Body& body) {
  std::size_t rows = 1;
  for (std::size_t i = 1; i < D; ++i) rows *= static_cast<std::size_t>(cells[i]);
  forEach(rows, body, std::max<std::size_t>(1, kBlockSize / (static_cast<std::size_t>(cells[0]) * work)));
}

/// Of each place the best of what lies at sign * its offsets, and of what there is beyond the box.
template <int D>
template <class Better>
std::vector<double> Neighbours<D>::bestOf(const std::vector<double>& field, int sign, double beyond,
                                          const Better& better) const {
  Index<D> margin{};
  margin[axis_] = room_;
  Index<D> wide = cells_;
  wide[axis_] += 2 * room_;
  std::size_t size = 1;
  std::size_t stride = 1;  // along the axis of the runs
  for (std::size_t i = 0; i < D; ++i) {
    if (i < axis_) stride *= static_cast<std::size_t>(wide[i]);
    size *= static_cast<std::size_t>(wide[i]);
  }
  // From places of the box to those of the wide one, row by row of the first axis.
  const auto copyRows = [&](const auto& copy) {
    forEachRow<D>(cells_, 1, [&](std::size_t row) {
      std::size_t to = static_cast<std::size_t>(margin[0]);
      std::size_t step = static_cast<std::size_t>(wide[0]);
      for (std::size_t i = 1, rest = row; i < D; ++i) {
        to += (rest % static_cast<std::size_t>(cells_[i]) + static_cast<std::size_t>(margin[i])) * step;
        rest /= static_cast<std::size_t>(cells_[i]);
        step *= static_cast<std::size_t>(wide[i]);
      }
      copy(row * static_cast<std::size_t>(cells_[0]), to);
    });
  };
  std::vector<double> table(size, beyond);
  copyRows([&](std::size_t from, std::size_t to) {
    std::copy_n(field.begin() + static_cast<std::ptrdiff_t>(from), cells_[0],
                table.begin() + static_cast<std::ptrdiff_t>(to));
  });
  std::vector<double> best(size, beyond);
  for (int length = 1; length <= longest_; length *= 2) {
    // Runs whose length lies from this window's to below twice that.
    std::vector<Index<D>> starts;
    for (const Run& run : runs_) {
      if (run.length < length || run.length >= 2 * length) continue;
      Index<D> first = run.first;
      if (sign < 0)
        for (std::size_t i = 0; i < D; ++i) first[i] = -first[i] - (i == axis_ ? run.length - 1 : 0);
      starts.push_back(first);
      first[axis_] += run.length - length;
      if (run.length > length) starts.push_back(first);
    }
    if (!starts.empty())
      forEachRow<D>(wide, starts.size(), [&](std::size_t row) {
        for (const Index<D>& start : starts)
          visitRow<D>(wide, row, start, [&](std::size_t place, std::ptrdiff_t delta, int count) {
            double* to = best.data() + place;
            const double* from = table.data() + static_cast<std::ptrdiff_t>(place) + delta;
            for (int k = 0; k < count; ++k) to[k] = better(to[k], from[k]);
          });
      });
    if (2 * length > longest_) break;
    std::vector<double> next(size);
    const std::size_t shift = stride * static_cast<std::size_t>(length);
    // Windows that run over the end of a line are never asked for: the room is there for that.
    forEach(size, [&](std::size_t p) {
      next[p] = p + shift < size ? better(table[p], table[p + shift]) : table[p];
    });
    table = std::move(next);
  }
  std::vector<double> result(field.size());
  copyRows([&](std::size_t to, std::size_t from) {
    std::copy_n(best.begin() + static_cast<std::ptrdiff_t>(from), cells_[0],
                result.begin() + static_cast<std::ptrdiff_t>(to));
  });
  return result;
}

template <int D>
std::vector<double> Neighbours<D>::passBack(const std::vector<double>& field, const std::vector<double>& best,
                                            int sign, const std::vector<double>& gradient) const {
  constexpr auto kNone = static_cast<std::uint32_t>(-1);
  std::vector<std::uint32_t> source(field.size(), kNone);  // the first of its equals
  forEachRow<D>(cells_, 1 + offsets_.size() / 4, [&](std::size_t row) {
    struct Way {
      std::size_t begin, end;
      std::ptrdiff_t delta;
    };
    std::vector<Way> ways;
    for (Index<D> offset : offsets_) {
      for (int& i : offset) i *= sign;
      visitRow<D>(cells_, row, offset, [&](std::size_t place, std::ptrdiff_t delta, int count) {
        ways.push_back({place, place + static_cast<std::size_t>(count), delta});
      });
    }
    const std::size_t first = row * static_cast<std::size_t>(cells_[0]);
    for (std::size_t p = first; p < first + static_cast<std::size_t>(cells_[0]); ++p) {
      if (gradient[p] == 0) continue;
      for (const Way& way : ways) {
        const double* other = field.data() + p + way.delta;
        if (p < way.begin || p >= way.end || *other != best[p]) continue;
        source[p] = static_cast<std::uint32_t>(other - field.data());
        break;
      }
    }
  });
  std::vector<double> back(field.size(), 0.0);
  for (std::size_t p = 0; p < source.size(); ++p)  // in one order, whatever the threads
    if (source[p] != kNone) back[source[p]] += gradient[p];
  return back;
}

template <int D>
std::vector<double> Neighbours<D>::largest(const std::vector<double>& field) const {
  return bestOf(field, 1, 0.0, [](double a, double b) { return a < b ? b : a; });
}

template <int D>
std::vector<double> Neighbours<D>::smallest(const std::vector<double>& field) const {
  return bestOf(field, -1, 1.0, [](double a, double b) { return b < a ? b : a; });
}

template <int D>
WideBox<D>::WideBox(const GridFrame<D>& of, const Index<D>& by) : frame(of), margin(by) {
  for (std::size_t i = 0; i < D; ++i) {
    frame.origin[static_cast<Eigen::Index>(i)] -= margin[i] * frame.size;
    frame.cells[i] += 2 * margin[i];
  }
}

template <int D>
std::size_t WideBox<D>::placeOf(const Index<D>& cell) const {
  Index<D> at = cell;
  for (std::size_t i = 0; i < D; ++i) at[i] += margin[i];
  return frame.linear(at);
}

template <int D>
std::vector<double> WideBox<D>::spread(const Grid<D>& grid, std::span<const double> field) const {
  std::vector<double> wide(frame.boxCells(), 0.0);
  forEach(field.size(), [&](std::size_t c) { wide[placeOf(grid.cellIndex(c))] = field[c]; });
  return wide;
}

template class Neighbours<2>;
template class Neighbours<3>;
template struct WideBox<2>;
template struct WideBox<3>;

}  // namespace barelattice
