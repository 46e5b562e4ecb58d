#include "neighbours.hpp"

#include <algorithm>

#include "base/parallel.hpp"

namespace barelattice {

template <int D>
Neighbours<D>::Neighbours(const Index<D>& cells, std::vector<Index<D>> offsets)
    : cells_(cells), offsets_(std::move(offsets)) {}

/// Calls visit(begin, end, delta) for the places of a row whose neighbour sign * offset away, delta places
/// on, lies in the box, for each offset; rows run on any thread.
template <int D>
template <class Visit>
void Neighbours<D>::visitRows(int sign, const Visit& visit) const {
  const int width = cells_[0];
  std::size_t rows = 1;
  for (std::size_t i = 1; i < D; ++i) rows *= static_cast<std::size_t>(cells_[i]);
  forEach(
      rows,
      [&](std::size_t row) {
        Index<D> at{};
        for (std::size_t i = 1, rest = row; i < D; ++i) {
          at[i] = static_cast<int>(rest % static_cast<std::size_t>(cells_[i]));
          rest /= static_cast<std::size_t>(cells_[i]);
        }
        const std::size_t first = row * static_cast<std::size_t>(width);
        for (const Index<D>& offset : offsets_) {
          std::ptrdiff_t delta = sign * offset[0];
          std::ptrdiff_t stride = width;
          bool inside = true;
          for (std::size_t i = 1; i < D; ++i) {
            const int to = at[i] + sign * offset[i];
            inside = inside && to >= 0 && to < cells_[i];
            delta += sign * offset[i] * stride;
            stride *= cells_[i];
          }
          const int begin = std::max(0, -sign * offset[0]);
          const int end = std::min(width, width - sign * offset[0]);
          if (inside && begin < end)
            visit(first + static_cast<std::size_t>(begin), first + static_cast<std::size_t>(end), delta);
        }
      },
      std::max<std::size_t>(1, kBlockSize / (static_cast<std::size_t>(width) * offsets_.size())));
}

/// Of each place the best of what lies at its offsets, and of what there is beyond the box.
template <int D>
template <class Better>
std::vector<double> Neighbours<D>::bestOf(const std::vector<double>& field, int sign, double beyond,
                                          const Better& better) const {
  std::vector<double> best(field.size(), beyond);
  visitRows(sign, [&](std::size_t begin, std::size_t end, std::ptrdiff_t delta) {
    const double* other = field.data() + delta;
    for (std::size_t p = begin; p < end; ++p) best[p] = better(best[p], other[p]);
  });
  return best;
}

template <int D>
std::vector<double> Neighbours<D>::shareBack(const std::vector<double>& field,
                                             const std::vector<double>& best, int sign,
                                             const std::vector<double>& gradient) const {
  std::vector<double> share(field.size(), 0.0);  // first how many are equal
  visitRows(sign, [&](std::size_t begin, std::size_t end, std::ptrdiff_t delta) {
    const double* other = field.data() + delta;
    for (std::size_t p = begin; p < end; ++p) share[p] += other[p] == best[p] ? 1 : 0;
  });
  forEach(share.size(), [&](std::size_t p) { share[p] = share[p] > 0 ? gradient[p] / share[p] : 0; });
  std::vector<double> back(field.size(), 0.0);
  visitRows(-sign, [&](std::size_t begin, std::size_t end, std::ptrdiff_t delta) {
    const double* by = share.data() + delta;
    const double* of = best.data() + delta;
    for (std::size_t p = begin; p < end; ++p) back[p] += of[p] == field[p] ? by[p] : 0;
  });
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
